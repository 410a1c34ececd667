package run

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
)

// document is a release with a step of every kind.
func document() *profile.Document {
	steps := []profile.Step{
		{Kind: profile.PutIn, Phase: profile.Before, Package: "org.open.home", Label: "Open Home", Role: "HOME", Text: "Put in Open Home"},
		{Kind: profile.PutIn, Phase: profile.Before, Label: "a calendar", Text: "Where wanted, put in a calendar"},
		{Kind: profile.WithdrawAdmin, Phase: profile.Before, Package: "com.maker.demo", Text: "Withdraw it"},
		{Kind: profile.Check, Phase: profile.Before, Package: "com.maker.lock", Text: "Lock goes only if: not lock-code-set"},
		{Kind: profile.Check, Phase: profile.Before, Package: "com.maker.pay", Text: "Pay goes only if: no card is in it"},
		{Kind: profile.Setting, Phase: profile.Before, Namespace: "global", Key: "window_animation_scale", Value: "0.5"},
		{Kind: profile.HoldUpdates, Phase: profile.Before, Namespace: profile.HoldNamespace, Key: profile.HoldKey, Value: profile.HoldValue},
		{Kind: profile.Remove, Method: evidence.RemoveForUser, Package: "com.maker.tips", Label: "Tips"},
		{Kind: profile.Remove, Method: evidence.RemoveForUser, Package: "com.maker.demo"},
		{Kind: profile.Remove, Method: evidence.Disable, Package: "com.maker.pay", Costs: []string{"payments"}, Conditions: []string{"no card is in it"}},
		{Kind: profile.Remove, Method: evidence.RemoveForUser, Package: "com.maker.lock", Conditions: []string{"not lock-code-set"}},
		{Kind: profile.Remove, Method: evidence.RemoveForUser, Package: "com.maker.home"},
		{Kind: profile.Remove, Method: evidence.RemoveForUser, Package: "com.maker.absent"},
		{Kind: profile.Wait, Phase: profile.After, Seconds: 20},
		{Kind: profile.Check, Phase: profile.Afterward, Text: "Restart the phone"},
		{Kind: profile.Check, Phase: profile.Afterward, Text: "Pay by touch"},
		{Kind: profile.Check, Phase: profile.Afterward, Text: "Try file sharing"},
	}
	for i := range steps {
		steps[i].Number = i + 1
	}
	return &profile.Document{Maker: profile.Maker{Manufacturer: "Maker", Name: "Maker"}, Model: profile.Model{Device: "one", Name: "One", Form: "phone"}, Steps: steps,
		Builds: []profile.Build{{Fingerprint: "f1", Proof: profile.Proven}, {Fingerprint: "f2", Proof: profile.CarriedOver}, {Fingerprint: "f3"}},
		Costs:  []profile.Loss{{Function: "payments", Packages: []android.PackageName{"com.maker.pay"}, Seen: true}}}
}

func installed(names ...android.PackageName) (list []android.Package) {
	for _, n := range names {
		list = append(list, android.Package{Name: n, Installed: true, Enabled: android.EnabledDefault, System: true, Path: "/system/app"})
	}
	return list
}

// subject is a phone that the document is for.
func subject(change func(*Subject)) Subject {
	s := Subject{Identity: android.Identity{Manufacturer: "maker", Device: "one", Fingerprint: "f1", Form: "phone"},
		Packages: installed("com.maker.tips", "com.maker.demo", "com.maker.pay", "com.maker.lock", "com.maker.home", "org.open.home", "com.maker.keys"),
		Facts: android.PhoneFacts{Roles: []android.Role{{Name: "HOME", Holders: []android.PackageName{"com.maker.home"}, Able: []android.PackageName{"com.maker.home", "org.open.home"}}},
			Keyboards: []android.Keyboard{{Package: "com.maker.keys", Default: true}}, LockCode: android.LockCodeNotSet},
		Labels: map[android.PackageName]string{}}
	if change != nil {
		change(&s)
	}
	s.Net = impact.Read(impact.Phone{Form: "phone", Packages: s.Packages, Facts: s.Facts})
	return s
}

