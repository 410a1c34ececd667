package main

import (
	"bufio"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"roster/server"
	"roster/store"
)

func personCommand() *cobra.Command {
	var database, name, role string
	add := &cobra.Command{
		Use:     "add LOGIN",
		Short:   "Add a person who can sign in; the password is read from standard input",
		Example: "  echo 'a long password' | roster person add tove --name 'Tove S.' --role keeper",
		Args:    wantArgs(1, 1, "a login"),
		RunE: func(c *cobra.Command, args []string) error {
			if !slices.Contains([]string{"technician", "reviewer", "maintainer", "keeper"}, role) {
				return usageError{fmt.Errorf("role %q: want technician, reviewer, maintainer or keeper", role)}
			}
			lines := bufio.NewScanner(c.InOrStdin())
			lines.Scan()
			password := lines.Text()
			if len(password) < 10 {
				return usageError{errors.New("give a password of at least ten characters on standard input")}
			}
			st, err := store.New(c.Context(), database)
			if err != nil {
				return err
			}
			defer st.Close()
			if err := st.Migrate(c.Context()); err != nil {
				return err
			}
			hash, err := server.HashPassword(password)
			if err != nil {
				return err
			}
			login := strings.ToLower(args[0])
			if name == "" {
				name = args[0]
			}
			_, err = st.AddPerson(c.Context(), login, name, role, hash)
			return err
		},
	}
	add.Flags().StringVar(&database, "database", env("ROSTER_DATABASE_URL", ""), "address of the PostgreSQL database (ROSTER_DATABASE_URL)")
	add.Flags().StringVar(&name, "name", "", "the person's name")
	add.Flags().StringVar(&role, "role", "technician", "technician, reviewer, maintainer or keeper")
	c := &cobra.Command{Use: "person", Short: "People who can sign in"}
	c.AddCommand(add)
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
