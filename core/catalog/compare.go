package catalog

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
)

// Shipped is what an image holds of one package: the facts by which two
// builds, or two captures of one build, are compared.
type Shipped struct {
	Name          string `json:"name"`
	VersionCode   int64  `json:"versionCode"`
	VersionName   string `json:"versionName"`
	Path          string `json:"path"`
	Partition     string `json:"partition"`
	Privileged    bool   `json:"privileged"`
	Persistent    bool   `json:"persistent"`
	StartsAtBoot  bool   `json:"startsAtBoot"`
	SwitchedOff   bool   `json:"switchedOff"`
	SharedUser    string `json:"sharedUser"`
	OverlayTarget string `json:"overlayTarget"`
	Signer        string `json:"signer"`
	// Declares are permissions that it defines, Requests those that it asks
	// for.
	Declares []string `json:"declares"`
	Requests []string `json:"requests"`
	Provides []string `json:"provides"`
	Uses     []string `json:"uses"`
	// Origin is who probably put it there, as this side alone tells; "" where
	// nobody asks.
	Origin Origin `json:"origin"`
}

// Bare reports whether only a list named the package: beyond its path and
// version code nothing is known of it.
func (s *Shipped) Bare() bool {
	return s.VersionName == "" && s.Signer == "" && len(s.Requests) == 0
}

// Difference is one fact that is not what it was.
type Difference struct {
	// What names the fact: version, partition, path, permissions, …
	What   string `json:"what"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// Changed is a package that both sides have, with what differs.
type Changed struct {
	Name string       `json:"name"`
	What []Difference `json:"what" nullable:"false"`
}

// Comparison is what lies between two sets of packages. Each list is sorted
// by name.
type Comparison struct {
	Gone    []string  `json:"gone" nullable:"false"`
	Changed []Changed `json:"changed" nullable:"false"`
	New     []string  `json:"new" nullable:"false"`
	// Renamed stand in neither Gone nor New; see Pair.
	Renamed []Renamed `json:"renamed" nullable:"false"`
}

// Empty reports whether there is no difference.
func (c Comparison) Empty() bool {
	return len(c.Gone)+len(c.Changed)+len(c.New)+len(c.Renamed) == 0
}

// Compare finds what is gone, changed and new from before to after. The order
// of the arguments' elements does not matter; names are unique in each.
func Compare(before, after []Shipped) Comparison {
	c := Comparison{Gone: []string{}, Changed: []Changed{}, New: []string{}, Renamed: []Renamed{}}
	old := make(map[string]*Shipped, len(before))
	for i := range before {
		old[before[i].Name] = &before[i]
	}
	for i := range after {
		was := old[after[i].Name]
		if was == nil {
			c.New = append(c.New, after[i].Name)
			continue
		}
		delete(old, after[i].Name)
		if what := differences(was, &after[i]); len(what) > 0 {
			c.Changed = append(c.Changed, Changed{after[i].Name, what})
		}
	}
	for name := range old {
		c.Gone = append(c.Gone, name)
	}
	slices.Sort(c.Gone)
	slices.Sort(c.New)
	slices.SortFunc(c.Changed, func(a, b Changed) int { return cmp.Compare(a.Name, b.Name) })
	return c
}

func differences(a, b *Shipped) []Difference {
	var list []Difference
	add := func(what, before, after string) {
		if before != after {
			list = append(list, Difference{what, before, after})
		}
	}
	if a.Bare() || b.Bare() {
		// What was not told is no difference.
		if a.VersionCode != 0 && b.VersionCode != 0 {
			add("version", strconv.FormatInt(a.VersionCode, 10), strconv.FormatInt(b.VersionCode, 10))
		}
		if a.Path != "" && b.Path != "" {
			add("path", a.Path, b.Path)
		}
		return list
	}
	yes := func(is bool, word string) string {
		if is {
			return word
		}
		return "not " + word
	}
	version := func(s *Shipped) string {
		return strings.TrimSpace(s.VersionName + " (" + strconv.FormatInt(s.VersionCode, 10) + ")")
	}
	add("version", version(a), version(b))
	add("partition", a.Partition, b.Partition)
	if a.Partition == b.Partition {
		add("path", a.Path, b.Path)
	}
	add("origin", string(a.Origin), string(b.Origin))
	add("privilege", yes(a.Privileged, "privileged"), yes(b.Privileged, "privileged"))
	add("persistence", yes(a.Persistent, "persistent"), yes(b.Persistent, "persistent"))
	add("start at boot", yes(a.StartsAtBoot, "started at boot"), yes(b.StartsAtBoot, "started at boot"))
	add("state", yes(!a.SwitchedOff, "switched on"), yes(!b.SwitchedOff, "switched on"))
	add("shared user", a.SharedUser, b.SharedUser)
	add("overlay target", a.OverlayTarget, b.OverlayTarget)
	add("signer", a.Signer, b.Signer)
	lost, gained := setDifference(a.Requests, b.Requests)
	add("permissions", lost, gained)
	lost, gained = setDifference(a.Declares, b.Declares)
	add("permissions declared", lost, gained)
	lost, gained = setDifference(a.Provides, b.Provides)
	add("libraries provided", lost, gained)
	lost, gained = setDifference(a.Uses, b.Uses)
	add("libraries used", lost, gained)
	return list
}

// setDifference writes what only a and only b has.
func setDifference(a, b []string) (lost, gained string) {
	only := func(x, y []string) string {
		var list []string
		for _, s := range x {
			if !slices.Contains(y, s) && !slices.Contains(list, s) {
				list = append(list, s)
			}
		}
		slices.Sort(list)
		return strings.Join(list, ", ")
	}
	return only(a, b), only(b, a)
}