func TestFits(t *testing.T) {
	for fingerprint, want := range map[string]Fit{"f1": ProvenHere, "f2": SameModel, "f3": SameModel, "f4": SameModel} {
		if got, why := Fits(document(), android.Identity{Manufacturer: "MAKER", Device: "one", Fingerprint: fingerprint}); got != want || why == "" {
			t.Errorf("%s: %s (%s), want %s", fingerprint, got, why, want)
		}
	}
	for _, id := range []android.Identity{{Manufacturer: "Maker", Device: "two", Fingerprint: "f1"}, {Manufacturer: "Other", Device: "one", Fingerprint: "f1"}} {
		if got, _ := Fits(document(), id); got != NotMade {
			t.Errorf("%+v fits: %s", id, got)
		}
	}
}

func TestRehearse(t *testing.T) {
	seen := Choices{Seen: []int{5}}
	for what, c := range map[string]struct {
		phone   func(*Subject)
		choices Choices
		want    Count
		stops   string // part of one; "" for none
	}{
		"as it is":             {nil, seen, Count{Goes: 5, Absent: 1}, ""},
		"a condition unseen":   {nil, Choices{}, Count{Goes: 5, Absent: 1}, "step 5 is not seen to"},
		"a lock code set":      {func(s *Subject) { s.Facts.LockCode = android.LockCodeSet }, seen, Count{Goes: 5, Absent: 1}, "not lock-code-set; that is not so"},
		"lock left out":        {func(s *Subject) { s.Facts.LockCode = android.LockCodeSet }, Choices{Seen: []int{5}, Leave: []android.PackageName{"com.maker.lock"}}, Count{Goes: 4, Absent: 1, LeftOut: 1}, ""},
		"an administrator":     {func(s *Subject) { s.Facts.Administrators = []android.PackageName{"com.maker.demo"} }, seen, Count{Goes: 5, Absent: 1}, "active device administrator"},
		"payments kept":        {nil, Choices{Keep: []string{"payments"}}, Count{Goes: 4, Absent: 1, LeftOut: 1}, ""},
		"gone before":          {func(s *Subject) { s.Packages[0].Installed = false }, seen, Count{Goes: 4, Absent: 1, Already: 1}, ""},
		"off before":           {func(s *Subject) { s.Packages[2].Enabled = android.EnabledOffByUser }, seen, Count{Goes: 4, Absent: 1, Already: 1}, ""},
		"refused by trials":    {func(s *Subject) { s.Refused = map[android.PackageName]int{"com.maker.tips": 2} }, seen, Count{Goes: 4, Absent: 1, Refuses: 1}, ""},
		"switched off instead": {func(s *Subject) { s.Refused = map[android.PackageName]int{"com.maker.tips": 2} }, Choices{Seen: []int{5}, Off: []android.PackageName{"com.maker.tips"}}, Count{Goes: 5, Absent: 1}, ""},
		"no substitute": {func(s *Subject) {
			s.Packages = slices.Delete(s.Packages, 5, 6)
			s.Facts.Roles[0].Able = s.Facts.Roles[0].Able[:1]
		}, seen, Count{Goes: 5, Absent: 1}, "Open Home is not on this phone"},
		"nothing in its place": {func(s *Subject) {
			s.Packages = slices.Delete(s.Packages, 5, 6)
			s.Facts.Roles[0].Able = s.Facts.Roles[0].Able[:1]
		}, Choices{Seen: []int{5}, Without: []int{1}}, Count{Goes: 5, Absent: 1}, "nobody could be the phone's HOME"},
		"another model":         {func(s *Subject) { s.Identity.Device = "two" }, seen, Count{Goes: 5, Absent: 1}, "another model"},
		"another firmware":      {func(s *Subject) { s.Identity.Fingerprint = "f9" }, seen, Count{Goes: 5, Absent: 1}, "not made for the phone's firmware"},
		"anyway":                {func(s *Subject) { s.Identity.Fingerprint = "f9" }, Choices{Seen: []int{5}, Anyway: true}, Count{Goes: 5, Absent: 1}, ""},
		"nothing of it is here": {func(s *Subject) { s.Packages = installed("com.maker.keys"); s.Facts.Roles = nil }, Choices{Without: []int{1}}, Count{Absent: 6}, "nothing of it would go"},
	} {
		r := Rehearse(document(), subject(c.phone), c.choices)
		if r.Count != c.want {
			t.Errorf("%s: %+v, want %+v", what, r.Count, c.want)
		}
		all := StopWords(r.Stops)
		if c.stops == "" && all != "" || !strings.Contains(all, c.stops) {
			t.Errorf("%s: stops %q, want %q", what, all, c.stops)
		}
	}
}

