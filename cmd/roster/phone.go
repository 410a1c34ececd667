package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roster/bench"
	"roster/demo"
	"roster/phone"
)

func phoneCommand() *cobra.Command {
	var listen, scenario, hand string
	c := &cobra.Command{
		Use:   "phone",
		Short: "Run a stand-in phone that adb can connect to",
		Long: `Runs a simulated phone that speaks adb's protocol. What it has and how it behaves
is told by a scenario file; the sample world's are named by their file alone.
Its hand, on a port of its own, does what the hand of whoever holds it would do:
see roster phone do --help.`,
		Example: "  roster phone --listen 127.0.0.1:5701 --hand 127.0.0.1:5801 --scenario phones/lyra-5-desk.yaml\n  adb connect 127.0.0.1:5701\n  roster phone do unplug",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := loadScenario(scenario)
			if err != nil {
				return err
			}
			p := phone.New(s, logger())
			ln, err := net.Listen("tcp", listen)
			if err != nil {
				return err
			}
			control, err := serveHand(c.Context(), p, hand)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s listens on %s, its hand on %s; attach it with: adb connect %s\n", s.Name, ln.Addr(), control, ln.Addr())
			return p.Serve(c.Context(), ln)
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:5701", "address to listen on")
	c.Flags().StringVar(&scenario, "scenario", "phones/lyra-5-desk.yaml", "scenario file")
	c.PersistentFlags().StringVar(&hand, "hand", "127.0.0.1:5801", "address of its hand")
	c.AddCommand(handCommand(&hand), filesCommand())
	return c
}

func filesCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "files FOLDER",
		Short: "Write package files that the sample world's releases put in",
		Long: "Writes small made-up package files into a folder, for trying releases that put something in: " +
			"a home screen in two parts, and a keyboard. Only stand-ins take them.",
		Example: "  roster phone files .run/put-in",
		Args:    wantArgs(1, 1, "a folder"),
		RunE: func(c *cobra.Command, args []string) error {
			written, err := phone.WriteFiles(demo.World, demo.PutIn, args[0])
			for _, name := range written {
				fmt.Fprintln(c.OutOrStdout(), name)
			}
			return err
		},
	}
}

// serveHand lets a stand-in's hand be led over HTTP on loopback.
func serveHand(ctx context.Context, p *phone.Phone, address string) (string, error) {
	ln, err := net.Listen("tcp", address)
	if err != nil {
		return "", fmt.Errorf("a stand-in's hand: %w", err)
	}
	h := &http.Server{Handler: p.Hand(), ReadHeaderTimeout: 5 * time.Second}
	go h.Serve(ln)
	context.AfterFunc(ctx, func() { h.Close() })
	return ln.Addr().String(), nil
}

// loadScenario reads a scenario file, or one of the sample world's by its name
// there.
func loadScenario(name string) (*phone.Scenario, error) {
	if _, err := os.Stat(name); err == nil {
		return phone.Load(os.DirFS(filepath.Dir(name)), filepath.Base(name))
	}
	return phone.Load(demo.World, name)
}

func handCommand(hand *string) *cobra.Command {
	var actions strings.Builder
	for _, a := range phone.Actions {
		fmt.Fprintf(&actions, "  %-9s %s\n", a.Word, a.Does)
	}
	return &cobra.Command{
		Use:     "do ACTION [WITH]",
		Short:   "Do to a stand-in what a hand would do",
		Long:    "Does to a running stand-in what the hand of whoever holds it would do, and prints how it is then:\n\n" + actions.String(),
		Example: "  roster phone do accept\n  roster phone do open com.brannock.wallet.core\n  roster phone do loosen 3 --hand 127.0.0.1:5803",
		Args:    wantArgs(1, 2, "an action, and for some of them a number or a package"),
		RunE: func(c *cobra.Command, args []string) error {
			if !phone.Known(args[0]) {
				return usageError{fmt.Errorf("%q is no action; see roster phone do --help", args[0])}
			}
			condition, err := bench.HandAt{Control: *hand}.Do(c.Context(), args[0], strings.Join(args[1:], ""))
			if err != nil {
				return err
			}
			e := json.NewEncoder(c.OutOrStdout())
			e.SetIndent("", "  ")
			return e.Encode(condition)
		},
	}
}
