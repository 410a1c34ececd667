package profile

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/wording"
)

// Figures are what trials of a package by one method come to, towards the
// model.
type Figures struct {
	Ceiling  float64           `json:"ceiling"`
	Floor    float64           `json:"floor"`
	Standing evidence.Standing `json:"standing"`
	Phones   int               `json:"phones"`
	People   int               `json:"people"`
	Harmed   int               `json:"harmed"`
	// ComesBack counts trials after which the package returned by itself.
	ComesBack int `json:"comesBack"`
	// Refused counts trials in which the phone would not let it go.
	Refused int `json:"refused"`
	// Strip are the trials as core/evidence.Strip writes them.
	Strip string `json:"strip"`
	// Suggested is the load that these trials alone call for.
	Suggested evidence.Load `json:"-"`
}

// Candidate is one package of the model with what is known of it there.
type Candidate struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Origin  string              `json:"origin"`
	Load    evidence.Load       `json:"load"`
	// BySuggestion is true where no person has set the load.
	BySuggestion bool     `json:"bySuggestion"`
	Conditions   []string `json:"conditions,omitempty"`
	// Lost are the functions that trials found missing, Functions those that
	// people say it carries.
	Lost         []string             `json:"lost,omitempty"`
	Functions    []string             `json:"functions,omitempty"`
	Substitutes  []catalog.Substitute `json:"substitutes,omitempty"`
	StartsAtBoot bool                 `json:"startsAtBoot"`
	// Uses is what phones attribute to it, nil where none was measured.
	Uses *Uses `json:"uses,omitempty"`
	Figures
	// By are the figures for other methods than the profile's usual one.
	By map[evidence.Method]Figures `json:"-"`
	// InImage says in words why it stays in the image whatever trials say: what
	// rests on it, and what it could be for the phone. "" where nothing does.
	InImage string `json:"-"`
}

// Row is a candidate in its place.
type Row struct {
	Candidate
	// Method is how it would go.
	Method evidence.Method `json:"method"`
	Goes   bool            `json:"goes"`
	// Eligible is true where the cut line alone can take the package.
	Eligible bool `json:"eligible"`
	// Pin is the reason of the pin that holds the package, "" without one.
	Pin string `json:"pin,omitempty"`
	// Gentler says in words why it would be removed for the user, where the rules
	// would have it taken out of the image; "" where they have their way.
	Gentler string `json:"gentler,omitempty"`
	// Dropped is true where it would go, but for what rests on it.
	Dropped bool `json:"dropped,omitempty"`
	// Why says in words why it goes or stays.
	Why string `json:"why"`
	// Worth is what going brings for the harm that it may do: bytes of memory for each
	// percent of the harm ceiling.
	Worth float64 `json:"worth"`
}

// Leaves reports whether the row's package is taken off or switched off, not made
// quiet alone.
func (r *Row) Leaves() bool { return r.Goes && r.Method != evidence.Quieten }

// Rank puts candidates into their order and says of each whether the rules and
// pins let it go, whatever rests on it: cut counts the rows that the line
// takes. Packages whose load the rules allow stand first, by ceiling, load and
// name; the others follow by load, ceiling and name, out of the line's reach.
// A pin moves one across; nothing moves what is Load-bearing.
func Rank(candidates []Candidate, rules Rules) (rows []Row, cut int) {
	rows, cut = AppendSides(make([]Row, 0, len(candidates)), candidates, rules)
	return inPlace(rows), cut
}

// AppendSides is Rank in the order of the candidates, behind other rows.
func AppendSides(rows []Row, candidates []Candidate, rules Rules) (_ []Row, cut int) {
	pins := map[android.PackageName]Pin{}
	for _, p := range rules.Pins {
		pins[p.Package] = p
	}
	for _, cand := range candidates {
		row := Row{Candidate: cand, Method: rules.MethodOf(cand.Load)}
		pin, pinned := pins[cand.Package]
		if pinned && pin.Goes && pin.Method != "" {
			row.Method = rules.capped(pin.Method)
		}
		if row.Method == evidence.RemoveFromImage {
			if row.Gentler = cand.inImage(); row.Gentler != "" {
				row.Method = evidence.RemoveForUser
			}
		}
		if f, ok := cand.By[row.Method]; ok {
			row.Figures = f
		}
		row.Ceiling = roundLimit(row.Ceiling)
		keeps := kept(row, rules)
		row.Eligible = keeps == ""
		under := row.Eligible && row.Ceiling <= rules.HighestCeiling
		switch {
		case under:
			row.Goes, row.Why = true, "within the rules"
			cut++
		case row.Eligible:
			row.Why = fmt.Sprintf("may harm up to %s of phones", wording.Ceiling(row.Ceiling))
		default:
			row.Why = keeps
		}
		if pinned && (pin.Goes != row.Goes || pin.Goes && pin.Method != "") && !(pin.Goes && unpinnable(row, rules)) {
			row.Goes, row.Pin, row.Why = pin.Goes, pin.Reason, "pinned: "+pin.Reason
		}
		rows = append(rows, row)
	}
	return rows, cut
}