func TestRehearsalTells(t *testing.T) {
	s := subject(func(s *Subject) {
		s.Packages = append(s.Packages, android.Package{Name: "org.owner.app", Installed: true, Path: "/data/app/x", Partition: "data", Uses: []android.LibraryUse{{Name: "tips.lib", Kind: "required"}}})
		s.Packages[0].Provides = []string{"tips.lib"}
		s.Packages[0].StartsAtBoot, s.Packages[0].DataBytes = true, 1000
		s.ComesBack = map[android.PackageName]int{"com.maker.tips": 3}
	})
	r := Rehearse(document(), s, Choices{Seen: []int{5}})
	if len(r.Owners) != 1 || r.Owners[0].Package != "org.owner.app" || r.Owners[0].Strength != impact.Hard {
		t.Errorf("the owner's app that rests on what goes: %+v", r.Owners)
	}
	if r.Bytes != 1000 || r.Starters != 1 {
		t.Errorf("%d bytes, %d starters", r.Bytes, r.Starters)
	}
	i := slices.IndexFunc(r.Rows, func(row Row) bool { return row.Package == "com.maker.tips" })
	if r.Rows[i].ComesBack != 3 {
		t.Errorf("%+v", r.Rows[i])
	}
	if len(r.Questions) != 1 || r.Questions[0].Asks != "Do you pay by touch?" || r.Questions[0].Kept {
		t.Errorf("%+v", r.Questions)
	}
	if q := Ask("water-proofing"); q != "Do you use it for water proofing?" {
		t.Error(q)
	}
	// The home screen that is put in holds its job then.
	if i := slices.IndexFunc(r.Jobs, func(j profile.RoleThen) bool { return j.Role == "HOME" }); i < 0 || r.Jobs[i].State != "put-in" {
		t.Errorf("%+v", r.Jobs)
	}
}

// TestPlanAgrees holds the plan of a run to its rehearsal, whatever is chosen:
// what would go is what is planned to go.
func TestPlanAgrees(t *testing.T) {
	chance := rand.New(rand.NewPCG(7, 7))
	d := document()
	for range 300 {
		var c Choices
		for _, s := range d.Removals() {
			switch chance.IntN(4) {
			case 0:
				c.Leave = append(c.Leave, s.Package)
			case 1:
				c.Off = append(c.Off, s.Package)
			}
		}
		if chance.IntN(2) == 0 {
			c.Keep = []string{"payments"}
		}
		for _, s := range d.Before() {
			if chance.IntN(4) == 0 {
				c.Without = append(c.Without, s.Number)
			}
		}
		c.NoRestart = chance.IntN(2) == 0
		r := Rehearse(d, subject(nil), c)
		plan := Plan(d, c)
		for i, s := range plan {
			if s.Number != i+1 {
				t.Fatalf("step %d is numbered %d", i+1, s.Number)
			}
			if _, err := s.Command(33); err != nil {
				t.Fatal(err)
			}
		}
		for _, row := range r.Rows {
			if row.Kind != profile.Remove || row.Would == WouldAbsent {
				continue
			}
			i := slices.IndexFunc(plan, func(s Step) bool { return s.Kind == Remove && s.Package == row.Package })
			if goes := row.Would == WouldGo; goes != (i >= 0) {
				t.Fatalf("%s %s, and in the plan: %t (%+v)", row.Package, row.Would, i >= 0, c)
			} else if goes && plan[i].Method != row.Method {
				t.Fatalf("%s by %s, planned by %s", row.Package, row.Method, plan[i].Method)
			}
		}
		if last := plan[len(plan)-1]; last.Kind != Look || slices.ContainsFunc(plan, func(s Step) bool { return s.Kind == Restart }) == c.NoRestart {
			t.Fatalf("%+v", plan)
		}
	}
}

