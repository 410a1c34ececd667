package main

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	world "roster/faults/sample"
	"roster/store/storetest"
)

// TestSiteIsKeptFresh keeps all public pages fresh: only what has changed is
// written, what is there no longer goes, and nothing that is not its own.
func TestSiteIsKeptFresh(t *testing.T) {
	in := world.Open(t)
	folder := filepath.Join(t.TempDir(), "public")
	args := []string{"export", "--site", folder, "--public-url", "https://roster.example", "--database", in.URL}
	of := func(name string) string { return filepath.Join(folder, filepath.FromSlash(name)) }
	read := func(name string) string {
		raw, _ := os.ReadFile(of(name))
		return string(raw)
	}
	put := func(path, text string) {
		t.Helper()
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, []byte(text), 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	const note, page, other = ".roster-site.json", "r/brannock/lyra-5/short-loan/index.html", "schema/release.json"

	// A note that names a file outside is not followed there.
	outside := filepath.Join(filepath.Dir(folder), "outside")
	put(outside, "not ours")
	put(of(note), `{"format": "roster-site/1", "files": ["../outside"]}`)
	if _, _, err := call(t, "", args...); err == nil || !strings.Contains(err.Error(), "../outside") {
		t.Errorf("a note that names a file outside: %v", err)
	}
	if _, err := os.Stat(outside); err != nil {
		t.Errorf("outside: %v", err)
	}
	// Somebody's own file stays; one of an export before goes, with its folder.
	put(of("robots.txt"), "mine")
	put(of("r/gone/index.html"), "x")
	put(of(note), `{"format": "roster-site/1", "files": ["r/gone/index.html"]}`)

	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	var out bytes.Buffer
	go func() {
		c := root()
		c.SetArgs(append(args, "--follow"))
		c.SetOut(&out)
		ended <- c.ExecuteContext(ctx)
	}()
	storetest.Until(t, "all of it is there", func() bool { return strings.Contains(read(note), page) })
	if _, err := os.Stat(of("r/gone")); err == nil || read("robots.txt") != "mine" {
		t.Errorf("%v, %q", err, read("robots.txt"))
	}
	put(of("keys.json"), "changed") // which is made good
	old, err := os.Stat(of(other))
	if err != nil {
		t.Fatal(err)
	}
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
	storetest.Until(t, "the withdrawal is there, and what leads to it", func() bool {
		return strings.Contains(read(page), "It takes the alarm with it.") && strings.Contains(read("feed.atom"), "It takes the alarm with it.") &&
			read("keys.json") != "changed"
	})
	stop()
	if err := <-ended; err != nil {
		t.Errorf("when it was told to end: %v", err)
	}
	if now, err := os.Stat(of(other)); err != nil || !now.ModTime().Equal(old.ModTime()) {
		t.Errorf("what has not changed was written: %v", err)
	}
	if said, _, _ := strings.Cut(out.String(), "\n"); !strings.HasPrefix(said, folder+": ") || !strings.HasSuffix(said, ", 1 removed") {
		t.Errorf("it said %q", said)
	}
}
