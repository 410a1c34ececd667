// Command roster is the list maintainer's workbench: server, bench, stand-in
// phones and the tools that read captures and write releases.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
)

// version is set when a release is built.
var version = "0.1.0"

// logged is how much is logged, and how; see setLog.
var logged string

// Exit codes: found wrong, and used wrongly.
const (
	exitWrong = 1
	exitUsage = 2
)

// usageError marks errors of the command line itself.
type usageError struct{ error }

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	err := root().ExecuteContext(ctx)
	if err == nil {
		return
	}
	fmt.Fprintln(os.Stderr, "roster:", err)
	var usage usageError
	if errors.As(err, &usage) || strings.HasPrefix(err.Error(), "unknown command") {
		os.Exit(exitUsage)
	}
	os.Exit(exitWrong)
}

func root() *cobra.Command {
	var wrong error
	fromFile, wrong = readSettings(settingsPath())
	c := &cobra.Command{
		Use:           "roster",
		Short:         "Keep, prove and publish what can be taken off Android phones",
		SilenceErrors: true,
		SilenceUsage:  true,
		PersistentPreRunE: func(*cobra.Command, []string) error {
			if wrong != nil {
				return usageError{wrong}
			}
			return nil
		},
	}
	setLog.flag(c.PersistentFlags(), &logged)
	c.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	c.AddCommand(
		serveCommand(), demoCommand(), phoneCommand(), benchCommand(), captureCommand(), readCommand(),
		renderCommand(), verifyCommand(), sendCommand(), exportCommand(), importCommand(), personCommand(),
		auditCommand(), setupCommand(), backupCommand(), restoreCommand(), settingsCommand(), manualCommand(),
		openapiCommand(),
		&cobra.Command{Use: "version", Short: "Print the version", Example: "  roster version", Args: noArgs, Run: func(c *cobra.Command, _ []string) {
			fmt.Fprintln(c.OutOrStdout(), version)
		}})
	return c
}

func noArgs(_ *cobra.Command, args []string) error {
	if len(args) > 0 {
		return usageError{fmt.Errorf("unexpected argument %q", args[0])}
	}
	return nil
}

func wantArgs(least, most int, what string) cobra.PositionalArgs {
	return func(_ *cobra.Command, args []string) error {
		if len(args) < least || len(args) > most {
			return usageError{fmt.Errorf("want %s", what)}
		}
		return nil
	}
}

// logger writes for people at a terminal, as JSON where the settings ask.
func logger() *slog.Logger {
	options := &slog.HandlerOptions{Level: slog.LevelInfo}
	setting := logged
	if strings.Contains(setting, "debug") {
		options.Level = slog.LevelDebug
	}
	if strings.Contains(setting, "json") {
		return slog.New(slog.NewJSONHandler(os.Stderr, options))
	}
	return slog.New(slog.NewTextHandler(os.Stderr, options))
}
