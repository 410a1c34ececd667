package main

import (
	"bufio"
	"cmp"
	"errors"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"roster/core/people"
	"roster/server"
	"roster/store"
)

// readPassword takes a person's password from standard input and makes its
// hash.
func readPassword(c *cobra.Command, login string) (hash string, err error) {
	lines := bufio.NewScanner(c.InOrStdin())
	lines.Scan()
	if err := server.CheckPassword(lines.Text(), login); err != nil {
		return "", usageError{fmt.Errorf("standard input: %w", err)}
	}
	return server.DefaultPasswordCost.Hash(lines.Text())
}

// personNamed finds the person with a login.
func personNamed(c *cobra.Command, st *store.Store, login string) (store.Person, error) {
	person, _, err := st.PasswordHash(c.Context(), strings.ToLower(login))
	if errors.Is(err, store.ErrNotFound) {
		err = fmt.Errorf("nobody here has the login %q", login)
	}
	return person, err
}

func personCommand() *cobra.Command {
	var database, name, role string
	add := &cobra.Command{
		Use:     "add LOGIN",
		Short:   "Add a person who can sign in; the password is read from standard input",
		Example: "  echo 'a long password' | roster person add tove --name 'Tove S.' --role keeper",
		Args:    wantArgs(1, 1, "a login"),
		RunE: func(c *cobra.Command, args []string) error {
			if !people.Role(role).Valid() {
				return usageError{fmt.Errorf("role %q: want technician, reviewer, maintainer or keeper", role)}
			}
			hash, err := readPassword(c, args[0])
			if err != nil {
				return err
			}
			st, err := openStore(c, database)
			if err != nil {
				return err
			}
			defer st.Close()
			if name == "" {
				name = args[0]
			}
			_, err = st.AddPerson(c.Context(), strings.ToLower(args[0]), name, people.Role(role), hash)
			return err
		},
	}
	flagDatabase(add.Flags(), &database)
	add.Flags().StringVar(&name, "name", "", "the person's name")
	add.Flags().StringVar(&role, "role", "technician", "technician, reviewer, maintainer or keeper")
	password := &cobra.Command{
		Use:     "password LOGIN",
		Short:   "Give a person a new password, read from standard input; they are signed out everywhere",
		Example: "  echo 'a long password' | roster person password tove",
		Args:    wantArgs(1, 1, "a login"),
		RunE: func(c *cobra.Command, args []string) error {
			hash, err := readPassword(c, args[0])
			if err != nil {
				return err
			}
			st, err := openStore(c, database)
			if err != nil {
				return err
			}
			defer st.Close()
			person, err := personNamed(c, st, args[0])
			if err != nil {
				return err
			}
			return st.SetPassword(c.Context(), person.ID, hash, nil, store.Ending{})
		},
	}
	flagDatabase(password.Flags(), &database)
	var public string
	link := &cobra.Command{
		Use:     "link LOGIN",
		Short:   "Make a link by which a person sets a new password, once, within two days",
		Example: "  sudo -u roster roster person link tove",
		Args:    wantArgs(1, 1, "a login"),
		RunE: func(c *cobra.Command, args []string) error {
			st, err := openStore(c, database)
			if err != nil {
				return err
			}
			defer st.Close()
			person, err := personNamed(c, st, args[0])
			if err != nil {
				return err
			}
			path, _, err := server.MakePasswordLink(c.Context(), st, uuid.Nil, person.ID)
			if err == nil {
				fmt.Fprintln(c.OutOrStdout(), strings.TrimRight(cmp.Or(public, "http://"+setListen.text()), "/")+path)
			}
			return err
		},
	}
	flagDatabase(link.Flags(), &database)
	setPublic.flag(link.Flags(), &public)
	c := &cobra.Command{Use: "person", Short: "People who can sign in"}
	c.AddCommand(add, password, link)
	return c
}

// openapiCommand prints what the browser client is generated from.
func openapiCommand() *cobra.Command {
	return &cobra.Command{
		Use: "openapi", Short: "Print the API's description", Example: "  roster openapi > docs/api/openapi.json", Args: noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			raw, err := server.Describe(version)
			if err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), string(raw))
			return nil
		},
	}
}
