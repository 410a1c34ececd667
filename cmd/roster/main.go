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
	"strconv"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
)

// version is set when a release is built.
var version = "0.1.0"

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
	c := &cobra.Command{
		Use:           "roster",
		Short:         "Keep, prove and publish what can be taken off Android phones",
		SilenceErrors: true,
		SilenceUsage:  true,
	}
	c.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	c.AddCommand(serveCommand(), demoCommand(), phoneCommand(), benchCommand(), captureCommand(), readCommand(), renderCommand(), verifyCommand(), sendCommand(), exportCommand(), importCommand(), personCommand(), auditCommand(), openapiCommand(),
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

// env is the value of a setting from the environment, or its default.
func env(key, fallback string) string {
	if v, ok := os.LookupEnv(key); ok {
		return v
	}
	return fallback
}

// envNumber is the number that a setting has in the environment, or its
// default. One that is no number is told when flags are read: it stands for -1.
func envNumber(key string, fallback int) int {
	v, ok := os.LookupEnv(key)
	if !ok {
		return fallback
	}
	n, err := strconv.Atoi(v)
	if err != nil {
		return -1
	}
	return n
}

// logger writes for people at a terminal, as JSON where ROSTER_LOG asks.
func logger() *slog.Logger {
	options := &slog.HandlerOptions{Level: slog.LevelInfo}
	setting := env("ROSTER_LOG", "info")
	if strings.Contains(setting, "debug") {
		options.Level = slog.LevelDebug
	}
	if strings.Contains(setting, "json") {
		return slog.New(slog.NewJSONHandler(os.Stderr, options))
	}
	return slog.New(slog.NewTextHandler(os.Stderr, options))
}
