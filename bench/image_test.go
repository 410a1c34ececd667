package bench_test

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"roster/bench"
	"roster/core/android"
	"roster/core/evidence"
	core "roster/core/run"
	"roster/phone"
)

// fromImage is the step that takes a package out of the image.
func fromImage(name string) core.Step {
	return core.Step{Kind: core.Remove, Method: evidence.RemoveFromImage, Package: android.PackageName(name)}
}

// rooted is a station with one stand-in that has root.
func rooted(t *testing.T, image string, change func(*phone.Scenario)) (*bench.Station, bench.Phone) {
	t.Helper()
	s, p := ready(t, func(c *phone.Scenario) {
		c.Root, c.Image = "su", image
		c.Properties["ro.boot.verifiedbootstate"], c.Properties["ro.boot.veritymode"] = "orange", "disabled"
		if change != nil {
			change(c)
		}
	})
	s.Saves = bench.Folder(t.TempDir())
	return s, p
}

// keysOf are what steps touch: what a server asks a bench about.
func keysOf(k *keeper) *keeper {
	k.keys = core.Keys(k.steps)
	return k
}

// saved are the folders that a bench told to have saved.
func (k *keeper) saved() (list []core.SavedFolder) {
	for _, r := range k.reports {
		list = append(list, r.Saved...)
	}
	return list
}

// TestRunFromImage takes packages out of both kinds of image over real adb, restarts
// the phone, and brings them back from the journal.
func TestRunFromImage(t *testing.T) {
	t.Parallel()
	for image, words := range map[string]string{
		"read-only": "masked: gone after the restart",
		"writable":  "erased, its folder saved: gone after the restart; ",
	} {
		t.Run(image, func(t *testing.T) {
			t.Parallel()
			s, p := rooted(t, image, nil)
			step, updated := fromImage("com.brannock.tips"), fromImage("com.brannock.music")
			updated.WithData = true
			k := keysOf(keep(t, step, updated, core.Step{Kind: core.Restart}, core.Step{Kind: core.Look}))
			if err := k.do(s, p); err != nil || k.all() != "done done done done" || !strings.HasPrefix(k.words[1], words) {
				t.Fatalf("%v: %s %v, %s %s", err, k.all(), k.words, k.end, k.why)
			}
			saved := k.saved()
			first, last := k.looks()
			for _, name := range []android.PackageName{"com.brannock.tips", "com.brannock.music"} {
				if known, _, _ := last.Package(name); known || !slices.Contains(first.Installed, name) {
					t.Errorf("%s is known after the restart", name)
				}
			}
			if image == "writable" {
				if len(saved) != 2 || saved[0].Files < 2 || saved[0].Bytes == 0 {
					t.Fatalf("%+v", saved)
				}
				if _, err := os.Stat(filepath.Join(saved[0].Folder, "manifest.jsonl")); err != nil {
					t.Error(err)
				}
			} else if len(saved) != 0 {
				t.Errorf("%+v", saved)
			}
			again := keysOf(keep(t, step))
			if err := again.do(s, seen(s, p.Address)); err != nil || again.all() != "absent" {
				t.Errorf("%v: %s %v", err, again.all(), again.words)
			}
			var list []core.Journal
			for _, one := range k.steps[:3] {
				before, _ := one.Had(first)
				list = append(list, core.Journal{Step: one, State: core.Done, Before: before})
			}
			back := keysOf(keep(t, append(core.Undo(list, nil), core.Step{Kind: core.Look})...))
			back.id = k.id
			if err := back.do(s, seen(s, p.Address)); err != nil || back.all() != "done done done done" {
				t.Fatalf("%v: %s %v, %s %s", err, back.all(), back.words, back.end, back.why)
			}
			if told := back.saved(); len(told) != len(saved) || len(told) > 0 && told[0] != saved[0] {
				t.Errorf("the next attempt tells %+v, and %+v was saved", told, saved)
			}
			_, now := back.looks()
			for _, name := range []android.PackageName{"com.brannock.tips", "com.brannock.music"} {
				if _, installed, _ := now.Package(name); !installed {
					t.Errorf("%s is not back", name)
				}
			}
		})
	}
}

