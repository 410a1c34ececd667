package profile

import (
	"testing"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
)

func TestMeans(t *testing.T) {
	judged := func(load, suggested evidence.Load) *catalog.Judged {
		return &catalog.Judged{Load: load, Suggested: suggested}
	}
	taken := []Ref{{"Short loan", 3}, {"Quiet phone", 4}}
	for _, c := range []struct {
		met  Difference
		want string
	}{
		{Difference{Lane: "gone", Then: judged("loose", "loose"), Taken: taken}, "Short loan no. 3 and Quiet phone no. 4 find nothing to take off."},
		{Difference{Lane: "gone"}, ""},
		{Difference{Lane: "renamed", Was: "a.old", Taken: taken[:1]}, "Short loan no. 3 takes off a.old: under this name it stays."},
		{Difference{Lane: "new", Now: judged("", "leaned-on")}, "Nobody has graded it; Leaned on is suggested."},
		{Difference{Lane: "new", Now: judged("", "unproven")}, "Nobody has graded or tried it."},
		{Difference{Lane: "new", Now: judged("loose", "unproven"), Taken: taken[:1]}, "Loose, by a load that reaches here. Short loan no. 3 takes it off."},
		{Difference{Lane: "changed", Then: judged("loose", "loose"), Now: judged("loose", "tied-in"), Taken: taken[1:], Rests: []android.PackageName{"a.x", "a.y"}},
			"a.x and 1 more rest on it now, and Quiet phone no. 4 takes it off: that would stop. Loose is set, and Tied in is suggested here."},
		{Difference{Lane: "changed", Then: judged("", "loose"), Now: judged("", "loose"), Rests: []android.PackageName{"a.x"}}, "a.x rests on it now."},
		{Difference{Lane: "changed", Then: judged("", "loose"), Now: judged("", "loose"), Taken: taken[1:]}, "Quiet phone no. 4 takes it off."},
		{Difference{Lane: "changed"}, ""},
	} {
		if got := MeaningWords(c.met.Means()); got != c.want {
			t.Errorf("%+v: %q, want %q", c.met, got, c.want)
		}
	}
}
