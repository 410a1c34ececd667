package main

import (
	"fmt"
	"os"

	"aead.dev/minisign"
	"github.com/spf13/cobra"

	"roster/core/profile"
	"roster/core/render"
)

func renderCommand() *cobra.Command {
	var form string
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
			var out []byte
			switch form {
			case "sh":
				out, err = render.Shell(doc, profile.Digest(raw))
			case "undo.sh":
				out, err = render.ShellUndo(doc, profile.Digest(raw))
			case "txt":
				out = render.Names(doc)
			default:
				return usageError{fmt.Errorf("form %q: want sh, undo.sh or txt", form)}
			}
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(out)
			return err
		},
	}
	c.Flags().StringVar(&form, "form", "sh", "sh, undo.sh or txt")
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
			fmt.Fprintf(c.OutOrStdout(), "good signature: %s %s, %s, no. %d, %d packages, sha256 %s\n",
				doc.Maker.Name, doc.Model.Name, doc.Edition.Name, doc.Number, len(doc.Steps), profile.Digest(raw))
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
