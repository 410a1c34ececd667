package main

import (
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"roster/store/storetest"
)

// TestSetupBackupRestore sets up an installation, twice, saves it, and restores
// it beside.
func TestSetupBackupRestore(t *testing.T) {
	administrator := storetest.Bare(t)
	at, err := url.Parse(administrator)
	if err != nil {
		t.Fatal(err)
	}
	at.Path += "_own"
	database := at.String()
	name := strings.TrimPrefix(at.Path, "/")
	t.Cleanup(func() { storetest.Drop(t, name) })
	folder := t.TempDir()
	settings := file(t, "roster.yaml", "# public-url: https://roster.example\ndatabase: "+database+"\nsecret-file: "+folder+"/secret\nbackups: "+folder+"/saved\n")
	t.Setenv("ROSTER_CONFIG", settings)
	os.Unsetenv("ROSTER_DATABASE_URL")
	must := func(args ...string) string {
		t.Helper()
		out, errs, err := call(t, "", args...)
		if err != nil {
			t.Fatalf("%v: %v\n%s%s", args, err, out, errs)
		}
		return out
	}
	link := regexp.MustCompile(`https://lists\.example/join#\S{43}\n`)
	first := must("setup", "--administrator", administrator, "--public-url", "https://lists.example")
	for _, want := range []string{"made the database " + name, "made the installation's secret", "up to date", "people reach it at https://lists.example"} {
		if !strings.Contains(first, want) {
			t.Errorf("setup does not say %q:\n%s", want, first)
		}
	}
	again := must("setup", "--administrator", administrator)
	for _, want := range []string{"the database " + name + " is there", "the installation's secret is in"} {
		if !strings.Contains(again, want) {
			t.Errorf("the second setup does not say %q:\n%s", want, again)
		}
	}
	if a, b := link.FindString(first), link.FindString(again); a == "" || b == "" || a == b {
		t.Errorf("the links are %q and %q", a, b)
	}
	if raw, err := os.ReadFile(settings); err != nil || strings.Count(string(raw), "public-url") != 1 {
		t.Errorf("the settings are now, %v:\n%s", err, raw)
	}
	if _, _, err := call(t, "a rather long password\n", "person", "add", "tove", "--role", "keeper"); err != nil {
		t.Fatal(err)
	}
	if third := must("setup", "--administrator", administrator); !strings.Contains(third, "there is a keeper") || strings.Contains(third, "join#") {
		t.Errorf("a setup with a keeper says\n%s", third)
	}
	backups := filepath.Join(folder, "backups")
	if saved := must("backup", backups, "--check", "--keep", "3"); !strings.Contains(saved, " holds: restored on trial") {
		t.Errorf("backup says\n%s", saved)
	}
	if err := os.Remove(filepath.Join(folder, "secret")); err != nil {
		t.Fatal(err)
	}
	restored := must("restore", backups)
	before := regexp.MustCompile(`kept as (\S+_before_\S+);`).FindStringSubmatch(restored)
	if before == nil {
		t.Fatalf("restore says\n%s", restored)
	}
	storetest.Drop(t, before[1])
	must("audit")
	for _, args := range [][]string{{"restore", folder}, {"backup"}, {"restore", backups, "--database", ""}} {
		if _, _, err := call(t, "", args...); !isUsage(err) {
			t.Errorf("%v: %v", args, err)
		}
	}
}