func TestCommand(t *testing.T) {
	for what, c := range map[string]struct {
		step Step
		sdk  int
		want string
	}{
		"remove":       {Step{Kind: Remove, Method: evidence.RemoveForUser, Package: "com.a.b"}, 34, "pm uninstall --user 0 com.a.b"},
		"disable":      {Step{Kind: Remove, Method: evidence.Disable, Package: "com.a.b"}, 34, "pm disable-user --user 0 com.a.b"},
		"back":         {Step{Kind: PutBack, Method: evidence.RemoveForUser, Package: "com.a.b"}, 34, "cmd package install-existing --user 0 com.a.b"},
		"back, before": {Step{Kind: PutBack, Method: evidence.RemoveForUser, Package: "com.a.b"}, 26, "pm install-existing --user 0 com.a.b"},
		"on again":     {Step{Kind: PutBack, Method: evidence.Disable, Package: "com.a.b"}, 34, "pm enable --user 0 com.a.b"},
		"a setting":    {Step{Kind: Setting, Namespace: "global", Key: "a_b", Value: "0.5"}, 34, "settings put global a_b 0.5"},
		"hostile":      {Step{Kind: SetBack, Namespace: "global", Key: "a_b", Value: "x'; reboot; '"}, 34, `settings put global a_b 'x'\''; reboot; '\'''`},
		"not set":      {Step{Kind: SetBack, Namespace: "global", Key: "a_b", Value: "null"}, 34, "settings delete global a_b"},
		"a wait":       {Step{Kind: Wait, Seconds: 3}, 34, ""},
	} {
		if got, err := c.step.Command(c.sdk); err != nil || got != c.want {
			t.Errorf("%s: %q, %v; want %q", what, got, err, c.want)
		}
	}
	for _, bad := range []Step{
		{Kind: Remove, Method: evidence.RemoveForUser, Package: "com.a;reboot"}, {Kind: Remove, Method: evidence.RemoveFromImage, Package: "com.a.b"},
		{Kind: Setting, Namespace: "root", Key: "a"}, {Kind: Setting, Namespace: "global", Key: "a b"}, {Kind: PutBack, Package: "$(reboot)"},
	} {
		if line, err := bad.Command(34); err == nil {
			t.Errorf("%+v became %q", bad, line)
		}
	}
	seen := &Seen{SDK: 34, Facts: android.PhoneFacts{Keyboards: []android.Keyboard{
		{Package: "com.a.keys", Component: ".Service"},
		{Package: "com.b.keys", Component: "com.b.keys.in.Service"},
		{Package: "com.a.bad", Component: "x;reboot"},
	}}}
	if line, err := RoleCommand(seen, "HOME;x", "com.a.b"); err == nil {
		t.Errorf("a hostile role became %q", line)
	}
	for of, want := range map[[2]string]string{
		{"HOME", "com.a.b"}:        "cmd role add-role-holder --user 0 android.app.role.HOME com.a.b",
		{"KEYBOARD", "com.a.keys"}: "ime enable com.a.keys/.Service; ime set com.a.keys/.Service",
		{"KEYBOARD", "com.b.keys"}: "ime enable com.b.keys/.in.Service; ime set com.b.keys/.in.Service",
		{"KEYBOARD", "com.a.bad"}:  "", {"KEYBOARD", "com.a.b"}: "", {"WEB_VIEW", "com.a.b"}: "",
	} {
		if line, err := RoleCommand(seen, of[0], android.PackageName(of[1])); err != nil || line != want {
			t.Errorf("%v: %q, %v", of, line, err)
		}
	}
	for _, grants := range [][]string{{"android.permission.CAMERA;reboot"}, {"$(reboot)"}, {"CAMERA"}, {""}} {
		if lines, err := (Step{Package: "com.a.b", Grants: grants}).GrantCommands(); err == nil {
			t.Errorf("%q became %q", grants, lines)
		}
	}
	for name, want := range map[android.PackageName]string{"com.a.b": "dumpsys package com.a.b | grep -F versionCode=", "com.a.b;reboot": "", "": ""} {
		if line, err := (Step{Package: name}).VersionQuestion(); line != want || (err == nil) != (want != "") {
			t.Errorf("%q became %q, %v", name, line, err)
		}
	}
	for answer, want := range map[string]int64{
		"    versionCode=4294967301 minSdk=23 targetSdk=34\r\n": 4294967301, "Unable to find package: com.a.b": 0, "versionCode=": 0} {
		if got := ReadVersion([]byte(answer)); got != want {
			t.Errorf("%q: %d", answer, got)
		}
	}
}

