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
		met  Met
		want string
	}{
		{Met{Lane: "gone", Then: judged("loose", "loose"), Taken: taken}, "Short loan no. 3 and Quiet phone no. 4 find nothing to take off."},
		{Met{Lane: "gone"}, ""},
		{Met{Lane: "renamed", Was: "a.old", Taken: taken[:1]}, "Short loan no. 3 takes off a.old: under this name it stays."},
		{Met{Lane: "new", Now: judged("", "leaned-on")}, "Nobody has graded it; Leaned on is suggested."},
		{Met{Lane: "new", Now: judged("", "unproven")}, "Nobody has graded or tried it."},
		{Met{Lane: "new", Now: judged("loose", "unproven"), Taken: taken[:1]}, "Loose, by a load that reaches here. Short loan no. 3 takes it off."},
		{Met{Lane: "changed", Then: judged("loose", "loose"), Now: judged("loose", "tied-in"), Taken: taken[1:], Rests: []android.PackageName{"a.x", "a.y"}},
			"a.x and 1 more rest on it now, and Quiet phone no. 4 takes it off: that would stop. Loose is set, and Tied in is suggested here."},
		{Met{Lane: "changed", Then: judged("", "loose"), Now: judged("", "loose"), Rests: []android.PackageName{"a.x"}}, "a.x rests on it now."},
		{Met{Lane: "changed", Then: judged("", "loose"), Now: judged("", "loose"), Taken: taken[1:]}, "Quiet phone no. 4 takes it off."},
		{Met{Lane: "changed"}, ""},
	} {
		if got := MeaningWords(c.met.Means()); got != c.want {
			t.Errorf("%+v: %q, want %q", c.met, got, c.want)
		}
	}
}
