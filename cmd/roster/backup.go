package main

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"roster/core/wording"
	"roster/server"
	"roster/store"
	"roster/store/backup"
)

// installation is what backup and restore are told of the one they are for.
func installation(c *cobra.Command) *backup.Installation {
	i := &backup.Installation{Program: version}
	flagDatabase(c.Flags(), &i.Database)
	setSecretFile.flag(c.Flags(), &i.Secret)
	setBackups.flag(c.Flags(), &i.Saved)
	return i
}

// opens checks that the key that signs releases opens with a secret.
func opens(ctx context.Context, st *store.Store, file string) error {
	secret, err := server.ReadExistingSecret(file)
	if err != nil {
		return err
	}
	return server.CheckKey(ctx, st, secret)
}

func backupCommand() *cobra.Command {
	var keep int
	var check, withoutSecret bool
	c := &cobra.Command{
		Use:   "backup FOLDER",
		Short: "Save the installation: database, secret, and what was saved of phones",
		Long: `Saves the installation into a new folder below FOLDER, named after the time. The server may
run meanwhile. Whoever has such a folder has everything, the secret too: keep it as you keep the
secret, or leave that out with --without-secret and keep it elsewhere.`,
		Example: "  sudo -u roster roster backup /var/backups/roster --keep 14\n  sudo -u roster roster backup /var/backups/roster --check",
		Args:    wantArgs(1, 1, "the folder for backups"),
	}
	i := installation(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		if i.Database == "" {
			return noDatabase()
		}
		out, started := c.OutOrStdout(), time.Now()
		saving := *i
		if withoutSecret {
			saving.Secret = ""
		}
		folder, m, err := backup.Save(c.Context(), saving, args[0], started)
		if err != nil {
			return err
		}
		fmt.Fprintf(out, "%s: %s in %s, taken in %s\n", folder, humanize.IBytes(uint64(m.Size())), wording.Count(len(m.Files), "file"),
			time.Since(started).Round(time.Second/10))
		if check {
			if err := checkBackup(c, folder, *i); err != nil {
				return err
			}
		}
		removed, err := backup.Prune(args[0], keep)
		for _, old := range removed {
			fmt.Fprintf(out, "%s: removed, as the oldest of more than %d\n", old, keep)
		}
		return err
	}
	c.Flags().IntVar(&keep, "keep", 0, "how many backups stay in the folder, the oldest go; 0 for all")
	c.Flags().BoolVar(&check, "check", false, "restore it into a database of its own, check everything there, and drop that")
	c.Flags().BoolVar(&withoutSecret, "without-secret", false, "leave out the secret, because you keep it elsewhere")
	return c
}

func checkBackup(c *cobra.Command, folder string, i backup.Installation) error {
	started := time.Now()
	m, err := backup.Try(c.Context(), folder, i, opens)
	if err != nil {
		return fmt.Errorf("%s does NOT hold: %w", folder, err)
	}
	fmt.Fprintf(c.OutOrStdout(), "%s holds: restored on trial in %s; %s of the record, unbroken; the signing key opens\n",
		folder, time.Since(started).Round(time.Second/10), wording.Count(int(m.Entries), "entry", "entries"))
	return nil
}

func restoreCommand() *cobra.Command {
	var check bool
	c := &cobra.Command{
		Use:   "restore FOLDER",
		Short: "Put a backup in the place of the installation, or check that one could",
		Long: `FOLDER is that of one backup, or one with several, of which the newest is taken. Everything is
checked in a database beside before anything is replaced; the database and secret that stood
there are kept under other names. Stop the server first.`,
		Example: "  sudo systemctl stop roster\n  sudo -u roster roster restore /var/backups/roster\n" +
			"  sudo -u roster roster restore /var/backups/roster/20261130T020000Z --check",
		Args: wantArgs(1, 1, "a backup's folder"),
	}
	i := installation(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		if i.Database == "" {
			return noDatabase()
		}
		folder, err := backup.Find(args[0])
		if err != nil {
			return usageError{err}
		}
		if check {
			return checkBackup(c, folder, *i)
		}
		if i.Secret == "" {
			return usageError{errors.New("say where the secret goes: --secret-file")}
		}
		r, err := backup.Restore(c.Context(), folder, *i, time.Now(), opens)
		if err != nil {
			return err
		}
		out := c.OutOrStdout()
		fmt.Fprintf(out, "restored as it was on %s: %s of the record, unbroken\n", r.At.Format(time.RFC1123), wording.Count(int(r.Entries), "entry", "entries"))
		if r.Files > 0 {
			fmt.Fprintf(out, "%s of phones brought back into %s\n", wording.Count(r.Files, "saved file"), i.Saved)
		}
		if r.Before != "" {
			fmt.Fprintf(out, "the database that stood there is kept as %s; drop it once you are sure\n", r.Before)
		}
		if r.OldSecret != "" {
			fmt.Fprintf(out, "the secret that stood there is kept as %s\n", r.OldSecret)
		}
		return nil
	}
	c.Flags().BoolVar(&check, "check", false, "only restore it into a database of its own, check everything there, and drop that")
	return c
}
