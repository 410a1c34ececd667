package catalog

import (
	"testing"

	"roster/core/evidence"
)

func TestCarryOver(t *testing.T) {
	set := func(load, suggested evidence.Load, scope ScopeKind, ceiling float64) Judged {
		return Judged{Load: load, Scope: scope, Suggested: suggested, Ceiling: ceiling}
	}
	for what, c := range map[string]struct {
		then, now Judged
		rose      bool
		stands    bool
		why       string
	}{
		"as it was":                     {set("loose", "loose", OfModel, 0.2), set("loose", "loose", OfModel, 0.2), false, true, ""},
		"farther away":                  {set("loose", "loose", OfModel, 0.2), set("loose", "unproven", OfModel, 0.4), true, true, ""},
		"for that build alone":          {set("loose", "loose", OfBuild, 0.2), set("", "loose", "", 0.2), false, false, "Loose was set for that build alone"},
		"something rests on it now":     {set("loose", "loose", OfModel, 0.2), set("loose", "tied-in", OfModel, 0.2), false, false, "Loose is set, and Tied in is suggested here"},
		"it was too lenient before":     {set("loose", "tied-in", OfModel, 0.2), set("loose", "tied-in", OfModel, 0.2), false, true, ""},
		"a wider one is too lenient":    {set("leaned-on", "leaned-on", OfBuild, 0.2), set("loose", "leaned-on", OfModel, 0.2), false, false, "Loose is set, and Leaned on is suggested here"},
		"heavier than it would have to": {set("tied-in", "loose", OfModel, 0.2), set("tied-in", "leaned-on", OfModel, 0.1), false, true, ""},
		"nobody set any":                {set("", "loose", "", 0.2), set("", "tied-in", "", 0.3), true, true, ""},
	} {
		got := CarryOver(c.then, c.now)
		if (got.Rose > 0) != c.rose || got.Stands != c.stands || got.Why != c.why {
			t.Errorf("%s: %+v", what, got)
		}
	}
	if e := set("", "loose", "", 0).Effective(); e != evidence.Loose {
		t.Error(e)
	}
}
