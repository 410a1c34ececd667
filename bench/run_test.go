package bench_test

import (
	"context"
	"errors"
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
	id        uuid.UUID // the run's
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
	k := &keeper{t: t, steps: steps, states: map[int]core.State{}, words: map[int]string{}, id: uuid.New()}
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
		alone := s.Alone()
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
	_, err := s.Do(k.t.Context(), bench.Request{Kind: bench.KindRun, Phone: p.Handle, Run: k.id, Attempt: 1, Keys: k.keys}, k)
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
	if before[0] != "default,default,granted,user,5" || after[0] != "ignore,ignore,revoked,-,45" ||
		after[2] != before[2] || after[3] != "ignore,ignore,granted,-,45" {
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