// inPlace orders rows by their numbers, which are quicker moved about than they are.
func inPlace(rows []Row) []Row {
	order := make([]int, len(rows))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return byPlace(&rows[a], &rows[b]) })
	sorted := make([]Row, len(rows))
	for i, at := range order {
		sorted[i] = rows[at]
	}
	return sorted
}

// inImage says why nothing takes a package out of the image, "" where something may:
// it has to be Loose by trials of that very method, and nobody's but a maker's, a
// carrier's or a partner's, with nothing on the phone that rests on it.
func (c Candidate) inImage() string {
	f, tried := c.By[evidence.RemoveFromImage]
	if !tried {
		f = c.Figures
	}
	switch {
	case catalog.Origin(c.Origin) == catalog.Platform:
		return "the platform's own stays in the image"
	case c.InImage != "":
		return c.InImage
	case c.Load != evidence.Loose:
		return "only what is Loose goes from the image"
	case f.Suggested != evidence.Loose:
		return "not shown Loose by trials of taking it out of the image"
	}
	return ""
}

func byPlace(a, b *Row) int {
	if a.Eligible != b.Eligible {
		if a.Eligible {
			return -1
		}
		return 1
	}
	byLoad := cmp.Compare(a.Load.Rank(), b.Load.Rank())
	byCeiling := cmp.Compare(a.Ceiling, b.Ceiling)
	if a.Eligible {
		return cmp.Or(byCeiling, byLoad, cmp.Compare(a.Package, b.Package))
	}
	return cmp.Or(byLoad, byCeiling, cmp.Compare(a.Package, b.Package))
}

// kept says why the rules keep a package out of the line's reach, "" where
// they do not.
func kept(r Row, rules Rules) string {
	switch {
	case r.Load == evidence.LoadBearing:
		return "Load-bearing: never goes"
	case r.Load == evidence.Unproven && rules.Unproven == Never:
		return "Unproven: this profile takes none of these"
	case r.Load == evidence.Unproven:
		return "Unproven: goes only by a pin with a reason"
	case r.Load == evidence.TiedIn:
		return "Tied in: goes only by a pin, with its conditions met"
	case r.Load.Rank() > rules.HighestLoad.Rank():
		return "heavier than the rules allow"
	case len(rules.Origins) > 0 && !slices.Contains(rules.Origins, catalog.Origin(r.Origin)):
		return "not of those whose packages may go"
	}
	for _, f := range rules.Keep {
		if r.carries(f) {
			return "kept for " + words(f)
		}
	}
	if len(rules.Only) > 0 && !slices.ContainsFunc(rules.Only, r.carries) {
		return "for nothing that this profile takes off"
	}
	switch {
	case r.Standing == evidence.Untried:
		return "nobody has tried it here"
	case sureness[r.Standing] < sureness[rules.LeastStanding]:
		return fmt.Sprintf("not sure enough: %s, and the rules want %s", r.Standing, rules.LeastStanding)
	}
	return ""
}

// carries reports whether a function goes with a package, as people say or as
// trials found.
func (c Candidate) carries(function string) bool {
	return slices.Contains(c.Functions, function) || slices.Contains(c.Lost, function)
}

// unpinnable reports whether not even a pin takes a package.
func unpinnable(r Row, rules Rules) bool {
	return r.Load == evidence.LoadBearing || r.Load == evidence.Unproven && rules.Unproven == Never
}

// roundLimit rounds up to a tenth of a percent, so that what is shown, what
// the line compares and what a release records are one number, never smaller
// than the true limit.
func roundLimit(v float64) float64 { return min(1, math.Ceil(v*1000-1e-9)/1000) }
