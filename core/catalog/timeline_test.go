package catalog

import (
	"fmt"
	"strings"
	"testing"
)

func TestGaps(t *testing.T) {
	line := func(words string) (list []Moment) {
		for one := range strings.FieldsSeq(words) {
			part := strings.Split(one, "/")
			list = append(list, Moment{Edition: part[0], Version: part[1], Patch: part[2], Captured: len(part) == 3})
		}
		return list
	}
	for what, c := range map[string]struct{ line, want string }{
		"nothing":                      {"", ""},
		"one build":                    {"/1/2026-01-05", ""},
		"an edition lacks the newest":  {"/1/2026-01-05 /2/2026-03-05 N/1/2026-01-05", "N 2 2026-03-05: another edition has it"},
		"an edition that came later":   {"/1/2026-01-05 /2/2026-03-05 N/2/2026-03-05", ""},
		"known by name":                {"/1/2026-01-05 /2/2026-03-05/no", " 2 2026-03-05: known by its name alone"},
		"a name fills no other's line": {"/1/2026-01-05 N/2/2026-03-05/no N/1/2026-01-05", "N 2 2026-03-05: known by its name alone"},
		"too few to know a pause":      {"/1/2024-01-05 /2/2024-02-05 /3/2026-03-05", ""},
		"a pause": {"/1/2025-01-05 /2/2025-03-05 /3/2025-05-05 /4/2025-11-05 /5/2026-01-05",
			"  2025-05-05: 2 months usually lie between two; perhaps 2 were left out"},
		"older ones that another edition has are a pause at most": {"/1/2025-01-05 /2/2025-03-05 /3/2025-05-05 /4/2025-07-05 N/1/2025-01-05 N/2/2025-03-05 N/4/2025-07-05",
			"N  2025-03-05: 2 months usually lie between two; perhaps one was left out"},
		"a pause that a known name explains": {"/1/2025-01-05 /2/2025-03-05 /3/2025-05-05 /4/2025-07-05 N/2/2025-03-05 N/3/2025-05-05/no N/4/2025-07-05",
			"N 3 2025-05-05: known by its name alone"},
		"no patch is told": {"/1/ /2/ /3/ /4/2025-07-05", ""},
	} {
		var got []string
		for _, g := range Gaps(line(c.line)) {
			got = append(got, fmt.Sprintf("%s %s %s: %s", g.Edition, g.Version, g.From, g.Why))
		}
		if strings.Join(got, "; ") != c.want {
			t.Errorf("%s: %q, want %q", what, got, c.want)
		}
	}
}
