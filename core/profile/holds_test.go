package profile

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/impact"
)

// phoneWith is a phone of the packages named, changed as a test wants it.
func phoneWith(names string, change ...func(*impact.Phone)) *impact.Net {
	p := impact.Phone{Form: "phone", Facts: android.PhoneFacts{Roles: []android.Role{
		{Name: "HOME", Holders: []android.PackageName{"a.home"}}, {Name: "SYSTEM_GALLERY", Holders: []android.PackageName{"a.gallery"}}}}}
	for name := range strings.FieldsSeq(names) {
		p.Packages = append(p.Packages, android.Package{Name: android.PackageName(name), Installed: true})
	}
	for _, c := range change {
		c(&p)
	}
	return impact.Read(p)
}

// taking is a release that takes packages off one build.
func taking(names ...string) *Document {
	d := &Document{Builds: []Build{{Fingerprint: "b/p/d:15/I/1:user/k", Version: "15.0.0"}}}
	for _, name := range names {
		d.Steps = append(d.Steps, Step{Kind: Remove, Method: evidence.RemoveForUser, Package: android.PackageName(name)})
	}
	return d
}

func TestHolds(t *testing.T) {
	const all = "a.home a.keys a.tips a.music a.gallery a.cloud"
	d := taking("a.tips", "a.music", "a.cloud")
	made := phoneWith(all)
	tried := func(names ...string) map[android.PackageName][]evidence.Method {
		out := map[android.PackageName][]evidence.Method{}
		for _, n := range names {
			out[android.PackageName(n)] = []evidence.Method{evidence.RemoveForUser}
		}
		return out
	}
	const here, there = "b/p/d:15/I/1:user/k", "b/p/d:15/I/2:user/k"
	for what, c := range map[string]struct {
		on    OnBuild
		state HoldState
		words string
	}{
		"made for it and tried": {OnBuild{Fingerprint: here, Net: made, Tried: tried("a.tips", "a.music", "a.cloud")}, Covered, "covered"},
		"made for it":           {OnBuild{Fingerprint: here, Net: made, Tried: tried("a.tips")}, HoldUnproven, "runs here; 1 of 3 tried"},
		"not made for it":       {OnBuild{Fingerprint: there, Net: made, Tried: tried("a.tips", "a.music", "a.cloud")}, HoldUnproven, "runs here, and was not made for it"},
		// What this build never had is no news.
		"never there": {OnBuild{Fingerprint: there, Net: phoneWith("a.home a.keys a.tips a.cloud"), Tried: tried("a.tips", "a.cloud")}, HoldUnproven, "runs here, and was not made for it"},
		"gone":        {OnBuild{Fingerprint: there, Net: phoneWith("a.home a.keys a.tips a.cloud"), Before: made}, PackageGone, "1 is gone"},
		"renamed": {OnBuild{Fingerprint: there, Net: phoneWith("a.home a.keys a.tips a.cloud a.tunes"), Before: made, Renamed: []catalog.Renamed{{From: "a.music", To: "a.tunes", Sure: 0.9}}},
			WasRenamed, "1 has another name"},
		"came back": {OnBuild{Fingerprint: there, Net: made, Before: made, CameBack: map[android.PackageName]int{"a.tips": 2, "a.cloud": 1, "a.keys": 1}}, CameBack, "2 came back"},
		"something rests on it now": {OnBuild{Fingerprint: there, Net: phoneWith(all, needs("a.gallery", "a.cloud")), Before: made, Made: made,
			CameBack: map[android.PackageName]int{"a.tips": 1}}, HoldStops, "1 thing would stop, 1 came back"},
		"another release's keyboard": {OnBuild{Fingerprint: there, Net: phoneWith(all, func(p *impact.Phone) {
			p.Facts.Roles[0].Holders, p.Facts.Roles[0].Able = []android.PackageName{"a.tips"}, []android.PackageName{"a.tips"}
		}), Made: made}, HoldStops, "1 thing would stop"},
		"the only gallery": {OnBuild{Fingerprint: there, Net: phoneWith(all, func(p *impact.Phone) { p.Facts.Roles[1].Holders = []android.PackageName{"a.cloud"} }), Made: made},
			RoleAtRisk, "1 job would be nobody's"},
		"the only gallery before, too": {OnBuild{Fingerprint: there, Net: phoneWith(all, func(p *impact.Phone) { p.Facts.Roles[1].Holders = []android.PackageName{"a.cloud"} }),
			Made: phoneWith(all, func(p *impact.Phone) { p.Facts.Roles[1].Holders = []android.PackageName{"a.cloud"} })}, HoldUnproven, "runs here, and was not made for it"},
	} {
		h := Holds(d, c.on)
		if h.State != c.state || h.Words() != c.words || h.Stops() != (c.state == HoldStops) {
			t.Errorf("%s: %s, %q: %+v", what, h.State, h.Words(), h.Findings)
		}
		for _, f := range h.Findings {
			if f.Why == "" || len(f.Packages) == 0 {
				t.Errorf("%s: %+v", what, f)
			}
		}
	}
	// What is quietened stays: nothing that rests on it stops, and it does not come back.
	quiet := taking("a.tips", "a.music", "a.cloud")
	for i := range quiet.Steps {
		quiet.Steps[i].Method = evidence.Quieten
	}
	loudAgain := OnBuild{Fingerprint: here, Net: phoneWith(all, needs("a.gallery", "a.cloud")), Before: made, Made: made,
		Tried: tried("a.tips", "a.music", "a.cloud"), CameBack: map[android.PackageName]int{"a.tips": 2}}
	if h := Holds(quiet, loudAgain); h.State != Covered {
		t.Errorf("%s, %+v", h.State, h.Findings)
	}
	// A substitute that is put in first holds the job.
	d.Steps = append([]Step{{Kind: PutIn, Phase: Before, Package: "org.open.home", Role: "HOME"}}, append(d.Steps, Step{Kind: Remove, Package: "a.home", Method: evidence.RemoveForUser})...)
	if h := Holds(d, OnBuild{Fingerprint: there, Net: made, Made: made}); h.Stops() {
		t.Errorf("%+v", h.Findings)
	}
}

