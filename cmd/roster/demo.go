package main

import (
	"cmp"
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"roster/bench"
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
		Short:   "Serve the sample world, with stand-in phones attached",
		Long:    "Fills an empty database with the sample world, starts the stand-in phones, attaches them to the adb server and serves. A database that has people in it is left as it is.",
		Example: "  ROSTER_DATABASE_URL=postgres://roster@127.0.0.1/demo roster demo",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			var people []server.DemoSignIn
			for _, p := range demo.SignIns() {
				people = append(people, server.DemoSignIn(p))
			}
			world := sample{signIns: people, welcome: welcome}
			world.prepare = func(ctx context.Context, st *store.Store, secret server.Secret) error {
				err := demo.Seed(ctx, sampleOf(st, secret, server.DefaultPasswordCost.Hash))
				if err != nil {
					return fmt.Errorf("sample world: %w", err)
				}
				return s.attach(ctx, listen)
			}
			return s.serve(c.Context(), &world)
		},
	}
	s.flags(c)
	c.Flags().StringArrayVar(&s.loosePhones, "loose-phone", demo.LoosePhones, "scenario file of a stand-in for browsers to attach")
	c.Flags().StringVar(&listen, "phone", cmp.Or(os.Getenv("ROSTER_DEMO_PHONE"), "127.0.0.1:5701"),
		"address on which the first stand-in phone listens; the others take the ports after it")
	return c
}

// sampleOf is an installation for the sample world, with passwords hashed so.
func sampleOf(st *store.Store, secret server.Secret, hash func(string) (string, error)) demo.Installation {
	return demo.Installation{Store: st, HashPassword: hash, PhoneHash: secret.PhoneHash, Signer: func(ctx context.Context) (store.Sign, error) {
		return server.Signer(ctx, st, secret)
	}}
}

// nobodys is the hash of no password: who has it gets one by a keeper's link.
func nobodys(string) (string, error) { return "", nil }

// attach starts the sample phones: the first on the given address, the others
// on the ports after it, each on the next that is free. The server reaches
// them by itself, but those that are for browsers.
func (s *settings) attach(ctx context.Context, listen string) error {
	if err := s.canServeADB(ctx); err != nil {
		return err
	}
	host, text, err := net.SplitHostPort(listen)
	port, portErr := strconv.Atoi(text)
	if err != nil || portErr != nil {
		return usageError{fmt.Errorf("--phone %q: want an address with a port", listen)}
	}
	start := func(file string) (bench.HandAt, error) {
		scenario, err := loadScenario(file)
		if err != nil {
			return bench.HandAt{}, err
		}
		ln, _, err := listenFrom(net.JoinHostPort(host, strconv.Itoa(port)))
		if err != nil {
			return bench.HandAt{}, fmt.Errorf("stand-in phone: %w; choose other ports with --phone", err)
		}
		if port != 0 {
			port = ln.Addr().(*net.TCPAddr).Port + 1
		}
		p := phone.New(scenario, logger())
		go p.Serve(ctx, ln)
		control, err := serveHand(ctx, p, net.JoinHostPort(host, "0"))
		return bench.HandAt{Address: ln.Addr().String(), Control: control}, err
	}
	for _, file := range demo.Phones {
		one, err := start(file)
		if err != nil {
			return err
		}
		s.hands = append(s.hands, one)
	}
	for _, file := range s.loosePhones {
		one, err := start(file)
		if err != nil {
			return err
		}
		s.loose = append(s.loose, one)
	}
	return nil
}

// canServeADB makes sure that there is an adb server, or a program to start
// one with: the sample world is nothing without its phones.
func (s *settings) canServeADB(ctx context.Context) error {
	client := &adb.Client{Address: s.adb}
	if _, err := client.Version(ctx); s.adb == "" || err == nil {
		return nil
	}
	if _, err := exec.LookPath(s.adbProgram); err != nil {
		return fmt.Errorf("%w; install Debian's package adb, or name the program with --adb-program", err)
	}
	return nil
}

func welcome(address string) {
	var b strings.Builder
	fmt.Fprintf(&b, "\nRoster is at http://%[1]s/ with the sample world. Public releases: http://%[1]s/r\n\n", address)
	for _, p := range demo.SignIns() {
		fmt.Fprintf(&b, "  %-12s password %s\n", p.Login, p.Password)
	}
	fmt.Fprintln(os.Stdout, b.String())
}
