package main

import (
	"os"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// manualCommand writes the manual's pages, for packages.
func manualCommand() *cobra.Command {
	return &cobra.Command{
		Use: "manual FOLDER", Short: "Write the manual's pages, as man reads them, into a folder", Example: "  roster manual man", Args: wantArgs(1, 1, "a folder"),
		RunE: func(c *cobra.Command, args []string) error {
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return usageError{err}
			}
			// A page says nothing of when it was made.
			c.Root().DisableAutoGenTag = true
			head := &doc.GenManHeader{Title: "ROSTER", Section: "1", Source: "Roster " + version, Manual: "Roster", Date: new(time.Unix(0, 0))}
			return doc.GenManTree(c.Root(), head, args[0])
		},
	}
}
