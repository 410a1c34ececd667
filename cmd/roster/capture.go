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
	c := &cobra.Command{
		Use:     "capture",
		Short:   "Ask an attached phone what it has, into one file",
		Example: "  roster capture --phone 127.0.0.1:5701 --output lyra.json",
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
	c.Flags().StringVar(&address, "adb", env("ROSTER_ADB", adb.DefaultAddress), "address of the adb server (ROSTER_ADB)")
	c.Flags().StringVar(&serial, "phone", "", "the phone, as adb devices names it; not needed where one is attached")
	c.Flags().StringVarP(&output, "output", "o", "-", "file to write, - for standard output")
	return c
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
		if serial == d.Serial && !seen.Ready {
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
		return "", errors.New("no usable phone is attached; see: adb devices -l")
	case len(usable) > 1:
		return "", usageError{fmt.Errorf("several phones are attached: choose one with --phone (%v)", usable)}
	}
	return usable[0], nil
}

func readCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "read FILE...",
		Short:   "Read saved outputs of one phone and print what they say as JSON",
		Long:    "Reads outputs of getprop, pm list packages and dumpsys package, finding out what each file is. Facts go to standard output, lines that were not understood to standard error.",
		Example: "  roster read getprop.txt dumpsys-package.txt > facts.json",
		Args:    wantArgs(1, 100, "one or more files"),
		RunE: func(c *cobra.Command, args []string) error {
			var files []android.Source
			for _, name := range args {
				data, err := os.ReadFile(name)
				if err != nil {
					return usageError{err}
				}
				files = append(files, android.TextSource(name, data))
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
