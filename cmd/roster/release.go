package main

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"aead.dev/minisign"
	"github.com/spf13/cobra"

	"roster/core/profile"
	"roster/core/render"
	"roster/core/wording"
)

// forms are what a release can be written as.
var forms = map[string]func(*profile.Document, render.About) ([]byte, error){
	"sh": render.Shell, "undo.sh": render.ShellUndo, "phone.sh": render.PhoneShell, "phone.undo.sh": render.PhoneShellUndo,
	"ps1": render.PowerShell, "undo.ps1": render.PowerShellUndo, "bat": render.Batch, "undo.bat": render.BatchUndo,
	"txt":      func(d *profile.Document, _ render.About) ([]byte, error) { return render.Names(d), nil },
	"undo.txt": func(d *profile.Document, _ render.About) ([]byte, error) { return render.NamesUndo(d), nil },
	"csv":      func(d *profile.Document, _ render.About) ([]byte, error) { return render.CSV(d) },
	"md":       func(d *profile.Document, a render.About) ([]byte, error) { return render.Markdown(d, a), nil },
}

func renderCommand() *cobra.Command {
	var form string
	var about render.About
	c := &cobra.Command{
		Use:     "render RELEASE.json",
		Short:   "Write a release as a script or a list",
		Example: "  roster render lyra-5-lending-desk-3.json --form sh > remove.sh",
		Args:    wantArgs(1, 1, "one release document"),
		RunE: func(c *cobra.Command, args []string) error {
			raw, err := os.ReadFile(args[0])
			if err != nil {
				return usageError{err}
			}
			doc, err := profile.ParseDocument(raw)
			if err != nil {
				return err
			}
			render := forms[form]
			if render == nil {
				return usageError{fmt.Errorf("form %q: want %s", form, strings.Join(slices.Sorted(maps.Keys(forms)), ", "))}
			}
			about.Digest, about.File = profile.Digest(raw), fmt.Sprintf("%s-%s-%d", doc.Model.Slug, doc.Edition.Slug, doc.Number)
			out, err := render(doc, about)
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(out)
			return err
		},
	}
	c.Flags().StringVar(&form, "form", "sh", strings.Join(slices.Sorted(maps.Keys(forms)), ", "))
	c.Flags().StringVar(&about.Where, "where", "", "the address at which one sees whether it was withdrawn; the form states it")
	return c
}

func verifyCommand() *cobra.Command {
	var key, signature string
	c := &cobra.Command{
		Use:     "verify RELEASE.json --key KEY",
		Short:   "Check a release's signature, with no connection needed",
		Example: "  roster verify lyra-5-lending-desk-3.json --key RWQ…",
		Args:    wantArgs(1, 1, "one release document"),
		RunE: func(c *cobra.Command, args []string) error {
			raw, err := os.ReadFile(args[0])
			if err != nil {
				return usageError{err}
			}
			if signature == "" {
				signature = args[0] + ".minisig"
			}
			signed, err := os.ReadFile(signature)
			if err != nil {
				return usageError{err}
			}
			var public minisign.PublicKey
			if err := public.UnmarshalText([]byte(key)); err != nil {
				return usageError{fmt.Errorf("--key: %w", err)}
			}
			if !minisign.Verify(public, raw, signed) {
				return fmt.Errorf("the signature does NOT fit %s: do not use it", args[0])
			}
			doc, err := profile.ParseDocument(raw)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "good signature: %s %s, %s, no. %d, %s, sha256 %s\n",
				doc.Maker.Name, doc.Model.Name, doc.Edition.Name, doc.Number, wording.Count(len(doc.Removals()), "package"), profile.Digest(raw))
			return nil
		},
	}
	c.Flags().StringVar(&key, "key", "", "the installation's public key, as its release pages show it")
	c.Flags().StringVar(&signature, "signature", "", "signature file (RELEASE.json.minisig)")
	if err := c.MarkFlagRequired("key"); err != nil {
		panic(err)
	}
	return c
}
