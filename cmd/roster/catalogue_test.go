package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"roster/store/storetest"
)

// TestCatalogueByHand takes a catalogue out, brings it into another database,
// gives somebody a password there and checks the record.
func TestCatalogueByHand(t *testing.T) {
	first, second := storetest.URL(t), storetest.URL(t)
	must := func(in string, args ...string) string {
		t.Helper()
		out, errs, err := call(t, in, args...)
		if err != nil {
			t.Fatalf("%v: %v %s", args, err, errs)
		}
		return out
	}
	must("a long password\n", "person", "add", "Tove", "--name", "Tove S.", "--role", "keeper", "--database", first)
	for _, form := range []string{"catalogue.json", "catalogue.zip"} {
		path := filepath.Join(t.TempDir(), form)
		must("", "export", path, "--database", first)
		if entries, err := os.ReadDir(filepath.Dir(path)); err != nil || len(entries) != 1 {
			t.Errorf("%v %v", entries, err)
		}
		if form == "catalogue.zip" {
			if _, _, err := call(t, "", "import", path, "--database", first); err == nil || !strings.Contains(err.Error(), "nothing was written") {
				t.Errorf("into its own: %v", err)
			}
			continue
		}
		must("", "import", path, "--database", second)
	}
	must("another password\n", "person", "password", "tove", "--database", second)
	if _, _, err := call(t, "another password\n", "person", "password", "nobody", "--database", second); err == nil || !strings.Contains(err.Error(), "nobody") {
		t.Errorf("%v", err)
	}
	out := must("", "audit", "--database", second)
	head := strings.Split(out, "\n")[1]
	if !strings.Contains(out, "unbroken") || len(head) != 64 {
		t.Errorf("%q", out)
	}
	must("", "audit", "--head", head, "--database", second)
	if _, _, err := call(t, "", "audit", "--head", strings.Repeat("0", 64), "--database", second); err == nil || isUsage(err) {
		t.Errorf("%v", err)
	}
	// Everything public goes into a folder, even where nothing is published yet.
	folder := filepath.Join(t.TempDir(), "public")
	out = must("", "export", "--site", folder, "--public-url", "https://roster.example/", "--database", first)
	if !strings.Contains(out, folder+": ") || strings.Contains(out, " 0 of them written") {
		t.Errorf("%q", out)
	}
	for _, name := range []string{"r/index.html", "r.json", "feed.atom", "keys/index.html", "schema/release.json"} {
		raw, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil || len(raw) == 0 || name == "feed.atom" && !strings.Contains(string(raw), `href="https://roster.example/r"`) {
			t.Errorf("%s: %v\n%s", name, err, raw)
		}
	}
	for _, args := range [][]string{{"export", "--database", first}, {"export", "x.json", "--site", folder, "--database", first}, {"export", "--site", folder, "--database", first}, {"export", "x.json", "--database", ""}, {"import", "/no/such/file", "--database", first}, {"audit", "extra"}} {
		if _, _, err := call(t, "", args...); !isUsage(err) {
			t.Errorf("%v: %v", args, err)
		}
	}
}