func TestJudge(t *testing.T) {
	remove, off := Step{Kind: Remove, Method: evidence.RemoveForUser}, Step{Kind: Remove, Method: evidence.Disable}
	back, set := Step{Kind: PutBack, Method: evidence.RemoveForUser}, Step{Kind: Setting}
	for _, c := range []struct {
		step  Step
		words string
		code  int
		state State
		sense bool
	}{
		{remove, "Success", 0, Done, true},
		{remove, "Failure [not installed for 0]", 1, Already, true},
		{remove, "Failure [DELETE_FAILED_INTERNAL_ERROR]", 1, Refused, true},
		{remove, "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]", 0, Refused, true}, // old releases: code 0
		{remove, "Error: java.lang.IllegalArgumentException: Unknown package: a.b", 255, Absent, true},
		{remove, "cmd: Can't find service: package", 20, Failed, true},
		{remove, "error: closed", 1, Failed, true},
		{remove, "", 0, Failed, false},
		{remove, "bananas", 0, Failed, false},
		{off, "Package a.b new state: disabled-user", 0, Done, true},
		{off, "Success", 0, Failed, false}, // that is no answer to this
		{off, "Error: java.lang.SecurityException: Cannot disable a protected package: a.b", 255, Refused, true},
		{back, "Package a.b installed for user: 0", 0, Done, true},
		{back, "android.content.pm.PackageManager$NameNotFoundException: Package a.b doesn't exist", 1, Failed, true},
		{set, "", 0, Done, true},
		{set, "Error: Invalid namespace 'x'", 255, Refused, true},
	} {
		if state, sense := c.step.Judge(c.words, c.code); state != c.state || sense != c.sense {
			t.Errorf("%s %q: %s (%t), want %s (%t)", c.step.Kind, c.words, state, sense, c.state, c.sense)
		}
	}
	for words, want := range map[string]Advice{
		"Failure [DELETE_FAILED_INTERNAL_ERROR]": SwitchOff, "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]": Withdraw,
		"Package a.b doesn't exist": Restore, "Cannot disable a protected package": Hush, "who knows": SwitchOff} {
		if m := remove.Explain(words); m.Means == "" || m.Try[0] != want {
			t.Errorf("%q: %+v", words, m)
		}
	}
	// Only what is gentler than what failed is offered.
	if m := off.Explain("who knows"); m.Try[0] != Hush {
		t.Errorf("%+v", m)
	}
	if m := (Step{Kind: Remove, Method: evidence.Quieten}).Explain("who knows"); len(m.Try) != 1 || m.Try[0] != Leave {
		t.Errorf("%+v", m)
	}
}

func TestSettle(t *testing.T) {
	seen := &Seen{Known: []android.PackageName{"a.on", "a.gone", "a.off"}, Installed: []android.PackageName{"a.on", "a.off"}, Off: []android.PackageName{"a.off"}, Boots: 4, Settings: map[string]string{"global/x": "1"}}
	for _, c := range []struct {
		step   Step
		before string
		want   State
	}{
		{Step{Kind: Remove, Method: evidence.RemoveForUser, Package: "a.on"}, "", Waiting},
		{Step{Kind: Remove, Method: evidence.RemoveForUser, Package: "a.gone"}, "", Done},
		{Step{Kind: Remove, Method: evidence.Disable, Package: "a.off"}, "", Done},
		{Step{Kind: Remove, Method: evidence.Disable, Package: "a.on"}, "", Waiting},
		{Step{Kind: PutBack, Method: evidence.RemoveForUser, Package: "a.on"}, "", Done},
		{Step{Kind: PutBack, Method: evidence.RemoveForUser, Package: "a.gone"}, "", Waiting},
		{Step{Kind: PutBack, Method: evidence.Disable, Package: "a.off"}, "", Waiting},
		{Step{Kind: Setting, Namespace: "global", Key: "x", Value: "1"}, "0", Done},
		{Step{Kind: Setting, Namespace: "global", Key: "x", Value: "2"}, "0", Waiting},
		{Step{Kind: Restart}, "3", Done},
		{Step{Kind: Restart}, "4", Waiting},
		{Step{Kind: Restart}, "", Waiting},
		{Step{Kind: Wait, Seconds: 9}, "", Waiting},
	} {
		if got, _ := c.step.Settle(seen, c.before); got != c.want {
			t.Errorf("%+v: %s, want %s", c.step, got, c.want)
		}
	}
}

