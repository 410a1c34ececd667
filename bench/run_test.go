package bench_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	core "roster/core/run"
	"roster/phone"
)

// keeper keeps a run's journal in memory and orders its steps, as a store does.
type keeper struct {
	recorder
	t        *testing.T
	steps    []core.Step
	states   map[int]core.State
	words    map[int]string
	reports  []core.Report
	end, why string
	// supersede ends the run for its bench after so many reports; 0 never does.
	supersede int
	stop      bool
	keys      []core.Key
	// answered is called when a step is answered, nil for nobody.
	answered func(core.StepAnswer)
}

func keep(t *testing.T, steps ...core.Step) *keeper {
	for i := range steps {
		steps[i].Number = i + 1
		if steps[i].Method == "" {
			steps[i].Method = evidence.RemoveForUser
		}
	}
	k := &keeper{t: t, steps: steps, states: map[int]core.State{}, words: map[int]string{}}
	for _, s := range steps {
		k.states[s.Number] = core.Waiting
	}
	return k
}

func (k *keeper) Run(_ context.Context, _ uuid.UUID, r core.Report) (core.Orders, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.reports = append(k.reports, r)
	orders := core.Orders{Form: "phone", Steps: []core.Step{}}
	if k.end != "" || k.supersede > 0 && len(k.reports) > k.supersede {
		return orders, core.ErrSuperseded
	}
	for _, a := range r.Answers {
		if k.states[a.Step] != core.Sent {
			k.t.Errorf("step %d is answered, and was %s", a.Step, k.states[a.Step])
		}
		k.states[a.Step], k.words[a.Step] = a.State, a.Words
		if k.answered != nil {
			k.answered(a)
		}
	}
	if r.End != "" {
		k.end, k.why = r.End, r.Why
		return orders, nil
	}
	orders.Stop = k.stop
	if r.Want == 0 {
		return orders, nil
	}
	waiting, sent := 0, 0
	for _, s := range k.steps {
		alone := s.Kind.Alone()
		switch k.states[s.Number] {
		case core.Sent:
			sent++
		case core.Waiting:
			if waiting++; !k.stop && len(orders.Steps) < r.Want && (!alone || sent+len(orders.Steps) == 0) && waiting == len(orders.Steps)+1 && (len(orders.Steps) == 0 || orders.Steps[0].Kind == core.Remove) {
				k.states[s.Number] = core.Sent
				orders.Steps = append(orders.Steps, s)
			}
		}
	}
	orders.Done = waiting == 0 && sent == 0
	return orders, nil
}

func remove(name string) core.Step {
	return core.Step{Kind: core.Remove, Package: android.PackageName(name)}
}

// ready is a station with one stand-in that answers.
func ready(t *testing.T, change func(*phone.Scenario)) (*bench.Station, bench.Phone) {
	t.Helper()
	c := scenario(t)
	if change != nil {
		change(c)
	}
	s, at := station(t, c)
	eventually(t, "the phone is known", func() bool { return seen(s, at[0]).Version != "" })
	return s, seen(s, at[0])
}

func (k *keeper) do(s *bench.Station, p bench.Phone) error {
	_, err := s.Do(k.t.Context(), bench.Request{Kind: bench.KindRun, Phone: p.Handle, Run: uuid.New(), Attempt: 1, Keys: k.keys}, k)
	return err
}

func (k *keeper) all() string {
	var b strings.Builder
	for _, s := range k.steps {
		b.WriteString(string(k.states[s.Number]) + " ")
	}
	return strings.TrimSpace(b.String())
}

