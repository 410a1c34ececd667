package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"roster/bench"
	"roster/bench/adb"
	"roster/core/android"
)

func captureCommand() *cobra.Command {
	var address, serial, output string
	var names bool
	c := &cobra.Command{
		Use:   "capture",
		Short: "Ask an attached phone what it has, into one file",
		Long: `Asks an attached phone what it has and writes one portable capture file, which can be
sent in later on the Bench page. It is open JSON; its schema is served at
/schema/capture.json. It holds no serial number.`,
		Example: "  roster capture --phone 127.0.0.1:5701 --output lyra.json\n  roster capture --names --output lyra.json",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			client := &adb.Client{Address: address}
			serial, err := onePhone(c, client, serial)
			if err != nil {
				return err
			}
			capture, asking := bench.Capture(c.Context(), client, serial, func(p bench.Progress) {
				fmt.Fprintf(c.ErrOrStderr(), "%d of %d: %s\n", p.Step, p.Steps, p.Asking)
			})
			if capture == nil {
				return asking
			}
			if names && asking == nil {
				asking = addNames(c, client, serial, capture)
			}
			out := c.OutOrStdout()
			if output != "-" {
				file, err := os.Create(output)
				if err != nil {
					return err
				}
				defer file.Close()
				out = file
			}
			if err := writeCapture(out, c.ErrOrStderr(), capture); err != nil {
				return err
			}
			return asking
		},
	}
	setADB.flag(c.Flags(), &address)
	c.Flags().StringVar(&serial, "phone", "", "the phone, as adb devices names it; not needed where one is attached")
	c.Flags().BoolVar(&names, "names", false, "also read what each package is called, from its file; this takes a while")
	c.Flags().StringVarP(&output, "output", "o", "-", "file to write, - for standard output")
	return c
}

// addNames reads the package files of everything that is installed.
func addNames(c *cobra.Command, client *adb.Client, serial string, capture *android.Capture) error {
	var wanted []bench.Wanted
	at := map[android.PackageName]int{}
	for i, p := range capture.Packages {
		if at[p.Name] = i; p.Installed {
			wanted = append(wanted, bench.Wanted{Name: p.Name, VersionCode: p.VersionCode, Signer: p.Signer})
		}
	}
	return bench.ReadNames(c.Context(), client, serial, bench.Scratch, wanted, func(i int, n bench.Named) error {
		if n.Problem != "" {
			fmt.Fprintf(c.ErrOrStderr(), "%s: %s\n", n.Name, n.Problem)
		} else if len(n.Labels) > 0 {
			capture.Packages[at[n.Name]].Labels = n.Labels
		}
		if (i+1)%20 == 0 || i+1 == len(wanted) {
			fmt.Fprintf(c.ErrOrStderr(), "names: %d of %d\n", i+1, len(wanted))
		}
		return nil
	})
}

// onePhone picks the phone to use and says what is wrong with it otherwise.
func onePhone(c *cobra.Command, client *adb.Client, serial string) (string, error) {
	devices, err := client.Devices(c.Context())
	if err != nil {
		wrong, next := bench.Trouble(err)
		return "", fmt.Errorf("%s %s", wrong, next)
	}
	var usable []string
	for _, d := range devices {
		seen := bench.See(d)
		if !seen.Ready && (serial == d.Serial || serial == "" && len(devices) == 1) {
			return "", fmt.Errorf("%s %s. %s", d.Serial, seen.Wrong, seen.Next)
		}
		if seen.Ready {
			usable = append(usable, d.Serial)
			if serial == d.Serial {
				return serial, nil
			}
		}
	}
	switch {
	case serial != "":
		return "", fmt.Errorf("no phone %q is attached", serial)
	case len(usable) == 0:
		return "", errors.New("no usable phone is attached; see: roster bench phones")
	case len(usable) > 1:
		return "", usageError{fmt.Errorf("several phones are attached: choose one with --phone (%v)", usable)}
	}
	return usable[0], nil
}

func readCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "read FILE...",
		Short: "Read saved outputs of one phone and print what they say as JSON",
		Long: `Reads any mixture of a phone's outputs, loose, pasted together or in a zip, a complete
bug report, or a capture file, finding out what each is. Of a bug report only the sections
that are needed are read. Facts go to standard output, in the form of a capture file; lines
that were not understood go to standard error.`,
		Example: "  roster read getprop.txt dumpsys-package.txt > facts.json\n  roster read bugreport-lyra5.zip | jq '.packages | length'",
		Args:    wantArgs(1, 100, "one or more files"),
		RunE: func(c *cobra.Command, args []string) error {
			var files []android.Source
			for _, name := range args {
				file, err := os.Open(name)
				if err != nil {
					return usageError{err}
				}
				defer file.Close()
				info, err := file.Stat()
				if err != nil {
					return usageError{err}
				}
				files = append(files, android.Source{Name: name, Size: info.Size(), Data: file})
			}
			capture, err := android.ReadSources(files)
			if err != nil {
				return err
			}
			if err := writeCapture(c.OutOrStdout(), c.ErrOrStderr(), capture); err != nil {
				return err
			}
			if !capture.Complete {
				return fmt.Errorf("incomplete: %s", capture.Missing)
			}
			return nil
		},
	}
}

// writeCapture prints the facts to out and what was not understood to errs.
func writeCapture(out, errs io.Writer, capture *android.Capture) error {
	notes, omitted := capture.Notes()
	for _, n := range notes {
		fmt.Fprintf(errs, "%s, line %d: %s: %s\n", n.Section, n.Line, n.Why, n.Text)
	}
	if omitted > 0 {
		fmt.Fprintf(errs, "and %d more lines that were not understood\n", omitted)
	}
	e := json.NewEncoder(out)
	e.SetIndent("", "  ")
	return e.Encode(capture)
}
