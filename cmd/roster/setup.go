package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/spf13/cobra"

	"roster/server"
	"roster/store"
)

// setup makes an installation of a computer on which Roster was installed.
type setup struct {
	settings
	administrator string
	// part is what a process does that setup started as another user.
	part string
	// keeps says that the address from outside was given on the line.
	keeps bool
	out   io.Writer
}

// The users as whom the parts are done: PostgreSQL knows by the user of a
// process who asks through its local socket, and the service has to be able to
// read its secret.
const (
	databasePart, databaseUser         = "database", "postgres"
	installationPart, installationUser = "installation", "roster"
)

// localAdministrator is where the PostgreSQL of a database hears its own user:
// the local socket that the database's address names, or Debian's.
func localAdministrator(database string) string {
	host, port := "/run/postgresql", uint16(5432)
	if config, err := pgconn.ParseConfig(database); err == nil && strings.HasPrefix(config.Host, "/") {
		host, port = config.Host, config.Port
	}
	return fmt.Sprintf("postgres:///postgres?host=%s&port=%d&user=%s", url.QueryEscape(host), port, databaseUser)
}

func setupCommand() *cobra.Command {
	var s setup
	c := &cobra.Command{
		Use:   "setup",
		Short: "Make an installation: database, secret, and a link for its first keeper",
		Long: `Makes what an installation needs and has not got: role and database in PostgreSQL, tables,
the secret, and a link by which the first keeper joins; then it starts the service. It says
what it did and what was there, and can be repeated.`,
		Example: "  sudo roster setup --public-url https://roster.example\n" +
			"  roster setup --database postgres://roster@db/roster --administrator postgres://postgres@db/postgres",
		Args: noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			s.out, s.keeps = c.OutOrStdout(), c.Flags().Changed(setPublic.name)
			return s.run(c.Context())
		},
	}
	f := c.Flags()
	flagDatabase(f, &s.database)
	setSecretFile.flag(f, &s.secret)
	setPublic.flag(f, &s.public)
	setListen.flag(f, &s.listen)
	f.StringVar(&s.administrator, "administrator", "", "address of a database as a role that may make roles and databases; "+
		"without it PostgreSQL's own user asks through its local socket, which takes root")
	f.StringVar(&s.part, "part", "", "what to do as this user")
	_ = f.MarkHidden("part")
	return c
}

func (s *setup) run(ctx context.Context) error {
	if s.database == "" {
		return noDatabase()
	}
	switch s.part {
	case databasePart:
		return s.makeDatabase(ctx, localAdministrator(s.database))
	case installationPart:
		return s.makeInstallation(ctx)
	}
	if s.keeps {
		if err := s.keepPublic(); err != nil {
			return err
		}
	}
	if s.administrator == "" && os.Geteuid() == 0 {
		for _, one := range []struct{ part, user string }{{databasePart, databaseUser}, {installationPart, installationUser}} {
			if err := s.doAs(ctx, one.user, one.part); err != nil {
				return fmt.Errorf("as user %s: %w", one.user, err)
			}
		}
		return s.start(ctx)
	}
	if err := s.makeDatabase(ctx, cmp.Or(s.administrator, localAdministrator(s.database))); err != nil {
		return err
	}
	return s.makeInstallation(ctx)
}

// publicLine is where a settings file says the address from outside, or has it
// as a comment.
var publicLine = regexp.MustCompile(`(?m)^#?[ \t]*public-url:.*$`)

// keepPublic writes the address from outside into the settings file, so that
// the service is told it, too.
func (s *setup) keepPublic() error {
	raw, err := os.ReadFile(fromFile.path)
	if err != nil {
		return fmt.Errorf("--public-url is for the settings file: %w", err)
	}
	line := "public-url: " + strconv.Quote(s.public)
	text := publicLine.ReplaceAllLiteralString(string(raw), line)
	if text == string(raw) && !strings.Contains(text, line) {
		text += line + "\n"
	}
	if values, err := parseSettings([]byte(text)); err != nil || values[setPublic.name] != s.public {
		return fmt.Errorf("--public-url can't be written into %s; write it there by hand", fromFile.path)
	}
	if err := os.WriteFile(fromFile.path, []byte(text), 0o640); err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s says that people reach it at %s\n", fromFile.path, s.public)
	return nil
}

// doAs does a part of it in a process of another user of this computer.
func (s *setup) doAs(ctx context.Context, user, part string) error {
	program, err := os.Executable()
	if err != nil {
		return err
	}
	c := exec.CommandContext(ctx, program, "setup", "--part", part)
	if err := runAs(c, user); err != nil {
		return err
	}
	// In the environment, since others can read what stands on a line.
	c.Env = []string{
		"PATH=" + os.Getenv("PATH"), "ROSTER_CONFIG=", setDatabase.env + "=" + s.database, setSecretFile.env + "=" + s.secret,
		setPublic.env + "=" + s.public, setListen.env + "=" + s.listen,
	}
	c.Dir, c.Stdout, c.Stderr = "/", s.out, os.Stderr
	return c.Run()
}

// start starts the service now and with the computer, where systemd runs.
func (s *setup) start(ctx context.Context) error {
	if _, err := os.Stat("/run/systemd/system"); err != nil {
		fmt.Fprintf(s.out, "systemd does not run here; start it with: setpriv --reuid=%[1]s --regid=%[1]s --init-groups roster serve\n", installationUser)
		return nil
	}
	for _, args := range [][]string{{"enable", "roster.service"}, {"restart", "roster.service"}} {
		if out, err := exec.CommandContext(ctx, "systemctl", args...).CombinedOutput(); err != nil {
			return fmt.Errorf("systemctl %s: %w: %s", strings.Join(args, " "), err, out)
		}
	}
	fmt.Fprintln(s.out, "the service roster runs; journalctl -u roster has what it says")
	return nil
}

func (s *setup) makeDatabase(ctx context.Context, administrator string) error {
	said, err := store.CreateDatabase(ctx, administrator, s.database)
	for _, line := range said {
		fmt.Fprintln(s.out, line)
	}
	return err
}

// makeInstallation makes the secret, the tables and the first keeper's link.
func (s *setup) makeInstallation(ctx context.Context) error {
	_, err := os.Stat(s.secret)
	missing := errors.Is(err, os.ErrNotExist)
	if _, err := server.ReadSecret(s.secret); err != nil {
		return err
	}
	if missing {
		fmt.Fprintf(s.out, "made the installation's secret in %s\n", s.secret)
	} else {
		fmt.Fprintf(s.out, "the installation's secret is in %s\n", s.secret)
	}
	st, err := store.New(ctx, s.database)
	if err != nil {
		return usageError{err}
	}
	defer st.Close()
	if err := st.Migrate(ctx); err != nil {
		return fmt.Errorf("the database can't be brought up to date: %w", err)
	}
	fmt.Fprintln(s.out, "the database is up to date")
	path, err := server.InviteFirstKeeper(ctx, st)
	if err != nil {
		return err
	}
	if path == "" {
		fmt.Fprintln(s.out, "there is a keeper: whoever is to join gets a link from them, under People")
		return nil
	}
	fmt.Fprintf(s.out, "the first keeper chooses a login and a password here, within two weeks:\n\n    %s%s\n\n", s.publicURL(s.listen), path)
	return nil
}
