package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roster/bench"
	"roster/server"
	"roster/store"
)

// settings are what serve and demo are told by flags or the environment.
type settings struct {
	listen, database, adb, adbProgram, secret, public, backups string
	standIns                                                   []string
	hands                                                      []bench.Hand
}

func (s *settings) flags(c *cobra.Command) {
	state, err := os.UserConfigDir()
	if err != nil {
		state = "."
	}
	f := c.Flags()
	f.StringVar(&s.listen, "listen", env("ROSTER_LISTEN", "127.0.0.1:8420"), "address to serve on (ROSTER_LISTEN)")
	f.StringVar(&s.public, "public-url", env("ROSTER_PUBLIC_URL", ""), "where people reach it from outside, such as https://roster.example; scripts, QR codes and feeds say so (ROSTER_PUBLIC_URL)")
	f.StringVar(&s.database, "database", env("ROSTER_DATABASE_URL", ""), "address of the PostgreSQL database (ROSTER_DATABASE_URL)")
	f.StringVar(&s.adb, "adb", env("ROSTER_ADB", "127.0.0.1:5037"), "address of the adb server, empty for none (ROSTER_ADB)")
	f.StringVar(&s.adbProgram, "adb-program", env("ROSTER_ADB_PROGRAM", "adb"), "program that starts an adb server where none answers")
	f.StringVar(&s.backups, "backups", env("ROSTER_BACKUPS", stateFolder("backups")), "folder for what is saved of phones attached to this computer (ROSTER_BACKUPS)")
	f.StringArrayVar(&s.standIns, "stand-in", nil, "a stand-in phone: ADB-ADDRESS=HAND-ADDRESS, as roster phone prints them")
	f.StringVar(&s.secret, "secret-file", env("ROSTER_SECRET_FILE", filepath.Join(state, "roster", "secret")), "file with the installation's secret, made when absent (ROSTER_SECRET_FILE)")
}

// stateFolder is where this user's programs keep what they make, by the XDG
// base directory specification.
func stateFolder(name string) string {
	base := os.Getenv("XDG_STATE_HOME")
	if base == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			home = "."
		}
		base = filepath.Join(home, ".local", "state")
	}
	return filepath.Join(base, "roster", name)
}

func serveCommand() *cobra.Command {
	var s settings
	c := &cobra.Command{
		Use:     "serve",
		Short:   "Serve the workbench, the API and the public pages",
		Example: "  ROSTER_DATABASE_URL=postgres://roster@127.0.0.1/roster roster serve",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return s.serve(c.Context(), nil, nil)
		},
	}
	s.flags(c)
	return c
}

// serve runs a server until ctx ends; prepare runs first, with the database
// brought up to date.
func (s *settings) serve(ctx context.Context, demo []server.DemoSignIn, prepare func(context.Context, *store.Store, server.Secret) error) error {
	if s.database == "" {
		return usageError{errors.New("no database: set ROSTER_DATABASE_URL or --database, such as postgres://roster@127.0.0.1:5432/roster")}
	}
	log := logger()
	hands, err := parseHands(s.standIns)
	if err != nil {
		return usageError{err}
	}
	secret, err := server.ReadSecret(s.secret)
	if err != nil {
		return err
	}
	st, err := store.New(ctx, s.database)
	if err != nil {
		return err
	}
	defer st.Close()
	if prepare != nil {
		if err := st.Migrate(ctx); err != nil {
			return fmt.Errorf("the database can't be brought up to date: %w", err)
		}
		if err := prepare(ctx, st, secret); err != nil {
			return err
		}
	}
	ln, err := net.Listen("tcp", s.listen)
	if err != nil {
		return fmt.Errorf("%w; choose another address with --listen", err)
	}
	srv := server.New(server.Config{Store: st, Secret: secret, Log: log, ADB: s.adb, ADBProgram: s.adbProgram, StandIns: append(hands, s.hands...), Version: version, Demo: demo, Backups: s.backups, PublicURL: s.publicURL()})
	h := &http.Server{Handler: srv, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
	log.Info("serving", "address", "http://"+ln.Addr().String())
	failed := make(chan error, 1)
	go func() { failed <- h.Serve(ln) }()
	select {
	case err := <-failed:
		srv.Close()
		return err
	case <-ctx.Done():
	}
	log.Info("stopping")
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	srv.Close() // ends event streams, which Shutdown would wait for
	return h.Shutdown(end)
}

// publicURL is where people reach the installation; where nobody said, the
// address that it listens on.
func (s *settings) publicURL() string {
	if s.public != "" {
		return strings.TrimRight(s.public, "/")
	}
	return "http://" + s.listen
}
