package change

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/profile"
)

func TestNeeds(t *testing.T) {
	r := ReviewRules{Lenient: 2, Lowering: 3, Newcomer: 2, FirstChanges: 3}
	for what, c := range map[string]struct {
		c    Circumstance
		want int
		why  string
	}{
		"a description":            {Circumstance{Field: Description, AuthorChanges: 3}, 1, ""},
		"of a newcomer":            {Circumstance{Field: Description, AuthorChanges: 2}, 2, "first changes"},
		"as suggested":             {Circumstance{Field: Load, Before: evidence.Unproven, After: evidence.Loose, Suggested: evidence.Loose, AuthorChanges: 9}, 1, ""},
		"stricter":                 {Circumstance{Field: Load, Before: evidence.Loose, After: evidence.LoadBearing, Suggested: evidence.Loose, AuthorChanges: 9}, 1, ""},
		"more lenient":             {Circumstance{Field: Load, Before: evidence.Loose, After: evidence.Loose, Suggested: evidence.LeanedOn, AuthorChanges: 9}, 2, "Leaned on"},
		"lowering Load-bearing":    {Circumstance{Field: Load, Before: evidence.LoadBearing, After: evidence.TiedIn, Suggested: evidence.TiedIn, AuthorChanges: 9}, 3, "lowers Load-bearing"},
		"lowering Tied in":         {Circumstance{Field: Load, Before: evidence.TiedIn, After: evidence.Loose, Suggested: evidence.Loose, AuthorChanges: 9}, 3, "lowers Tied in"},
		"lowering Leaned on":       {Circumstance{Field: Load, Before: evidence.LeanedOn, After: evidence.Loose, Suggested: evidence.Loose, AuthorChanges: 9}, 1, ""},
		"all at once":              {Circumstance{Field: Load, Before: evidence.TiedIn, After: evidence.Loose, Suggested: evidence.LeanedOn, Written: true}, 3, "a reviewer wrote"},
		"a reviewer's own words":   {Circumstance{Field: Description, AuthorChanges: 3, Written: true}, 2, "a reviewer wrote"},
		"a load in another's edit": {Circumstance{Field: Trial, Before: evidence.TiedIn, After: evidence.Loose, Suggested: evidence.TiedIn, AuthorChanges: 3}, 1, ""},
	} {
		n, why := r.Needs(c.c)
		if n != c.want || !strings.Contains(strings.Join(why, "; "), c.why) || (n == 1) != (len(why) == 0) {
			t.Errorf("%s: %d because %q, want %d", what, n, why, c.want)
		}
	}
	if n, why := (ReviewRules{Lenient: 1, Lowering: 1, Newcomer: 1, FirstChanges: 9}).Needs(Circumstance{Field: Load, Before: evidence.TiedIn, After: evidence.Loose}); n != 1 || why != nil {
		t.Errorf("rules that ask for one: %d %v", n, why)
	}
	for _, bad := range []ReviewRules{{}, {Lenient: 4, Lowering: 1, Newcomer: 1}, {Lenient: 1, Lowering: 1, Newcomer: 1, FirstChanges: -1}} {
		if bad.Check() == nil {
			t.Errorf("%+v", bad)
		}
	}
	if err := DefaultReviewRules.Check(); err != nil {
		t.Error(err)
	}
}

func TestQuestions(t *testing.T) {
	model := catalog.Scope{Kind: catalog.OfModel, ID: "m"}
	good := Sending{Field: Load, Scope: model, Value: json.RawMessage(`{"load":"loose"}`), Reason: "seen", Figures: evidence.Figures{Phones: 12}, Suggested: evidence.Loose, Near: 5}
	for what, c := range map[string]struct {
		change func(*Sending)
		want   string
	}{
		"nothing to ask":               {func(*Sending) {}, ""},
		"no evidence":                  {func(s *Sending) { s.Figures.Phones = 0; s.Suggested = evidence.Unproven }, "evidence-missing more-lenient"},
		"a source only":                {func(s *Sending) { s.Figures.Phones, s.Sources = 0, 1 }, "evidence-missing"},
		"far away":                     {func(s *Sending) { s.Near = 0 }, "wider-than-proof"},
		"no reason":                    {func(s *Sending) { s.Reason = " " }, "reason-missing"},
		"a condition without a reason": {func(s *Sending) { s.Value, s.Reason = json.RawMessage(`{"load":"tied-in","conditions":["x"]}`), "" }, "condition-reason reason-missing"},
		"tied in to nothing":           {func(s *Sending) { s.Value = json.RawMessage(`{"load":"tied-in"}`) }, "condition-missing"},
		"leaned on by nothing":         {func(s *Sending) { s.Value = json.RawMessage(`{"load":"leaned-on"}`) }, "cost-missing"},
		"leaned on by something":       {func(s *Sending) { s.Value, s.Costs = json.RawMessage(`{"load":"leaned-on"}`), 1 }, ""},
		"load-bearing needs no trial":  {func(s *Sending) { s.Value, s.Figures.Phones = json.RawMessage(`{"load":"load-bearing"}`), 0 }, ""},
		"cleared":                      {func(s *Sending) { s.Value, s.Now = nil, json.RawMessage(`{"load":"loose"}`) }, ""},
		"said already":                 {func(s *Sending) { s.Now = s.Value }, "nothing-new"},
		"waits already":                {func(s *Sending) { s.Open = []OpenEdit{{Change: 4, Author: "Ada", Value: s.Value}} }, "same-open"},
		"another waits":                {func(s *Sending) { s.Open = []OpenEdit{{Change: 4, Value: json.RawMessage(`{"load":"tied-in"}`)}} }, "other-open"},
		"a trial twice": {func(s *Sending) {
			s.Field, s.Value, s.Reason, s.KnownTrial = Trial, json.RawMessage(`{}`), "", true
		}, "known-trial"},
	} {
		s := good
		c.change(&s)
		var kinds []string
		for _, q := range Questions(s) {
			kinds = append(kinds, q.Kind)
			if !strings.ContainsAny(q.Words[len(q.Words)-1:], ".?") {
				t.Errorf("%q is no sentence", q.Words)
			}
		}
		if got := strings.Join(kinds, " "); got != c.want {
			t.Errorf("%s: %q, want %q", what, got, c.want)
		}
	}
}

