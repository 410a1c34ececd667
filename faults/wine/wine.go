// Package wine runs programs for Windows under Wine, so that tests can hold
// Roster to its promises there without a Windows. It is for tests alone.
package wine

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// Prefix is the variable that names Wine's folder, which scripts/test makes
// once for all tests: that takes half a minute.
const Prefix = "ROSTER_WINE_PREFIX"

// Need skips the test where no Wine was made ready, and returns its folder.
func Need(t testing.TB) string {
	t.Helper()
	prefix := os.Getenv(Prefix)
	if prefix == "" {
		t.Skipf("%s is not set: run scripts/test, which makes Wine ready", Prefix)
	}
	if err := ready(); err != nil {
		t.Fatal(err)
	}
	return prefix
}

var ready = sync.OnceValue(func() error { return addLibrary(os.Getenv(Prefix)) })

// Build builds a program of this module for Windows, and returns its path.
func Build(t testing.TB, name string) string {
	t.Helper()
	Need(t)
	file := filepath.Join(t.TempDir(), filepath.Base(name)+".exe")
	c := exec.Command("go", "build", "-o", file, name)
	c.Env = append(os.Environ(), "GOOS=windows", "GOARCH=amd64", "CGO_ENABLED=0")
	if out, err := c.CombinedOutput(); err != nil {
		t.Fatalf("%s for Windows: %v: %s", name, err, out)
	}
	return file
}

// Command is a program for Windows with its arguments, and with what it finds in
// its environment beside what the test has.
func Command(t testing.TB, environment []string, program string, args ...string) *exec.Cmd {
	t.Helper()
	c := exec.Command("wine", append([]string{program}, args...)...)
	c.Env = append(append(os.Environ(), environment...), "WINEPREFIX="+Need(t), "WINEDEBUG=-all",
		"WINEDLLOVERRIDES=bcryptprimitives=n;mscoree,mshtml=")
	return c
}

// Path is a path of this computer's as programs for Windows have it there.
func Path(path string) string { return `Z:` + strings.ReplaceAll(path, "/", `\`) }