func TestGuard(t *testing.T) {
	seen := &Seen{Installed: []android.PackageName{"a.home", "b.home", "a.keys", "a.other"}, Facts: android.PhoneFacts{
		Roles:     []android.Role{{Name: "HOME", Able: []android.PackageName{"a.home", "b.home"}}, {Name: "BROWSER", Able: []android.PackageName{"a.other"}}},
		Keyboards: []android.Keyboard{{Package: "a.keys", Default: true}}}}
	g, first := NewGuard("phone", seen), NewGuard("phone", seen)
	if r := g.Empties("a.keys"); r != impact.Keyboard {
		t.Errorf("the only keyboard: %q", r)
	}
	if r := g.Empties("a.home"); r != "" {
		t.Errorf("one of two home screens: %q", r)
	}
	if r := g.Empties("a.other"); r != "" {
		t.Errorf("a browser is wanted, not vital: %q", r)
	}
	g.Gone("a.home")
	if r := g.Empties("b.home"); r != "HOME" {
		t.Errorf("the last home screen: %q", r)
	}
	g.Gone("b.home")
	if e := g.Empty(first); !slices.Equal(e, []string{"HOME"}) {
		t.Errorf("%v", e)
	}
	seen.Off = []android.PackageName{"b.home"}
	if r := NewGuard("phone", seen).Empties("a.home"); r != "HOME" {
		t.Errorf("a home screen that is switched off counts: %q", r)
	}
	now := *seen
	now.Installed = []android.PackageName{"b.home", "a.keys"}
	jobs := Jobs("phone", seen, &now)
	if jobs[0].Role != "HOME" || !slices.Equal(jobs[0].Now, []android.PackageName{"b.home"}) {
		t.Errorf("%+v", jobs)
	}
}

// journalOf makes a journal in which packages went.
func journalOf(names ...android.PackageName) (list []Journal) {
	for i, n := range names {
		list = append(list, Journal{Step: Step{Number: i + 1, Kind: Remove, Method: evidence.RemoveForUser, Package: n}, State: Done})
	}
	return list
}

func TestUndo(t *testing.T) {
	list := journalOf("a.one", "a.two", "a.three")
	list[1].State = Refused
	list = append(list, Journal{Step: Step{Number: 4, Kind: Setting, Namespace: "global", Key: "x", Value: "2"}, State: Done, Before: "1"})
	all := Undo(list, nil)
	var words []string
	for _, s := range all {
		words = append(words, fmt.Sprint(s.Number, s.Kind, s.Package, s.Value, s.Undoes))
	}
	if got, want := strings.Join(words, ","), "5set-back14,6put-backa.three3,7put-backa.one1"; strings.ReplaceAll(got, " ", "") != want {
		t.Errorf("%s, want %s", got, want)
	}
	if one := Undo(list, []android.PackageName{"a.one"}); len(one) != 1 || one[0].Package != "a.one" {
		t.Errorf("%+v", one)
	}
	list = append(list, Journal{Step: all[2], State: Done})
	if off := Off(list); len(off) != 1 || off[0].Package != "a.three" {
		t.Errorf("%+v", off)
	}
	if s, ok := Instead(list, 2, evidence.Disable); !ok || s.Method != evidence.Disable || s.Again != 2 || s.Number != 8 {
		t.Errorf("%+v, %t", s, ok)
	}
	if _, ok := Instead(list, 1, evidence.Disable); ok {
		t.Error("what went is switched off instead")
	}
	if s, ok := Instead(list, 2, evidence.Quieten); !ok || s.Method != evidence.Quieten {
		t.Errorf("%+v, %t", s, ok)
	}
	list[1].Method = evidence.Quieten
	if _, ok := Instead(list, 2, evidence.Disable); ok {
		t.Error("what could not be quietened is switched off instead")
	}
}

func TestOwnCeiling(t *testing.T) {
	for what, c := range map[string]struct {
		runs            []Ran
		phones, harmed  int
		ceiling, within float64
	}{
		"none":              {nil, 0, 0, 1, 0},
		"not checked":       {[]Ran{{"a", false, false}}, 0, 0, 1, 0},
		"ten clean":         {ten(false), 10, 0, 0.258866, 1e-6}, // Clopper-Pearson, as in evidence
		"twice on one":      {[]Ran{{"a", true, false}, {"a", true, false}}, 1, 0, 0.95, 1e-9},
		"the worst stands":  {[]Ran{{"a", true, false}, {"a", false, true}}, 1, 1, 1, 0},
		"harm needs no day": {append(ten(false), Ran{"x", false, true}), 11, 1, 0.364, 1e-3},
	} {
		o := OwnCeiling(c.runs)
		if o.Phones != c.phones || o.Harmed != c.harmed || math.Abs(o.Ceiling-c.ceiling) > c.within {
			t.Errorf("%s: %+v", what, o)
		}
	}
}

func ten(harmed bool) (list []Ran) {
	for i := range 10 {
		list = append(list, Ran{fmt.Sprint("p", i), true, harmed})
	}
	return list
}
