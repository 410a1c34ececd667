package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roster/bench/adb"
	"roster/demo"
	"roster/phone"
	"roster/server"
	"roster/store"
)

func demoCommand() *cobra.Command {
	var s settings
	var listen string
	c := &cobra.Command{
		Use:     "demo",
		Short:   "Serve the sample world, with a stand-in phone attached",
		Long:    "Fills an empty database with the sample world, starts the stand-in phones, attaches them to the adb server and serves. A database that has people in it is left as it is.",
		Example: "  ROSTER_DATABASE_URL=postgres://roster@127.0.0.1/demo roster demo",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			var people []server.DemoSignIn
			for _, p := range demo.SignIns() {
				people = append(people, server.DemoSignIn(p))
			}
			return s.serve(c.Context(), people, func(ctx context.Context, st *store.Store, secret server.Secret) error {
				err := demo.Seed(ctx, demo.Installation{Store: st, HashPassword: server.HashPassword, PhoneHash: secret.PhoneHash,
					Signer: func(ctx context.Context) (store.Sign, error) { return server.Signer(ctx, st, secret) }})
				if err != nil {
					return fmt.Errorf("sample world: %w", err)
				}
				if err := s.attach(ctx, listen); err != nil {
					return err
				}
				s.welcome()
				return nil
			})
		},
	}
	s.flags(c)
	c.Flags().StringVar(&listen, "phone", env("ROSTER_DEMO_PHONE", "127.0.0.1:5701"), "address on which the stand-in phone listens")
	return c
}

// attach starts the sample phone and makes the adb server connect to it.
func (s *settings) attach(ctx context.Context, listen string) error {
	scenario, err := phone.Load(demo.World, "phones/lyra-5-desk.yaml")
	if err != nil {
		return err
	}
	address, err := phone.New(scenario, logger()).Listen(ctx, listen)
	if err != nil {
		return fmt.Errorf("stand-in phone: %w; choose another address with --phone", err)
	}
	client := &adb.Client{Address: s.adb}
	if err := client.Start(ctx, s.adbProgram); err != nil {
		return fmt.Errorf("%w; install Debian's package adb, or name the program with --adb-program", err)
	}
	connect, cancel := context.WithTimeout(ctx, 15*time.Second)
	defer cancel()
	// The server may still hold the phone of an earlier start, as offline.
	var refused *adb.ServerError
	if err := client.Disconnect(connect, address); err != nil && !errors.As(err, &refused) {
		return fmt.Errorf("stand-in phone: %w", err)
	}
	if _, err := client.Connect(connect, address); err != nil {
		return fmt.Errorf("stand-in phone: %w", err)
	}
	return nil
}

func (s *settings) welcome() {
	var b strings.Builder
	fmt.Fprintf(&b, "\nRoster is at http://%s/ with the sample world. Public releases: http://%s/r\n\n", s.listen, s.listen)
	for _, p := range demo.SignIns() {
		fmt.Fprintf(&b, "  %-12s password %s\n", p.Login, p.Password)
	}
	fmt.Fprintln(os.Stdout, b.String())
}
