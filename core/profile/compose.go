package profile

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
)

// Candidate is one package of the model with what is known of it there.
type Candidate struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Origin  string              `json:"origin"`
	Load    evidence.Load       `json:"load"`
	// BySuggestion is true where no person has set the load.
	BySuggestion bool     `json:"bySuggestion"`
	Conditions   []string `json:"conditions,omitempty"`
	// Lost are the functions that trials found missing.
	Lost []string `json:"lost,omitempty"`
	// Figures for the profile's method, towards the model.
	Ceiling  float64           `json:"ceiling"`
	Floor    float64           `json:"floor"`
	Standing evidence.Standing `json:"standing"`
	Phones   int               `json:"phones"`
	People   int               `json:"people"`
	Harmed   int               `json:"harmed"`
	// ComesBack counts trials after which the package returned by itself.
	ComesBack int `json:"comesBack"`
	// Refused counts trials in which the phone would not let it go.
	Refused      int  `json:"refused"`
	StartsAtBoot bool `json:"startsAtBoot"`
}

// Rules say what a profile takes off.
type Rules struct {
	Method evidence.Method `json:"method" enum:"disable,remove-for-user"`
	// HighestLoad is loose or leaned-on: heavier loads go only by a pin.
	HighestLoad evidence.Load `json:"highestLoad" enum:"loose,leaned-on"`
	// HighestCeiling is the largest harm ceiling that may go, 0 to 1.
	HighestCeiling float64 `json:"highestCeiling" minimum:"0" maximum:"1"`
	Pins           []Pin   `json:"pins" nullable:"false"`
}

// Pin holds one package on one side of the cut line, whatever the rules say.
type Pin struct {
	Package android.PackageName `json:"package"`
	Goes    bool                `json:"goes"`
	Reason  string              `json:"reason" minLength:"1" maxLength:"500"`
}

// DefaultRules are what a new profile starts with.
var DefaultRules = Rules{Method: evidence.RemoveForUser, HighestLoad: evidence.LeanedOn, HighestCeiling: 0.30, Pins: []Pin{}}

// Check reports what is wrong with the rules, for the person who set them.
func (r Rules) Check() error {
	if r.Method != evidence.Disable && r.Method != evidence.RemoveForUser {
		return fmt.Errorf("method %q: a profile can disable or remove for the user", r.Method)
	}
	if r.HighestLoad != evidence.Loose && r.HighestLoad != evidence.LeanedOn {
		return errors.New("the highest load is Loose or Leaned on; anything heavier goes only by a pin with a reason")
	}
	if !(r.HighestCeiling >= 0 && r.HighestCeiling <= 1) {
		return errors.New("the highest ceiling lies between 0 and 100 %")
	}
	seen := map[android.PackageName]bool{}
	for _, p := range r.Pins {
		if !p.Package.Valid() {
			return fmt.Errorf("pin: %q is not a package name", p.Package)
		}
		if strings.TrimSpace(p.Reason) == "" {
			return fmt.Errorf("pin of %s: say why", p.Package)
		}
		if seen[p.Package] {
			return fmt.Errorf("%s is pinned twice", p.Package)
		}
		seen[p.Package] = true
	}
	return nil
}

// Row is a candidate in its place.
type Row struct {
	Candidate
	Goes bool `json:"goes"`
	// Eligible is true where the cut line alone can take the package.
	Eligible bool `json:"eligible"`
	// Pin is the reason of the pin that holds the package, "" without one.
	Pin string `json:"pin,omitempty"`
	// Why says in words why it goes or stays.
	Why string `json:"why"`
}

// Composition is a profile worked out: rows in rank order, with the cut line
// after the first Cut of them.
type Composition struct {
	Rows []Row `json:"rows" nullable:"false"`
	// Cut counts the rows above the line, whichever side a pin put them on.
	Cut   int `json:"cut"`
	Goes  int `json:"goes"`
	Stays int `json:"stays"`
	// Lost are the functions that removals cost, with the packages.
	Lost []Loss `json:"lost" nullable:"false"`
	// StartsAtBoot counts removals that start in the background today.
	StartsAtBoot int `json:"startsAtBoot"`
	// Steps are the ceilings at which the line can stand, ascending: the cut
	// line moves from one to the next.
	Steps []float64 `json:"steps" nullable:"false"`
	// Stopped says why this can't be published, "" when it can.
	Stopped string `json:"stopped,omitempty"`
}

