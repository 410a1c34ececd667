package bench_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"roster/bench"
	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	core "roster/core/run"
	"roster/phone"
)

// TestRunPutsIn puts a keyboard in from files over real adb, gives it its job and
// takes the old one off; undone, both are as they were. What is wrong with a file
// holds the run before anything goes.
func TestRunPutsIn(t *testing.T) {
	t.Parallel()
	s, p := ready(t, nil)
	folder := t.TempDir()
	s.Saves = bench.Folder(folder)
	spec := phone.PackageSpec{Name: "org.open.keys", Label: "Open Keys", Version: "2.0.1", Keyboard: true, Owner: true,
		Splits: []string{"config.en"}, Asks: []string{"android.permission.POST_NOTIFICATIONS"}}
	pin := pinOf(t, spec)
	give := func(spec phone.PackageSpec) bench.Taken {
		t.Helper()
		files := []bench.Offered{offered("keys.apk", phone.File(spec))}
		for name, data := range phone.Splits(spec) {
			files = append(files, offered(name, data))
		}
		taken, err := s.Give(t.Context(), files)
		if err != nil {
			t.Fatal(err)
		}
		return taken
	}
	putIn := core.Step{Kind: core.PutIn, Package: "org.open.keys", Role: "KEYBOARD", File: &pin, Seconds: 1}
	old := remove("com.brannock.keys")
	held := func(what, words string, change func(*core.Step)) {
		t.Helper()
		step := putIn
		if change != nil {
			change(&step)
		}
		k := keep(t, step, old)
		if err := k.do(s, p); err != nil || k.all() != "failed waiting" || k.end != "held" || !strings.Contains(k.words[1], words) {
			t.Errorf("%s: %v: %s %v, %s %s", what, err, k.all(), k.words, k.end, k.why)
		}
	}
	held("no file", "this bench has no file of org.open.keys: give it one (the ward's shelf)", nil)
	if taken := give(spec); len(taken.Packages) != 1 || len(taken.Packages[0].Files) != 2 || len(taken.Wrong) != 0 {
		t.Fatalf("%+v", taken)
	}
	view, _ := s.View()
	if len(view.Given) != 1 || view.Given[0].Package != "org.open.keys" {
		t.Errorf("%+v", view.Given)
	}
	held("another signer", "signed by somebody else", func(step *core.Step) {
		other := pin
		other.Signer = strings.Repeat("0", 64)
		step.File = &other
	})
	held("another file", "not the one that is wanted", func(step *core.Step) {
		other := pin
		other.SHA256 = strings.Repeat("0", 64)
		step.File = &other
	})
	held("too old", "too old", func(step *core.Step) {
		other := pin
		other.Least = 1 << 40
		step.File = &other
	})
	newer := spec
	newer.MinSDK = 99
	give(newer)
	anyFile := func(step *core.Step) { step.File = &profile.FilePin{Signer: pin.Signer} }
	held("a newer Android", "needs a newer Android", anyFile)
	foreign := spec
	foreign.ABIs = []string{"x86_64"}
	give(foreign)
	held("another processor", "is for another processor: x86_64", anyFile)
	give(spec)
	// The cable is pulled when the new keyboard has its job, before the old one goes.
	// A part of something else among them is not kept, and of what was given anew
	// the older files are gone.
	other := phone.PackageSpec{Name: "org.other", Version: "1", Splits: []string{"config.de"}}
	taken, err := s.Give(t.Context(), []bench.Offered{
		offered("keys.apk", phone.File(spec)),
		offered("en.apk", phone.Splits(spec)["split_config.en.apk"]),
		offered("de.apk", phone.Splits(other)["split_config.de.apk"]),
	})
	if err != nil || len(taken.Packages) != 1 || len(taken.Wrong) != 1 {
		t.Errorf("%+v, %v", taken, err)
	}
	if kept, err := filepath.Glob(filepath.Join(folder, "put-in", "*", "*", "*.apk")); err != nil || len(kept) != 2 {
		t.Errorf("%v, %v", kept, err)
	}
	k := keep(t, putIn, old, core.Step{Kind: core.Look})
	k.answered = func(a core.StepAnswer) {
		if a.Step == 1 && a.State == core.Done {
			byHand(t, s, p, "unplug")
		}
	}
	if err := k.do(s, p); err == nil || k.states[1] != core.Done || k.end != "interrupted" || k.words[1] != "holds the role" {
		t.Fatalf("%v: %s %v, %s %s", err, k.all(), k.words, k.end, k.why)
	}
	eventually(t, "the phone is gone", func() bool { return !seen(s, p.Address).Ready })
	byHand(t, s, p, "plug")
	eventually(t, "the phone is back", func() bool { b := seen(s, p.Address); return b.Ready && b.Version != "" })
	k.end, k.answered = "", nil
	for number, state := range k.states {
		if state == core.Sent { // as a server settles what nobody knows of
			k.states[number] = core.Waiting
		}
	}
	if err := k.do(s, seen(s, p.Address)); err != nil || k.all() != "done done done" {
		t.Fatalf("%v: %s %v, held %s", err, k.all(), k.words, k.why)
	}
	first, last := k.looks()
	if slices.Contains(last.Installed, "com.brannock.keys") || !slices.Contains(last.Installed, "org.open.keys") {
		t.Error("the keyboard was not replaced")
	}
	before, _ := putIn.Had(first)
	if before != "absent com.brannock.keys" {
		t.Errorf("before %q", before)
	}
	again := keep(t, putIn)
	if err := again.do(s, p); err != nil || again.all() != "done" {
		t.Errorf("what is in place: %v: %s %v", err, again.all(), again.words)
	}
	undo := core.Undo([]core.Journal{{Step: step(putIn, 1), State: core.Done, Before: before}, {Step: step(old, 2), State: core.Done}}, nil)
	back := keep(t, append(undo, core.Step{Kind: core.Look})...)
	if err := back.do(s, p); err != nil || back.all() != "done done done" {
		t.Fatalf("%v: %s %v, held %s", err, back.all(), back.words, back.why)
	}
	if _, last := back.looks(); slices.Contains(last.Installed, "org.open.keys") || !slices.Contains(last.Installed, "com.brannock.keys") {
		t.Error("it is not as it was")
	}
}

