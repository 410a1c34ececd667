package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roster/core/wording"
	"roster/store"
	"roster/store/exchange"
)

// openStore connects to a database and brings it up to date.
func openStore(c *cobra.Command, database string) (*store.Store, error) {
	if database == "" {
		return nil, noDatabase()
	}
	st, err := store.New(c.Context(), database)
	if err != nil {
		return nil, usageError{err}
	}
	if err := st.Migrate(c.Context()); err != nil {
		st.Close()
		return nil, fmt.Errorf("the database: %w", err)
	}
	return st, nil
}

func exportCommand() *cobra.Command {
	var database, folder, public string
	var follow bool
	c := &cobra.Command{
		Use: "export FILE | export --site FOLDER", Short: "Write the whole catalogue into a file: JSON, or CSV tables in a .zip; or all public pages into a folder",
		Example: "  roster export catalogue.json\n  roster export catalogue.zip\n  roster export --site public --public-url https://roster.example\n" +
			"  roster export --site /var/www/roster --follow",
		Args: wantArgs(0, 1, "one file, or none with --site"),
		RunE: func(c *cobra.Command, args []string) error {
			if (folder == "") == (len(args) == 0) {
				return usageError{fmt.Errorf("name a file for the catalogue, or a folder for the public pages with --site")}
			}
			if follow && folder == "" {
				return usageError{fmt.Errorf("--follow goes with --site")}
			}
			st, err := openStore(c, database)
			if err != nil {
				return err
			}
			defer st.Close()
			if folder != "" {
				return exportSite(c, st, folder, public, follow)
			}
			// Half a file must never stand where a whole one stood.
			file, err := os.CreateTemp(filepath.Dir(args[0]), ".roster-export-*")
			if err != nil {
				return usageError{err}
			}
			defer os.Remove(file.Name())
			write := exchange.WriteJSON
			if strings.HasSuffix(strings.ToLower(args[0]), ".zip") {
				write = exchange.WriteZip
			}
			if err := write(c.Context(), st, time.Now(), file); err != nil {
				return err
			}
			if err := file.Close(); err != nil {
				return err
			}
			if err := os.Rename(file.Name(), args[0]); err != nil {
				return err
			}
			return st.Record(c.Context(), store.Act{Action: "catalogue.exported", Subject: store.CatalogueFormat})
		},
	}
	c.Flags().StringVar(&folder, "site", "", "write all public pages, scripts, feeds and keys into this folder, for any static host: what is new or has changed")
	c.Flags().BoolVar(&follow, "follow", false, "with --site, stay, and do so whenever anything public has changed")
	setPublic.flag(c.Flags(), &public)
	flagDatabase(c.Flags(), &database)
	return c
}

func importCommand() *cobra.Command {
	var database string
	c := &cobra.Command{
		Use: "import FILE", Short: "Bring an exported catalogue into an empty installation", Example: "  roster import catalogue.json\n  echo 'a long password' | roster person password tove", Args: wantArgs(1, 1, "one file"),
		RunE: func(c *cobra.Command, args []string) error {
			file, err := os.Open(args[0])
			if err != nil {
				return usageError{err}
			}
			defer file.Close()
			info, err := file.Stat()
			if err != nil {
				return usageError{err}
			}
			st, err := openStore(c, database)
			if err != nil {
				return err
			}
			defer st.Close()
			if err := exchange.Read(c.Context(), st, file, info.Size()); err != nil {
				return fmt.Errorf("%w; nothing was written", err)
			}
			fmt.Fprintln(c.OutOrStdout(), "the catalogue is in; its people have no passwords yet: roster person password LOGIN")
			return nil
		},
	}
	flagDatabase(c.Flags(), &database)
	return c
}

func auditCommand() *cobra.Command {
	var database, head string
	c := &cobra.Command{
		Use: "audit", Short: "Check that the record of who did what holds together",
		Example: "  roster audit\n  roster audit --head 3f9c…   # a hash noted earlier: nothing may be cut off after it", Args: noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			st, err := openStore(c, database)
			if err != nil {
				return err
			}
			defer st.Close()
			proof, err := st.CheckAudit(c.Context(), head)
			if err != nil {
				return err
			}
			if proof.Wrong != "" {
				return fmt.Errorf("the record does NOT hold together: %s", proof.Wrong)
			}
			entries := wording.Count(int(proof.Entries), "entry", "entries")
			fmt.Fprintf(c.OutOrStdout(), "%s, unbroken; the newest has the hash\n%s\n"+
				"Keep it elsewhere: --head tells later whether anything was cut off.\n", entries, proof.Head)
			return nil
		},
	}
	flagDatabase(c.Flags(), &database)
	c.Flags().StringVar(&head, "head", "", "a hash that has to be in the record")
	return c
}