func TestKnockOnOfOneProfile(t *testing.T) {
	candidate := func(name string, load evidence.Load, ceiling float64, lost ...string) profile.Candidate {
		return profile.Candidate{Package: android.PackageName("a." + name), Load: load, Lost: lost, Figures: profile.Figures{Ceiling: ceiling, Standing: evidence.Fair}}
	}
	p := Profile{
		Rules:   profile.Rules{Method: evidence.RemoveForUser, HighestLoad: evidence.LeanedOn, HighestCeiling: 0.3},
		Before:  []profile.Candidate{candidate("home", evidence.TiedIn, 0.2), candidate("tips", evidence.Loose, 0.1, "hints"), candidate("same", evidence.Loose, 0.2)},
		After:   []profile.Candidate{candidate("home", evidence.LeanedOn, 0.2, "weather"), candidate("tips", evidence.Loose, 0.6, "hints"), candidate("same", evidence.Loose, 0.2)},
		Removes: map[android.PackageName]bool{"a.tips": true, "a.same": true, "a.other": true},
		Roles: []RoleHolders{{"HOME", []android.PackageName{"a.home", "a.other"}}, {"DIALER", []android.PackageName{"a.home", "a.dialler"}},
			{"BROWSER", []android.PackageName{"a.same"}}, {"NOBODY", nil}},
	}
	e := KnockOn(p)
	if len(e.Gains) != 1 || e.Gains[0].Package != "a.home" || len(e.Loses) != 1 || e.Loses[0].Package != "a.tips" || !strings.Contains(e.Loses[0].Why, "60") {
		t.Errorf("%+v", e)
	}
	// The browser's holder went before, too: that is not of this change.
	if !slices.Equal(e.Costs, []string{"weather"}) || !slices.Equal(e.Spares, []string{"hints"}) || !slices.Equal(e.Emptied, []string{"HOME"}) || !e.WantsNumber || e.WantedBefore || len(e.Moves) != 2 {
		t.Errorf("%+v", e)
	}
	if p.After = p.Before; !KnockOn(p).Nothing() {
		t.Errorf("%+v", KnockOn(p))
	}
	// Without a release nothing wants a number; one that is out of step anyway
	// wants none because of a change that moves nothing across.
	p.Removes["a.same"] = false
	p.After = []profile.Candidate{p.Before[0], candidate("tips", evidence.Loose, 0.2, "hints"), p.Before[2]}
	if e := KnockOn(p); e.WantsNumber || !e.WantedBefore || len(e.Moves) != 1 {
		t.Errorf("%+v", e)
	}
}

// TestKnockOnAllocatesLittle holds what a change does to one profile to what it has to
// say of it: the rows come out of a pool.
func TestKnockOnAllocatesLittle(t *testing.T) {
	p := Profile{Rules: profile.DefaultRules}
	for i := range 50 {
		name := android.PackageName("a.p" + strings.Repeat("x", i))
		p.Before = append(p.Before, profile.Candidate{Package: name, Load: evidence.Loose, Figures: profile.Figures{Ceiling: 0.1, Standing: evidence.Fair}})
	}
	p.After = p.Before
	if n := testing.AllocsPerRun(100, func() { KnockOn(p) }); n > 30 {
		t.Errorf("the knock-on of 50 packages that stay as they are allocates %v times", n)
	}
}
