package main

import (
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"roster/bench"
	"roster/bench/adb"
	"roster/bench/services"
)

func benchCommand() *cobra.Command {
	var server, token, address, program, backups, journals string
	var hands []string
	c := &cobra.Command{
		Use:   "bench",
		Short: "Offer the phones of this computer to a server",
		Long: `Links this computer to a server: its phones appear on the server's Bench page, and
captures that people ask for there are taken here. It comes back by itself after every
interruption, and does nothing but what Roster defines: no command can be sent to it.
The token is made on the Bench page, and can be revoked there.`,
		Example: "  ROSTER_BENCH_TOKEN=roster-bench-… roster bench --server https://roster.example\n  roster bench phones\n  roster bench run brannock/lyra-5/short-loan --rehearse",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if server == "" || token == "" {
				return usageError{errors.New("a bench needs --server and --token (or ROSTER_SERVER and ROSTER_BENCH_TOKEN); to see what is attached: roster bench phones")}
			}
			list, err := parseHands(hands)
			if err != nil {
				return usageError{err}
			}
			key := sha256.Sum256([]byte("handles " + token))
			link := &bench.Link{
				Wire:     bench.HTTP{Server: server, Token: token},
				Log:      logger(),
				Journals: bench.Folder(journals),
				Station: bench.NewStation(bench.Setup{
					Host: &adb.Client{Address: address, Program: program}, Key: key[:], Hands: bench.Hands(list),
					Saves: bench.Folder(backups), Scratch: bench.Scratch, Log: logger(),
				}),
			}
			return link.Run(c.Context())
		},
	}
	f := c.Flags()
	setServer.flag(f, &server)
	setBenchToken.flagNamed(f, "token", &token)
	f.StringArrayVar(&hands, "stand-in", nil, "a stand-in phone: ADB-ADDRESS=HAND-ADDRESS, as roster phone prints them")
	setBackups.flag(f, &backups)
	setJournals.flag(f, &journals)
	setADB.flag(c.PersistentFlags(), &address)
	setADBProgram.flag(c.PersistentFlags(), &program)
	c.AddCommand(phonesCommand(&address, &program), runCommand(), measureCommand(), continueCommand(), putBackCommand())
	return c
}

func parseHands(list []string) ([]bench.HandAt, error) {
	var hands []bench.HandAt
	for _, h := range list {
		phone, control, ok := strings.Cut(h, "=")
		if !ok {
			return nil, fmt.Errorf("--stand-in %q: want ADB-ADDRESS=HAND-ADDRESS", h)
		}
		hands = append(hands, bench.HandAt{Address: phone, Control: control})
	}
	return hands, nil
}

// attached is a phone as the command line shows it.
type attached struct {
	Serial string `json:"serial"`
	bench.Phone
}

func phonesCommand(address, program *string) *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:     "phones",
		Short:   "Show the phones attached to this computer, and what to do about each",
		Example: "  roster bench phones\n  roster bench phones --json",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			client := &adb.Client{Address: *address, Program: *program}
			devices, err := client.Devices(c.Context())
			if errors.Is(err, services.ErrNoHost) && client.Start(c.Context()) == nil {
				devices, err = client.Devices(c.Context())
			}
			if err != nil {
				wrong, next := bench.Trouble(err)
				return fmt.Errorf("%s %s", wrong, next)
			}
			list := make([]attached, len(devices))
			ready := 0
			for i, d := range devices {
				list[i] = attached{d.Serial, bench.See(d)}
				if list[i].Ready {
					ready++
				}
			}
			out := c.OutOrStdout()
			if asJSON {
				e := json.NewEncoder(out)
				e.SetIndent("", "  ")
				if err := e.Encode(list); err != nil {
					return err
				}
			} else {
				w := tabwriter.NewWriter(out, 0, 8, 2, ' ', 0)
				for _, p := range list {
					state := "ready"
					if !p.Ready {
						state = p.Wrong + ". " + p.Next
					}
					fmt.Fprintf(w, "%s\t%s\t%s\n", p.Serial, p.Name, state)
				}
				w.Flush()
			}
			switch {
			case len(list) == 0:
				return fmt.Errorf("no phone is attached. What to try:\n  - %s", strings.Join(bench.NoneSeen, "\n  - "))
			case ready == 0:
				return errors.New("no phone is ready")
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}