func TestRunOnPhone(t *testing.T) {
	t.Parallel()
	s, p := ready(t, func(c *phone.Scenario) {
		c.Packages = append(c.Packages, phone.PackageSpec{Name: "org.open.home", Dir: "/product/app", Version: "1", Roles: []string{"HOME"}})
	})
	// One after the other, on one phone.
	for _, c := range []struct {
		what  string
		steps []core.Step
		want  string // how each step ends
		end   string // why it was held, "" for not
	}{
		{"what goes, what is not there, what an administrator guards",
			[]core.Step{remove("com.brannock.tips"), remove("com.nobody.has.it"), remove("com.brannock.retaildemo"), remove("com.brannock.devicecare")}, "done absent skipped refused", ""},
		{"gone before", []core.Step{remove("com.brannock.tips")}, "already", ""},
		{"the only keyboard", []core.Step{remove("app.basketree.shop"), remove("com.brannock.keys"), remove("app.basketree.deals")}, "done waiting waiting", "without com.brannock.keys nobody could be the phone's KEYBOARD"},
		{"an administrator", []core.Step{{Kind: core.WithdrawAdmin, Package: "com.brannock.retaildemo"}, {Kind: core.WithdrawAdmin, Package: "com.brannock.tunes"}}, "failed done", ""},
		{"a condition that is", []core.Step{{Kind: core.Condition, If: "not lock-code-set"}, {Kind: core.Condition}}, "done done", ""},
		{"one that is not", []core.Step{{Kind: core.Condition, If: "lock-code-set"}, remove("com.android.egg")}, "failed waiting", "a condition does not hold: lock-code-set"},
		{"a home screen put in", []core.Step{{Kind: core.PutIn, Package: "org.open.home", Role: "HOME"}, remove("com.brannock.home")}, "done done", ""},
		{"and taken off again", []core.Step{remove("org.open.home")}, "waiting", "without org.open.home nobody could be the phone's HOME"},
		{"nothing to put in", []core.Step{{Kind: core.PutIn, Label: "a calendar"}, {Kind: core.PutIn, Package: "org.not.there"}}, "skipped skipped", ""},
		{"a missing home screen", []core.Step{{Kind: core.PutIn, Package: "org.not.there", Role: "HOME"}, remove("com.android.egg")}, "failed waiting", "is not on this phone"},
		{"back", []core.Step{{Kind: core.PutBack, Package: "com.brannock.tips"}, {Kind: core.PutBack, Package: "com.nobody.has.it"}}, "done failed", ""},
		{"a look and a wait", []core.Step{{Kind: core.Wait, Seconds: 1}, {Kind: core.Look}}, "done done", ""},
		{"a hostile name", []core.Step{{Kind: core.PutBack, Package: "a.b; reboot"}}, "failed", ""},
	} {
		k := keep(t, c.steps...)
		t.Run(c.what, func(t *testing.T) {
			if err := k.do(s, p); err != nil {
				t.Error(err)
			}
			if k.all() != c.want {
				t.Errorf("%s, want %s (%v)", k.all(), c.want, k.words)
			}
			if c.end == "" && k.end != "" || !strings.Contains(k.why, c.end) {
				t.Errorf("%s: %s; want %q", k.end, k.why, c.end)
			}
		})
	}
}

// TestRunRestarts restarts the phone in the middle and sees what came back.
func TestRunRestarts(t *testing.T) {
	t.Parallel()
	s, p := ready(t, func(c *phone.Scenario) { c.RestartTakes = 500 * time.Millisecond })
	k := keep(t, remove("com.fieldnote.services"), remove("com.brannock.tips"), core.Step{Kind: core.Restart}, core.Step{Kind: core.Look})
	if err := k.do(s, p); err != nil || k.all() != "done done done done" {
		t.Fatalf("%v: %s %v", err, k.all(), k.words)
	}
	last := k.reports[len(k.reports)-1]
	for i := len(k.reports) - 1; last.Seen == nil; i-- {
		last = k.reports[i]
	}
	if last.Seen.Boots < 2 || !slices.Contains(last.Seen.Installed, "com.fieldnote.services") || slices.Contains(last.Seen.Installed, "com.brannock.tips") {
		t.Errorf("boots %d", last.Seen.Boots)
	}
}

