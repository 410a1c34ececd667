package profile

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
)

// TestQuieten holds what is quietened apart from what goes: it stays, holds its
// jobs and its links, costs what was missed alone, and comes last.
func TestQuieten(t *testing.T) {
	rules := DefaultRules
	rules.Pins = []Pin{
		{Package: "a.heavy", Goes: true, Method: evidence.Quieten, Reason: "it is useful but loud"},
		{Package: "a.tie1", Goes: true, Method: evidence.Quieten, Reason: "its owner is unsure"},
	}
	b := basis(needs("a.untried", "a.tie1"))
	b.Candidates[0].Functions = []string{"payments"}
	c := Compose(b, rules)
	if got := names(c.Rows, true); !reflect.DeepEqual(got, []string{"low", "tie1", "tie2", "heavy"}) ||
		c.Goes != 2 || c.Quiet != 2 || c.Dropped != 0 || len(c.Stops) != 0 {
		t.Fatalf("goes %v: %d, %d quiet, %d dropped, %q", got, c.Goes, c.Quiet, c.Dropped, c.Stops)
	}
	if slices.ContainsFunc(c.Lost, func(l Loss) bool { return l.Function == "payments" }) || c.Jobs[0].State != "kept" || c.Freed[0].Bytes != 2000 {
		t.Errorf("%+v, %+v, %+v", c.Lost, c.Jobs, c.Freed)
	}
	steps := (&Document{Steps: c.Steps}).Removals()
	if steps[2].Method != evidence.Quieten || steps[3].Method != evidence.Quieten ||
		steps[0].Method != evidence.RemoveForUser || steps[1].Leaves() != true || steps[2].Leaves() {
		t.Errorf("%+v", steps)
	}
	d, err := Compile(heading(), rules, c)
	if err != nil {
		t.Fatal(err)
	}
	removal, _ := removalOf(d)
	if len(removal) != 2 {
		t.Errorf("held against a build it takes off %v", removal)
	}
	rules.Harshest = evidence.Quieten
	if c := Compose(b, rules); c.Goes != 0 || c.Quiet != 4 || !reflect.DeepEqual(rules.AllMethods(), []evidence.Method{evidence.Quieten}) {
		t.Errorf("%d go, %d are quietened: %v", c.Goes, c.Quiet, rules.AllMethods())
	}
	for _, bad := range []Rules{{Method: "erase"}, {Method: evidence.Disable, Harshest: "none"}} {
		if err := bad.Check(); err == nil || !strings.Contains(err.Error(), "ethod") {
			t.Errorf("%+v: %v", bad, err)
		}
	}
	rules.Pins[0].Method = "erase"
	if err := rules.Check(); err == nil || !strings.Contains(err.Error(), "a.heavy") {
		t.Error(err)
	}
}

// TestRunSheet holds the order: what people see to, what rests on others before
// them, waits, and what to try.
// TestFromImage: only what is Loose by trials of taking it out of the image, nobody's
// but a maker's, and touched by nothing goes from there; the rest is removed for the
// user, by its own figures, and says why.
func TestFromImage(t *testing.T) {
	rules := DefaultRules
	rules.Methods = map[evidence.Load]evidence.Method{evidence.Loose: evidence.RemoveFromImage, evidence.LeanedOn: evidence.RemoveFromImage}
	shown := func(load evidence.Load) map[evidence.Method]Figures {
		return map[evidence.Method]Figures{evidence.RemoveFromImage: {Ceiling: 0.1, Standing: evidence.Fair, Phones: 24, People: 3, Suggested: load}}
	}
	b := basis(needs("a.untried", "a.tie1"))
	gentler := func(c Composition, name string) (evidence.Method, string) {
		row := c.Rows[slices.IndexFunc(c.Rows, func(r Row) bool { return r.Package == android.PackageName("a."+name) })]
		return row.Method, row.Gentler
	}
	for what, c := range map[string]struct {
		name   string
		change func(*Candidate)
		why    string
	}{
		"shown":             {"low", func(c *Candidate) { c.By = shown(evidence.Loose) }, ""},
		"not shown":         {"low", func(c *Candidate) { c.By = shown(evidence.Unproven) }, "not shown Loose by trials of taking it out"},
		"never tried so":    {"low", func(*Candidate) {}, "not shown Loose"},
		"the platform's":    {"low", func(c *Candidate) { c.By, c.Origin = shown(evidence.Loose), "platform" }, "the platform's own stays"},
		"leaned on":         {"tie2", func(c *Candidate) { c.By = shown(evidence.Loose) }, "only what is Loose"},
		"something rests":   {"tie1", func(c *Candidate) { c.By = shown(evidence.Loose) }, "a.untried rests on it"},
		"pinned, not shown": {"heavy", func(c *Candidate) { c.By = shown(evidence.Loose) }, "it could be the phone's HOME"},
	} {
		one := b
		one.Candidates = slices.Clone(b.Candidates)
		c.change(&one.Candidates[slices.IndexFunc(one.Candidates, func(x Candidate) bool { return x.Package == android.PackageName("a."+c.name) })])
		r := rules
		if c.name == "heavy" {
			r.Pins = []Pin{{Package: "a.heavy", Goes: true, Method: evidence.RemoveFromImage, Reason: "asked for"}}
		}
		method, why := gentler(Compose(one, r), c.name)
		want := evidence.RemoveForUser
		if c.why == "" {
			want = evidence.RemoveFromImage
		}
		if method != want || (why == "") != (c.why == "") || !strings.Contains(why, c.why) {
			t.Errorf("%s: %s, %q", what, method, why)
		}
	}
	if got := rules.AllMethods(); !slices.Contains(got, evidence.RemoveForUser) || !slices.Contains(got, evidence.RemoveFromImage) {
		t.Errorf("%v", got)
	}
	rules.Harshest = evidence.RemoveForUser
	if slices.Contains(rules.AllMethods(), evidence.RemoveFromImage) {
		t.Error("the harshest method allowed lets it out of the image")
	}
}
