package catalog

import (
	"fmt"

	"roster/core/evidence"
)

// Judged is what is known of a package as seen from one build.
type Judged struct {
	// Load is what a person set that applies there, "" for none; Scope is how
	// wide that reaches.
	Load  evidence.Load `json:"load"`
	Scope ScopeKind     `json:"scope"`
	// Suggested is the load that trials and the build's own words speak for.
	Suggested evidence.Load     `json:"suggested"`
	Ceiling   float64           `json:"ceiling"`
	Floor     float64           `json:"floor"`
	Standing  evidence.Standing `json:"standing"`
	Phones    int               `json:"phones"`
	People    int               `json:"people"`
}

// Effective is the load that counts there: a person's, or what is suggested.
func (j Judged) Effective() evidence.Load {
	if j.Load != "" {
		return j.Load
	}
	return j.Suggested
}

// Carry is what becomes of a judgement on another build.
type Carry struct {
	// Rose is by how much the ceiling is higher there, 0 where it is not.
	Rose float64 `json:"rose"`
	// Stands is false where a person's load no longer does: Why says so.
	Stands bool   `json:"stands"`
	Why    string `json:"why"`
}

// loadWords are the loads as people read them.
var loadWords = map[evidence.Load]string{evidence.Loose: "Loose", evidence.LeanedOn: "Leaned on", evidence.TiedIn: "Tied in", evidence.LoadBearing: "Load-bearing", evidence.Unproven: "Unproven"}

// CarryOver tells what becomes of what is known of a package from one build to
// another. Nothing is copied: distance alone makes ceilings rise. A load no
// longer stands where it was set for that one build, or where it is more
// lenient than what is suggested here and was not there.
func CarryOver(then, now Judged) Carry {
	c := Carry{Rose: max(0, now.Ceiling-then.Ceiling), Stands: true}
	switch {
	case then.Load != "" && now.Load == "":
		c.Stands, c.Why = false, loadWords[then.Load]+" was set for that build alone"
	case now.Load != "" && lenient(now) && !(then.Load == now.Load && lenient(then)):
		c.Stands, c.Why = false, fmt.Sprintf("%s is set, and %s is suggested here", loadWords[now.Load], loadWords[now.Suggested])
	}
	return c
}

// lenient reports whether a person's load takes a package for lighter than what
// is suggested; that not enough is known is no reason by itself.
func lenient(j Judged) bool {
	return j.Suggested != evidence.Unproven && j.Load.MoreLenientThan(j.Suggested)
}