// TestRunQuietens quietens over real adb what says so: what each might do is told
// before it is changed, whoever asked for it, and put back exactly.
func TestRunQuietens(t *testing.T) {
	t.Parallel()
	on := true
	s, p := ready(t, func(c *phone.Scenario) {
		c.RestartTakes = 500 * time.Millisecond
		c.Packages = append(c.Packages, phone.PackageSpec{Name: "com.loud.one", Dir: "/product/app", Version: "1", Icon: &on, Exempt: "user"},
			phone.PackageSpec{Name: "com.loud.again", Dir: "/product/app", Version: "1", LoudAgain: true},
			phone.PackageSpec{Name: "com.loud.fixed", Dir: "/product/app", Version: "1", Icon: &on, NotifyFixed: true})
	})
	names := []string{"com.loud.one", "com.brannock.devicecare", "com.loud.again", "com.loud.fixed", "com.nobody.has.it"}
	var steps []core.Step
	for _, name := range names {
		steps = append(steps, core.Step{Kind: core.Remove, Method: evidence.Quieten, Package: android.PackageName(name)})
	}
	k := keep(t, append(steps, core.Step{Kind: core.Restart}, core.Step{Kind: core.Look})...)
	if err := k.do(s, p); err != nil || k.all() != "done done done done absent done done" {
		t.Fatalf("%v: %s %v", err, k.all(), k.words)
	}
	if k.words[1] != "quiet" || !strings.HasPrefix(k.words[4], "still notifies. Exception") {
		t.Errorf("%v", k.words)
	}
	before, after := k.noise(names, true), k.noise(names, false)
	if before[0] != "default,default,granted,user,5" || after[0] != "ignore,ignore,revoked,-,45" || after[2] != before[2] || after[3] != "ignore,ignore,granted,-,45" {
		t.Errorf("before %q, after %q", before, after)
	}
	again := keep(t, steps[:2]...)
	if err := again.do(s, p); err != nil || again.all() != "already already" {
		t.Errorf("%v: %s %v", err, again.all(), again.words)
	}
	var undo []core.Step
	for i := range steps[:4] {
		step := steps[i]
		step.Kind, step.Value = core.PutBack, before[i]
		undo = append(undo, step)
	}
	back := keep(t, append(undo, core.Step{Kind: core.Look})...)
	back.keys = core.Keys(undo)
	if err := back.do(s, p); err != nil || back.all() != "done done done done done" || back.words[1] != "as before" {
		t.Fatalf("%v: %s %v", err, back.all(), back.words)
	}
	if got := back.noise(names, false); !slices.Equal(got, before) {
		t.Errorf("put back to %q, and was %q", got, before)
	}
}

