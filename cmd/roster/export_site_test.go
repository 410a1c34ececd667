package main

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	world "roster/faults/sample"
	"roster/store/storetest"
)

// TestSiteIsKeptFresh exports all public pages, and again: only what has changed
// is written, what is there no longer goes, and nothing that is not its own.
func TestSiteIsKeptFresh(t *testing.T) {
	in := world.Open(t)
	folder := filepath.Join(t.TempDir(), "public")
	args := []string{"export", "--site", folder, "--public-url", "https://roster.example", "--database", in.URL}
	export := func() string {
		t.Helper()
		out, errs, err := call(t, "", args...)
		if err != nil {
			t.Fatalf("%v %s", err, errs)
		}
		return out
	}
	of := func(name string) string { return filepath.Join(folder, filepath.FromSlash(name)) }
	read := func(name string) string {
		raw, _ := os.ReadFile(of(name))
		return string(raw)
	}
	export()
	page := "r/brannock/lyra-5/short-loan/index.html"
	old, err := os.Stat(of(page))
	if err != nil {
		t.Fatal(err)
	}

	// Somebody's own file stays; one of an export before goes, with its folder; one
	// that was changed is made good.
	for name, text := range map[string]string{"robots.txt": "mine", "r/gone/index.html": "x", "keys.json": "changed"} {
		if err := os.MkdirAll(filepath.Dir(of(name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(of(name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	var note struct {
		Format string   `json:"format"`
		Files  []string `json:"files"`
	}
	if err := json.Unmarshal([]byte(read(".roster-site.json")), &note); err != nil {
		t.Fatal(err)
	}
	note.Files = append(note.Files, "r/gone/index.html", "../outside")
	raw, _ := json.Marshal(note)
	outside := filepath.Join(filepath.Dir(folder), "outside")
	for path, text := range map[string]string{of(".roster-site.json"): string(raw), outside: "not ours"} {
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, err := call(t, "", args...); err == nil {
		t.Error("a note that names a file outside was followed")
	}
	if _, err := os.Stat(outside); err != nil {
		t.Errorf("outside: %v", err)
	}
	note.Files = note.Files[:len(note.Files)-1]
	raw, _ = json.Marshal(note)
	if err := os.WriteFile(of(".roster-site.json"), raw, 0o644); err != nil {
		t.Fatal(err)
	}
	if out := export(); !strings.Contains(out, ", 1 of them written, 1 removed") {
		t.Errorf("with one changed, and one gone: %s", out)
	}
	if _, err := os.Stat(of("r/gone")); err == nil || read("robots.txt") != "mine" || read("keys.json") == "changed" {
		t.Errorf("%v, %q, %.50q", err, read("robots.txt"), read("keys.json"))
	}
	if now, err := os.Stat(of(page)); err != nil || !now.ModTime().Equal(old.ModTime()) {
		t.Errorf("what has not changed was written: %v", err)
	}

	// And kept so.
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() {
		root := root()
		root.SetArgs(append(args, "--follow"))
		ended <- root.ExecuteContext(ctx)
	}()
	keeper, _, err := in.Store.PasswordHash(t.Context(), "ines")
	if err != nil {
		t.Fatal(err)
	}
	list, err := in.Store.LatelyReleased(t.Context(), 100)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range list {
		if r.Model == "lyra-5" && r.Edition == "short-loan" && r.State == "current" {
			if err := in.Store.Withdraw(t.Context(), r.ID, "It takes the alarm with it.", keeper.ID, time.Now()); err != nil {
				t.Fatal(err)
			}
		}
	}
	storetest.Until(t, "the withdrawal is there", func() bool {
		return strings.Contains(read(page), "It takes the alarm with it.") && strings.Contains(read("feed.atom"), "It takes the alarm with it.")
	})
	stop()
	if err := <-ended; err != nil {
		t.Errorf("when it was told to end: %v", err)
	}
}