// TestRedraw draws a profile anew for a build on which something it took off
// has another name, something rests on it, and something is new.
func TestRedraw(t *testing.T) {
	b := basis(needs("a.bearing", "a.tie1"))
	fresh := b.Builds[0].Fingerprint
	d := taking("a.low", "a.old", "a.tie1", "a.nowhere")
	rules := DefaultRules
	rules.NotFor = []string{fresh}
	renamed := []catalog.Renamed{{From: "a.old", To: "a.unknown", Sure: 0.88}, {From: "a.other", To: "a.high", Sure: 0.9}}
	changed, said := RulesFor(rules, d, fresh, renamed)
	if len(said) != 2 || len(changed.NotFor) != 0 || len(changed.Pins) != 1 || changed.Pins[0].Package != "a.unknown" || !changed.Pins[0].Goes || !strings.Contains(changed.Pins[0].Reason, "88 %") {
		t.Fatalf("%q, %+v", said, changed)
	}
	if len(rules.NotFor) != 1 || len(rules.Pins) != 0 {
		t.Error("the rules it started from were changed")
	}
	if _, again := RulesFor(changed, d, fresh, renamed); len(again) != 0 {
		t.Errorf("done twice: %q", again)
	}
	r := Redraw(d, b, changed, said, fresh)
	var got []string
	for _, a := range r.Adds {
		got = append(got, "+"+string(a.Package))
	}
	for _, a := range r.Drops {
		got = append(got, "-"+string(a.Package))
	}
	if fmt.Sprint(got) != "[+a.tie2 +a.unknown -a.nowhere -a.old -a.tie1]" || len(r.Stops) != 0 {
		t.Errorf("%v, stopped %q", got, r.Stops)
	}
	i := slices.IndexFunc(r.Drops, func(x Redrawn) bool { return x.Package == "a.tie1" })
	if !strings.Contains(r.Drops[i].Why, "a.bearing stays") {
		t.Errorf("%+v", r.Drops)
	}
	// a.low and a.tie2 were tried on that build. a.tie1, which has to stay, is
	// not tried in vain; what the line no longer takes is.
	if fmt.Sprint(r.Prove) != "[a.low a.tie2 a.unknown]" || fmt.Sprint(r.Unproven) != "[a.unknown]" {
		t.Errorf("to prove: %v, of these never tried: %v", r.Prove, r.Unproven)
	}
	d = taking("a.low", "a.high")
	if r := Redraw(d, basis(), DefaultRules, nil, fresh); fmt.Sprint(r.Prove) != "[a.low a.tie2 a.high]" || len(r.Drops) != 1 || !strings.Contains(r.Drops[0].Why, "50 %") {
		t.Errorf("to prove: %v, drops %+v", r.Prove, r.Drops)
	}
}