// TestRunPutsIn puts a keyboard in from files over real adb, gives it its job and
// takes the old one off; undone, both are as they were. What is wrong with a file
// holds the run before anything goes.
func TestRunPutsIn(t *testing.T) {
	t.Parallel()
	s, p := ready(t, nil)
	s.Saves = bench.Folder(t.TempDir())
	spec := phone.PackageSpec{Name: "org.open.keys", Label: "Open Keys", Version: "2.0.1", Keyboard: true, Owner: true, Splits: []string{"config.en"}, Asks: []string{"android.permission.POST_NOTIFICATIONS"}}
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
	k := keep(t, putIn, old, core.Step{Kind: core.Look})
	k.answered = func(a core.StepAnswer) {
		if a.Step == 1 && a.State == core.Done {
			byHand(t, s, p, "unplug")
		}
	}
	if err := k.do(s, p); err == nil || k.states[1] != core.Done || k.end != "interrupted" || k.words[1] != "holds the role" {
		t.Fatalf("%v: %s %v, %s %s", err, k.all(), k.words, k.end, k.why)
	}
	byHand(t, s, p, "plug")
	eventually(t, "the phone is back", func() bool { return seen(s, p.Address).Version != "" })
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

// looks are the first and the last look that were told of.
func (k *keeper) looks() (first, last *core.Seen) {
	for _, r := range k.reports {
		if r.Seen != nil && first == nil {
			first = r.Seen
		}
		if r.Seen != nil {
			last = r.Seen
		}
	}
	return first, last
}

// noise is what the phone told of packages in the first report that did, or the last.
func (k *keeper) noise(names []string, first bool) []string {
	list := make([]string, len(names))
	for _, r := range k.reports {
		for i, name := range names {
			if r.Seen != nil && (list[i] == "" || !first) {
				list[i] = r.Seen.Settings[core.Key{Namespace: core.Quiet, Key: name}.String()]
			}
		}
	}
	return list
}

// TestRunGuardsEveryTen looks at the phone again after each ten removals.
func TestRunGuardsEveryTen(t *testing.T) {
	t.Parallel()
	s, p := ready(t, func(c *phone.Scenario) {
		for i := range 25 {
			c.Packages = append(c.Packages, phone.PackageSpec{Name: "app.many.n" + string(rune('a'+i)), Dir: "/product/app", Version: "1"})
		}
	})
	var steps []core.Step
	for i := range 25 {
		steps = append(steps, remove("app.many.n"+string(rune('a'+i))))
	}
	k := keep(t, steps...)
	if err := k.do(s, p); err != nil {
		t.Fatal(err)
	}
	looks, ahead := 0, 0
	for _, r := range k.reports {
		if r.Seen != nil {
			looks++
		}
		ahead = max(ahead, len(r.Flying)+r.Want)
	}
	if looks != 3 || ahead > 2 {
		t.Errorf("%d looks, at most %d under way; want 3 and 2", looks, ahead)
	}
}

// TestRunSuperseded: once somebody else has gone on, nothing more is sent.
func TestRunSuperseded(t *testing.T) {
	t.Parallel()
	s, p := ready(t, func(c *phone.Scenario) { c.RemovalTakes = 20 * time.Millisecond })
	k := keep(t, remove("com.brannock.tips"), remove("app.basketree.shop"), remove("app.basketree.deals"), remove("com.android.egg"))
	k.supersede = 2
	if err := k.do(s, p); !errors.Is(err, core.ErrSuperseded) {
		t.Errorf("%v", err)
	}
	sent := 0
	for _, state := range k.states {
		if state != core.Waiting {
			sent++
		}
	}
	if sent > 3 {
		t.Errorf("%d steps were ordered though the run was no longer its own", sent)
	}
}

// TestRunStopsInAWait: who stops a run need not wait until it has waited.
func TestRunStopsInAWait(t *testing.T) {
	t.Parallel()
	s, p := ready(t, nil)
	k := keep(t, core.Step{Kind: core.Wait, Seconds: 300}, remove("com.brannock.tips"))
	time.AfterFunc(500*time.Millisecond, func() {
		k.mu.Lock()
		k.stop = true
		k.mu.Unlock()
	})
	begun := time.Now()
	if err := k.do(s, p); err != nil || k.all() != "waiting waiting" || time.Since(begun) > 4*time.Minute {
		t.Errorf("%v: %s after %s", err, k.all(), time.Since(begun))
	}
}

func TestBackup(t *testing.T) {
	t.Parallel()
	s, p := ready(t, func(c *phone.Scenario) {
		c.Packages = append(c.Packages, phone.PackageSpec{Name: "app.split.one", Label: "Split", Dir: "/product/app", Version: "1", Splits: []string{"config.arm64_v8a", "config.en"}})
	})
	id, r := uuid.New(), &recorder{}
	wanted := []bench.Wanted{{Name: "app.split.one"}, {Name: "com.brannock.tips"}, {Name: "com.nobody.has.it"}}
	do := func(kind string, list []bench.Wanted) (bench.BackupEnd, error) {
		t.Helper()
		got, err := s.Do(t.Context(), bench.Request{Kind: kind, Phone: p.Handle, Backup: id, Wanted: list, Settings: kind == bench.KindBackup}, r)
		end, _ := got.(bench.BackupEnd)
		return end, err
	}
	if _, err := do(bench.KindBackup, wanted); err == nil || !strings.Contains(bench.Explain(err), "--backups") {
		t.Errorf("without a folder: %v", err)
	}
	folder := t.TempDir()
	s.Saves = bench.Folder(folder)
	end, err := do(bench.KindBackup, wanted)
	if err != nil || end.Packages != 2 || end.Files != 4 || !end.Settings || len(end.Wrong) != 1 || end.Wrong[0].Package != "com.nobody.has.it" {
		t.Fatalf("%+v, %v", end, err)
	}
	if end, err := do(bench.KindVerify, nil); err != nil || end.Files != 4 || len(end.Wrong) != 0 {
		t.Errorf("%+v, %v", end, err)
	}
	// One file is lost, another is tampered with: both are named, and going on
	// with the backup fetches them anew.
	at := filepath.Join(folder, id.String(), "app.split.one")
	if err := os.Remove(filepath.Join(at, "split_config.en.apk")); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(at, "split_config.arm64_v8a.apk"), []byte("tampered"), 0o600); err != nil {
		t.Fatal(err)
	}
	if end, err := do(bench.KindVerify, nil); err != nil || end.Files != 2 || len(end.Wrong) != 2 {
		t.Errorf("%+v, %v", end, err)
	}
	if end, err := do(bench.KindRestore, wanted[:1]); err != nil || len(end.Wrong) != 1 {
		t.Errorf("what was tampered with was installed: %+v, %v", end, err)
	}
	if end, err := do(bench.KindBackup, wanted); err != nil || end.Files != 4 {
		t.Errorf("%+v, %v", end, err)
	}
	// A line that was cut off in a power cut is left out.
	manifest := filepath.Join(folder, id.String(), "manifest.jsonl")
	f, err := os.OpenFile(manifest, os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		t.Fatal(err)
	}
	f.WriteString(`{"package":"app.split.on`)
	f.Close()
	k := keep(t, remove("app.split.one"))
	if err := k.do(s, p); err != nil || k.all() != "done" {
		t.Fatalf("%v: %s", err, k.all())
	}
	if end, err := do(bench.KindRestore, wanted[:1]); err != nil || end.Packages != 1 || end.Files != 3 {
		t.Errorf("%+v, %v", end, err)
	}
	k = keep(t, core.Step{Kind: core.Look})
	if err := k.do(s, p); err != nil || !slices.Contains(k.reports[0].Seen.Installed, "app.split.one") {
		t.Errorf("it is not back: %v", err)
	}
	// What a manifest names lies in its folder, or it is not read.
	if err := os.WriteFile(manifest, []byte("{}\n"+`{"package":"a.b","file":"../../etc/passwd","size":1,"sha256":""}`+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := do(bench.KindVerify, nil); err == nil {
		t.Error("a manifest that leads out of its folder was followed")
	}
	// It is deleted whole, and nothing beside it; and that it is gone is no error.
	beside := filepath.Join(folder, uuid.NewString())
	if err := os.Mkdir(beside, 0o700); err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if _, err := do(bench.KindDiscard, nil); err != nil {
			t.Error(err)
		}
	}
	if list, err := os.ReadDir(folder); err != nil || len(list) != 1 || list[0].Name() != filepath.Base(beside) {
		t.Errorf("%v, %v", list, err)
	}
	if _, err := s.Do(t.Context(), bench.Request{Kind: bench.KindDiscard}, r); err == nil {
		t.Error("nobody said which, and something was deleted")
	}
	for _, name := range []string{"", ".", "..", "../x", "/etc"} {
		if s.Saves.Remove(name) == nil {
			t.Errorf("%q was removed", name)
		}
	}
}