// Loss is a function that goes with packages.
type Loss struct {
	Function string                `json:"function"`
	Packages []android.PackageName `json:"packages"`
}

// Compose ranks the candidates and draws the cut line. Packages whose load
// the rules allow stand first, by ceiling, load and name; the others follow
// by load, ceiling and name, out of the line's reach. A pin moves one across;
// nothing moves what is Load-bearing.
func Compose(candidates []Candidate, rules Rules) Composition {
	pins := map[android.PackageName]Pin{}
	for _, p := range rules.Pins {
		pins[p.Package] = p
	}
	c := Composition{Rows: make([]Row, 0, len(candidates)), Lost: []Loss{}, Steps: []float64{0}}
	for _, cand := range candidates {
		cand.Ceiling = roundLimit(cand.Ceiling)
		row := Row{Candidate: cand, Eligible: cand.Load.Rank() <= rules.HighestLoad.Rank() && cand.Standing != evidence.Untried}
		under := row.Eligible && cand.Ceiling <= rules.HighestCeiling
		row.Goes, row.Why = under, why(row, rules)
		if pin, ok := pins[cand.Package]; ok {
			switch {
			case pin.Goes && cand.Load == evidence.LoadBearing:
				c.Stopped = fmt.Sprintf("%s is Load-bearing: it never goes, not even by a pin", cand.Package)
			case pin.Goes != row.Goes:
				row.Goes, row.Pin, row.Why = pin.Goes, pin.Reason, "pinned: "+pin.Reason
			}
		}
		if under {
			c.Cut++
		}
		c.Rows = append(c.Rows, row)
	}
	slices.SortFunc(c.Rows, func(a, b Row) int {
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
	})
	c.tally()
	if c.Goes == 0 && c.Stopped == "" {
		c.Stopped = "nothing goes: there is nothing to publish"
	}
	return c
}

// tally counts what goes and stays and what that costs.
func (c *Composition) tally() {
	lost := map[string][]android.PackageName{}
	for _, row := range c.Rows {
		if row.Eligible && row.Ceiling > c.Steps[len(c.Steps)-1] {
			c.Steps = append(c.Steps, row.Ceiling)
		}
		if !row.Goes {
			c.Stays++
			continue
		}
		c.Goes++
		if row.StartsAtBoot {
			c.StartsAtBoot++
		}
		for _, f := range row.Lost {
			lost[f] = append(lost[f], row.Package)
		}
	}
	for f, names := range lost {
		slices.Sort(names)
		c.Lost = append(c.Lost, Loss{f, names})
	}
	slices.SortFunc(c.Lost, func(a, b Loss) int { return cmp.Compare(a.Function, b.Function) })
}

func why(r Row, rules Rules) string {
	switch {
	case r.Load == evidence.LoadBearing:
		return "Load-bearing: never goes"
	case r.Load == evidence.Unproven:
		return "Unproven: goes only by a pin with a reason"
	case r.Load == evidence.TiedIn:
		return "Tied in: goes only by a pin, with its conditions met"
	case r.Load.Rank() > rules.HighestLoad.Rank():
		return "heavier than the rules allow"
	case r.Standing == evidence.Untried:
		return "nobody has tried it here"
	case r.Ceiling > rules.HighestCeiling:
		return fmt.Sprintf("may harm up to %s of phones", percent(r.Ceiling))
	}
	return "within the rules"
}

// roundLimit rounds up to a tenth of a percent, so that what is shown, what
// the line compares and what a release records are one number, never smaller
// than the true limit.
func roundLimit(v float64) float64 { return min(1, math.Ceil(v*1000-1e-9)/1000) }

func percent(v float64) string { return fmt.Sprintf("%.4g %%", 100*v) }
