package catalog

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
)

// Guide says how owners of some phones let them listen to a computer: where the
// build number stands in their settings, and where the developer options are.
type Guide struct {
	// From and To are Android releases, such as 13; 0 leaves that end open.
	From int `json:"from,omitempty" minimum:"0" maximum:"99"`
	To   int `json:"to,omitempty" minimum:"0" maximum:"99"`
	// Language is that of the steps, as a BCP 47 tag: en.
	Language string `json:"language" minLength:"2" maxLength:"40"`
	// Steps are sentences in their order, plain text each.
	Steps []string `json:"steps" minItems:"1" maxItems:"12" nullable:"false"`
}

// fits reports whether the guide is for an Android release; 0 is one that nobody
// knows, which only a guide for all is for.
func (g Guide) fits(android int) bool {
	return (g.From == 0 || android >= g.From && android > 0) && (g.To == 0 || android <= g.To && android > 0)
}

// speaks reports whether the guide is in a language, whatever its region.
func (g Guide) speaks(language string) bool {
	own, _, _ := strings.Cut(strings.ToLower(g.Language), "-")
	return own == language
}

// GuidesFor picks what the owners of phones read, in a language or else in English:
// for each of some Android releases the guide of the narrowest scope that has one,
// each guide once. Lists are those of the scopes, the narrowest first. It is empty
// where nobody has said anything.
func GuidesFor(lists [][]Guide, releases []string, language string) (picked []Guide) {
	for _, release := range releases {
		digits, _, _ := strings.Cut(release, ".")
		android, _ := strconv.Atoi(digits)
		g, ok := guideFor(lists, android, language)
		if !ok {
			g, ok = guideFor(lists, android, "en")
		}
		if ok && !slices.ContainsFunc(picked, func(p Guide) bool {
			return p.From == g.From && p.To == g.To && p.Language == g.Language && slices.Equal(p.Steps, g.Steps)
		}) {
			picked = append(picked, g)
		}
	}
	slices.SortStableFunc(picked, func(a, b Guide) int { return cmp.Compare(a.From, b.From) })
	return picked
}

func guideFor(lists [][]Guide, android int, language string) (Guide, bool) {
	for _, list := range lists {
		i := slices.IndexFunc(list, func(g Guide) bool { return g.fits(android) && g.speaks(language) })
		if i >= 0 {
			return list[i], true
		}
	}
	return Guide{}, false
}
