package run

import (
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

const (
	loud  = "default,default,granted,user,10"
	quiet = "ignore,ignore,revoked,-,45"
)

// quietened is an answer of a phone on which a package is quiet, or loud as it was.
func quietened(is bool) string {
	if is {
		return "Removed: a.one --noise-any RUN_ANY_IN_BACKGROUND: ignore --noise-in RUN_IN_BACKGROUND: ignore " +
			"--noise-note No operations. --noise-may android.permission.POST_NOTIFICATIONS: granted=false --noise-exempt --noise-bucket 45"
	}
	return "--noise-any No operations. --noise-in No operations. --noise-note No operations. " +
		"--noise-may android.permission.POST_NOTIFICATIONS: granted=true --noise-exempt user,a.one,10050 --noise-bucket 10"
}

// TestQuietenSteps follows a package that is quietened and put back: what it might
// do stands in the journal before, and what the phone shows decides.
func TestQuietenSteps(t *testing.T) {
	step := Step{Number: 1, Kind: Remove, Method: evidence.Quieten, Package: "a.one"}
	key := step.Touches()
	if get, err := key.Get(); err != nil || !strings.Contains(get, "cmd appops get a.one RUN_ANY_IN_BACKGROUND") ||
		key.Value(quietened(false)) != loud || key.Value("nothing") != "" {
		t.Errorf("%q, %v", get, err)
	}
	if _, err := (Key{Quiet, "a.one; reboot"}).Get(); err == nil {
		t.Error("a hostile name reaches a command")
	}
	k := NewKept([]Step{step, {Number: 2, Kind: Restart}}, "p", "phone", "f")
	if err := k.Resume(false, nil); err != nil {
		t.Fatal(err)
	}
	seen := func(noise string, boots int) *Seen {
		return &Seen{Fingerprint: "f", Boots: boots, Known: []android.PackageName{"a.one"}, Installed: []android.PackageName{"a.one"},
			Settings: map[string]string{key.String(): noise}}
	}
	if _, err := k.Advance(Report{Attempt: 1, Serial: "p", Seen: seen(loud, 1), Want: 2}); err != nil || k.Steps[0].Before != loud {
		t.Fatalf("%v: %+v", err, k.Steps[0])
	}
	for _, c := range []struct {
		words string
		state State
		says  string
	}{
		{quietened(true), Done, "quiet"},
		{strings.Replace(quietened(true), "granted=false", "granted=true", 1), Done, "still notifies"},
		{"Exception occurred while executing 'set': java.lang.SecurityException " + quietened(false), Refused,
			"still works in the background, notifies, is left out of what saves the battery. Exception occurred while executing 'set': java.lang.SecurityException"},
		{"cmd: Can't find service: appops", Failed, "cmd: Can't find service: appops"},
		{"Error: No UID for a.one in user 0", Absent, "Error: No UID for a.one in user 0"},
	} {
		if state, _ := step.Judge(c.words, 0); state != c.state || step.Says(c.words) != c.says {
			t.Errorf("%s: %s, %q", c.words, state, step.Says(c.words))
		}
	}
	// The answer is lost: a phone that shows it did it, one that shows it did not.
	for noise, want := range map[string]State{quiet: Done, loud: Waiting, "": Waiting} {
		if state, _ := step.Settle(seen(noise, 1), loud); state != want {
			t.Errorf("%q: %s", noise, state)
		}
	}
	k.answer([]StepAnswer{{Step: 1, State: Done, Words: "quiet"}})
	k.Look(seen(quiet, 2), false)
	if len(k.Back) != 0 {
		t.Errorf("what is quiet counts as back: %v", k.Back)
	}
	k.Look(seen(loud, 2), false)
	if k.Back["a.one"] != "back-after-restart" {
		t.Errorf("what is loud again is not noticed: %v", k.Back)
	}
	// It may notify again, and that had been taken from it; of another it never was.
	k.Back = nil
	k.Look(seen("ignore,ignore,granted,-,45", 2), false)
	if k.Back["a.one"] != "back-after-restart" {
		t.Errorf("what notifies again is not noticed: %v", k.Back)
	}
	k.Back, k.Steps[0].Words = nil, "still notifies"
	k.Look(seen("ignore,ignore,granted,-,45", 2), false)
	if len(k.Back) != 0 {
		t.Errorf("what never stopped notifying is loud again: %v", k.Back)
	}
	k.Steps[0].Words = "quiet"
	undo := Undo(k.List(), nil)
	if len(undo) != 1 || undo[0].Value != loud || undo[0].Method != evidence.Quieten {
		t.Fatalf("%+v", undo)
	}
	line, err := undo[0].Command(34)
	if err != nil || !strings.Contains(line, "cmd deviceidle whitelist +a.one; am set-standby-bucket a.one active") {
		t.Errorf("%q, %v", line, err)
	}
	if state, _ := undo[0].Judge(quietened(false), 0); state != Done || undo[0].Says(quietened(false)) != "as before" {
		t.Error(undo[0].Says(quietened(false)))
	}
	if state, _ := undo[0].Judge(quietened(true), 0); state != Refused || undo[0].Says(quietened(true)) != "not as before: quiet. Removed: a.one" {
		t.Error(undo[0].Says(quietened(true)))
	}
	undo[0].Value = "default,$(reboot),granted,user,10"
	if line, err := undo[0].Command(34); err == nil {
		t.Errorf("a hostile value reaches a command: %q", line)
	}
	log := Log(k.List(), "d", "f")
	if !strings.Contains(log, "done\tquieten\ta.one\t"+loud+"\n") {
		t.Error(log)
	}
	if l, err := ReadLog(log + "done\tquieten\ta.two\t$(reboot)\n"); err != nil || len(l.Steps) != 1 || l.Steps[0].Before != loud || len(l.LeftOut) != 1 {
		t.Errorf("%+v, %v", l, err)
	}
}

// TestPlaces undoes what was put in as far as the run did it, in runs and in logs.
func TestPlaces(t *testing.T) {
	seen := &Seen{Installed: []android.PackageName{"a.there"}, Facts: android.PhoneFacts{
		Roles:     []android.Role{{Name: "HOME", Holders: []android.PackageName{"a.home"}}},
		Keyboards: []android.Keyboard{{Package: "a.keys", Component: "x", Default: true}},
	}}
	var list []Journal
	for i, c := range []struct {
		step  Step
		state State
		undo  string // "" for nothing to undo
	}{
		{Step{Kind: PutIn, Package: "a.new", Role: "HOME"}, Done, "absent a.home"},
		{Step{Kind: PutIn, Package: "a.board", Role: "KEYBOARD"}, Failed, "absent a.keys"},
		{Step{Kind: PutIn, Package: "a.plain"}, Unknown, "absent"},
		{Step{Kind: PutIn, Package: "a.there", Role: "HOME"}, Done, "there a.home"},
		{Step{Kind: PutIn, Package: "a.there"}, Done, ""},
		{Step{Kind: PutIn, Package: "a.skipped"}, Skipped, ""},
		{Step{Kind: PutIn, Text: "by hand"}, Done, ""},
	} {
		c.step.Number = i + 1
		j := Journal{Step: c.step, State: c.state}
		j.Before, _ = c.step.Had(seen)
		got := ""
		if undo := takeOut(j); undo != nil {
			got = undo.Value
		}
		if got != c.undo || ParsePlace(j.Before).String() != j.Before && j.Before != "" {
			t.Errorf("%+v %s: %q", c.step, j.Before, got)
		}
		list = append(list, j)
	}
	// One whose answer was lost when the package was there waits, and is undone.
	half := Journal{Step: Step{Kind: PutIn, Package: "a.there", Role: "HOME"}, Before: "absent a.home"}
	half.State, half.Words = half.Settle(seen, half.Before)
	if undo := takeOut(half); half.State != Waiting || undo == nil || undo.Value != "absent a.home" {
		t.Errorf("%+v", half)
	}
	if half.Words = ""; takeOut(half) != nil {
		t.Error("what was never begun is undone")
	}
	list = append(list, Journal{Step: Step{Number: 8, Kind: Remove, Method: evidence.RemoveForUser, Package: "a.gone"}, State: Done})
	undo := Undo(list, nil)
	if len(undo) != 5 || undo[0].Kind != PutBack || undo[4].Kind != TakeOut || undo[4].Package != "a.new" {
		t.Errorf("%+v", undo)
	}
	if some := Undo(list, []android.PackageName{"a.gone"}); len(some) != 1 {
		t.Errorf("%+v", some)
	}
	list = append(list, Journal{Step: undo[4], State: Done})
	if in := PutIns(list); len(in) != 3 {
		t.Errorf("%+v", in)
	}
	log := Log(list[:8], "d", "f")
	if !strings.Contains(log, "put-in\tHOME\ta.new\tabsent a.home\n") || !strings.Contains(log, "put-in\t-\ta.plain\tabsent\n") {
		t.Error(log)
	}
	l, err := ReadLog(log + "put-in\tHOME;x\ta.b\tabsent\nput-in\t-\ta.b;x\tabsent\nput-in\t-\ta.b\tabsent x;reboot\n")
	if err != nil || len(l.LeftOut) != 2 || len(l.Steps) != 6 || l.Steps[5].Before != "absent" {
		t.Errorf("%+v, %v", l, err)
	}
}

// TestRehearseQuiet tells what stays and is quietened apart from what goes, and
// lets a person choose it for one phone.
func TestRehearseQuiet(t *testing.T) {
	d := document()
	var first profile.Step
	for _, s := range d.Removals() {
		if s.Method == evidence.RemoveForUser {
			first = s
			break
		}
	}
	c := Choices{Quiet: []android.PackageName{first.Package}, Off: []android.PackageName{first.Package}}
	before, after := Rehearse(d, subject(nil), Choices{}), Rehearse(d, subject(nil), c)
	if after.Count.Quietens != 1 || after.Count.Goes != before.Count.Goes-1 {
		t.Errorf("%+v, before %+v", after.Count, before.Count)
	}
	for _, r := range after.Rows {
		if r.Kind == profile.Remove && r.Package == first.Package && (r.Would != WouldQuieten || !r.Off || r.Method != evidence.Quieten) {
			t.Errorf("%+v", r)
		}
	}
	for _, s := range Plan(d, c) {
		if s.Kind == Remove && s.Package == first.Package && s.Method != evidence.Quieten {
			t.Errorf("%+v", s)
		}
	}
}
