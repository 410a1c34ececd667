package faults_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"roster/bench/adb/adbtest"
	"roster/faults/wine"
	"roster/phone"
)

// TestWindows has the program for Windows do what people do with it there: a
// bench elsewhere captures, runs, loses its phone or goes itself, continues and
// puts back; a phone is captured into a file and that is read.
func TestWindows(t *testing.T) {
	program := wine.Build(t, "roster/cmd/roster")
	command := func(w *world, args ...string) *exec.Cmd {
		for i, arg := range args {
			if strings.HasPrefix(arg, w.folder) {
				args[i] = wine.Path(arg)
			}
		}
		return wine.Command(t, []string{"ROSTER_LOG=error", "ROSTER_CONFIG="}, program, args...)
	}
	w := newWorldWith(t, func(s *phone.Scenario) { s.RemovalTakes = 25 * time.Millisecond }, 24, elsewhere{
		adb: adbtest.StartTCP(t).Address, // that of this computer
		run: func(w *world, args ...string) *exec.Cmd {
			c := command(w, args...)
			if err := c.Start(); err != nil {
				t.Fatal(err)
			}
			return c
		},
	})
	w.breakRuns(t, 4, 700*time.Millisecond, []string{"cable", "bench"}, w.far)

	told := func(want string, args ...string) {
		t.Helper()
		if out, err := command(w, args...).CombinedOutput(); err != nil || !strings.Contains(string(out), want) {
			t.Errorf("roster %s: %v: %s", strings.Join(args, " "), err, out)
		}
	}
	// In a path that is longer than the 260 characters of old.
	folder := filepath.Join(w.folder, strings.Repeat("a folder/", 30))
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(folder, "lyra 5.json")
	told("ready", "bench", "phones", "--adb", w.far.adb)
	told("packages", "capture", "--adb", w.far.adb, "--phone", w.far.address, "--output", file)
	told("com.brannock.home", "read", file)
	if raw, err := os.ReadFile(file); err != nil || !strings.Contains(string(raw), "com.brannock.home") {
		t.Errorf("the capture: %v, %d bytes", err, len(raw))
	}
}