// TestRunHeals takes something out of the image without which the phone does not
// start: it undoes that by itself, and the run is held.
func TestRunHeals(t *testing.T) {
	t.Parallel()
	for _, image := range []string{"read-only", "writable"} {
		t.Run(image, func(t *testing.T) {
			t.Parallel()
			s, p := rooted(t, image, func(c *phone.Scenario) {
				c.NoStart = append(c.NoStart, phone.NoStart{Without: "com.brannock.tips", When: "always"})
			})
			k := keysOf(keep(t, fromImage("com.brannock.tips"), core.Step{Kind: core.Restart}, core.Step{Kind: core.Look}))
			if err := k.do(s, p); err != nil || k.end != "held" || !strings.Contains(k.why, "did not start without com.brannock.tips") {
				t.Fatalf("%v: %s %v, %s %s", err, k.all(), k.words, k.end, k.why)
			}
			first, last := k.looks()
			before, _ := k.steps[0].Had(first)
			list := []core.Journal{{Step: k.steps[0], State: core.Done, Before: before}, {Step: k.steps[1], State: core.Done}}
			if back := core.Returned(list, last, last.Fingerprint); back["com.brannock.tips"] != core.NoStartWithout {
				t.Errorf("%v", back)
			}
			if _, installed, _ := last.Package("com.brannock.tips"); !installed {
				t.Error("it is not back")
			}
			undone := keysOf(keep(t, core.Undo(list, nil)...))
			undone.id = k.id
			if err := undone.do(s, seen(s, p.Address)); err != nil || undone.all() != "done done" {
				t.Errorf("%v: %s %v", err, undone.all(), undone.words)
			}
		})
	}
}

// TestRunWithoutRoot asks phones that give no root, and a bench that can't save.
func TestRunWithoutRoot(t *testing.T) {
	t.Parallel()
	for what, c := range map[string]struct {
		image, words string
		change       func(*phone.Scenario)
		saves        bool
	}{
		"refused":   {"read-only", "no root: it was refused on the phone", func(c *phone.Scenario) { c.RefusesRoot = true }, true},
		"no su":     {"read-only", "no root: this phone has no program that gives it", func(c *phone.Scenario) { c.Root = "" }, true},
		"no folder": {"writable", "its folder could not be saved, and so it stays in the image", nil, false},
		"no room":   {"writable", "not taken out of the image", func(c *phone.Scenario) { c.DiskFull = true }, true},
		"not ours": {"read-only", "it does not lie in a folder of its own", func(c *phone.Scenario) {
			c.Packages = append(c.Packages, phone.PackageSpec{Name: "com.in.data", Dir: "/data/preload", Version: "1"})
		}, true},
		"hostile dir": {"read-only", "it does not lie in a folder of its own", func(c *phone.Scenario) {
			c.Packages = append(c.Packages, phone.PackageSpec{Name: "com.in.data", Dir: "/product/$(reboot)", Version: "1"})
		}, true},
	} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			s, p := rooted(t, c.image, c.change)
			if !c.saves {
				s.Saves = nil
			}
			name := "com.brannock.tips"
			if strings.Contains(c.words, "of its own") {
				name = "com.in.data"
			}
			k := keysOf(keep(t, fromImage(name), core.Step{Kind: core.Restart}, core.Step{Kind: core.Look}))
			if err := k.do(s, p); err != nil || k.all() != "refused done done" || !strings.Contains(k.words[1], c.words) {
				t.Fatalf("%v: %s %v, %s %s", err, k.all(), k.words, k.end, k.why)
			}
			if _, last := k.looks(); !slices.Contains(last.Installed, android.PackageName(name)) {
				t.Errorf("%s is gone all the same", name)
			}
		})
	}
}
