package change

import (
	"errors"
	"fmt"

	"roster/core/evidence"
)

// ReviewRules say how many reviewers an edit needs. One is always needed, and never
// the author; see Alone.
type ReviewRules struct {
	// Lenient is for a load more lenient than the evidence suggests.
	Lenient int `json:"lenient" minimum:"1" maximum:"3"`
	// Lowering is for anything that lowers Load-bearing or Tied in.
	Lowering int `json:"lowering" minimum:"1" maximum:"3"`
	// Newcomer is for the edits of a person of whom fewer than FirstChanges
	// changes were accepted.
	Newcomer     int `json:"newcomer" minimum:"1" maximum:"3"`
	FirstChanges int `json:"firstChanges" minimum:"0" maximum:"100"`
	// Alone lets the only person of an installation who may review accept
	// their own edits; the history says so on each.
	Alone bool `json:"alone"`
}

// DefaultReviewRules hold where the keeper has set none.
var DefaultReviewRules = ReviewRules{Lenient: 2, Lowering: 2, Newcomer: 2, FirstChanges: 3}

// Check reports what is wrong with the rules, for the keeper who set them.
func (r ReviewRules) Check() error {
	for _, n := range []int{r.Lenient, r.Lowering, r.Newcomer} {
		if n < 1 || n > 3 {
			return errors.New("one to three reviewers can be asked for")
		}
	}
	if r.FirstChanges < 0 || r.FirstChanges > 100 {
		return errors.New("first changes: want 0 to 100")
	}
	return nil
}

// Circumstance is what Needs judges an edit by.
type Circumstance struct {
	Field Field
	// Before and After are the loads that apply at the edit's scope without
	// the edit and with it; Suggested is what the evidence suggests there.
	// They count for the field Load alone.
	Before, After, Suggested evidence.Load
	// AuthorChanges counts the author's changes of which something was
	// accepted.
	AuthorChanges int
	// Written is true where a reviewer wrote the value, to settle a conflict.
	Written bool
}

// Needs tells how many reviewers have to accept an edit, and for each reason
// to want more than one why.
func (r ReviewRules) Needs(c Circumstance) (reviewers int, why []string) {
	reviewers = 1
	want := func(n int, reason string) {
		if n > 1 {
			reviewers, why = max(reviewers, n), append(why, reason)
		}
	}
	if c.Field == Load {
		if c.After.MoreLenientThan(c.Suggested) {
			want(r.Lenient, fmt.Sprintf("more lenient than the evidence suggests, which is %s", loadWords[c.Suggested]))
		}
		if (c.Before == evidence.LoadBearing || c.Before == evidence.TiedIn) && c.After != c.Before && c.After.MoreLenientThan(c.Before) {
			want(r.Lowering, "it lowers "+loadWords[c.Before])
		}
	}
	if c.AuthorChanges < r.FirstChanges {
		want(r.Newcomer, "one of its author's first changes")
	}
	if c.Written {
		want(2, "a reviewer wrote this value")
	}
	return reviewers, why
}

var loadWords = map[evidence.Load]string{
	evidence.Loose: "Loose", evidence.LeanedOn: "Leaned on", evidence.TiedIn: "Tied in", evidence.LoadBearing: "Load-bearing", evidence.Unproven: "Unproven",
}