// TestPutInRefused: a phone that does not take a file says why, and nothing goes.
func TestPutInRefused(t *testing.T) {
	t.Parallel()
	spec := phone.PackageSpec{Name: "org.open.keys", Version: "2.0.1", Keyboard: true, Owner: true}
	other := spec
	other.Signer, other.Version = "somebody else", "2.0.0"
	for what, c := range map[string]struct {
		change func(*phone.Scenario)
		words  string
	}{
		"its owner says no":   {func(s *phone.Scenario) { s.RefusesInstalls = true }, "INSTALL_FAILED_USER_RESTRICTED: Install canceled by user"},
		"no room":             {func(s *phone.Scenario) { s.DiskFull = true }, "INSUFFICIENT_STORAGE: org.open.keys needs about 1 MB, and 0 MB are free"},
		"another of its name": {func(s *phone.Scenario) { s.Packages = append(s.Packages, other) }, "INSTALL_FAILED_UPDATE_INCOMPATIBLE"},
	} {
		t.Run(what, func(t *testing.T) {
			s, p := ready(t, c.change)
			s.Saves = bench.Folder(t.TempDir())
			taken, err := s.Give(t.Context(), []bench.Offered{offered("keys.apk", phone.File(spec))})
			if err != nil {
				t.Fatal(err)
			}
			pin := pinOf(t, spec)
			pin.Least = taken.Packages[0].VersionCode
			k := keep(t, core.Step{Kind: core.PutIn, Package: "org.open.keys", Role: "KEYBOARD", File: &pin}, remove("com.brannock.tips"))
			if err := k.do(s, p); err != nil || k.all() != "failed waiting" || k.end != "held" || !strings.Contains(k.words[1], c.words) {
				t.Fatalf("%v: %s %v, %s %s", err, k.all(), k.words, k.end, k.why)
			}
			if m := k.steps[0].Explain(k.words[1]); strings.Contains(m.Means, "does not say why") {
				t.Errorf("%s: %s", k.words[1], m.Means)
			}
		})
	}
}

// byHand does something to a stand-in as whoever holds it would.
func byHand(t *testing.T, s *bench.Station, p bench.Phone, action string) {
	t.Helper()
	if _, err := s.Do(t.Context(), bench.Request{Kind: bench.KindHand, Address: p.Address, Action: action}, &recorder{}); err != nil {
		t.Error(err)
	}
}

func step(s core.Step, number int) core.Step {
	s.Number = number
	if s.Kind == core.Remove {
		s.Method = evidence.RemoveForUser
	}
	return s
}

func offered(name string, data []byte) bench.Offered {
	return bench.Offered{Name: name, Open: func(context.Context) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }}
}

// pinOf pins the package file of a spec.
func pinOf(t *testing.T, spec phone.PackageSpec) profile.FilePin {
	t.Helper()
	data := phone.File(spec)
	f, err := android.ReadPackageFile(bytes.NewReader(data), int64(len(data)))
	if err != nil || len(f.Signers) != 1 {
		t.Fatal(err, f)
	}
	sum := sha256.Sum256(data)
	return profile.FilePin{Signer: f.Signers[0], SHA256: hex.EncodeToString(sum[:]), From: "the ward's shelf"}
}
