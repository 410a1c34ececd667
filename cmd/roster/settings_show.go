package main

import (
	"errors"
	"fmt"
	"text/tabwriter"

	"github.com/spf13/cobra"
)

// noDatabase says that a command needs a database and was told none.
func noDatabase() error {
	if fromFile.withheld {
		return usageError{fmt.Errorf("no database: %s tells which, but this user may not read it; say sudo -u roster before the command", fromFile.path)}
	}
	return usageError{errors.New("no database: set ROSTER_DATABASE_URL or --database, such as postgres://roster@127.0.0.1:5432/roster")}
}

func settingsCommand() *cobra.Command {
	var markdown bool
	c := &cobra.Command{
		Use:   "settings",
		Short: "Show every setting, what it is here, and where that comes from",
		Long: `Each setting can be said by a flag, in the environment or in the settings file
(` + defaultSettingsFile + `, or the file that ROSTER_CONFIG names); the first of them that says it counts.`,
		Example: "  roster settings\n  sudo -u roster roster settings",
		Args:    noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if markdown {
				writeSettingsMarkdown(c.OutOrStdout())
				return nil
			}
			if fromFile.withheld {
				fmt.Fprintf(c.ErrOrStderr(), "%s can't be read by this user; say sudo -u roster before the command\n", fromFile.path)
			}
			w := tabwriter.NewWriter(c.OutOrStdout(), 0, 8, 2, ' ', 0)
			writeSettings(w)
			return w.Flush()
		},
	}
	c.Flags().BoolVar(&markdown, "markdown", false, "as the table of docs/settings.md, with defaults alone")
	return c
}
