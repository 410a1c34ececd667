package change

import (
	"encoding/json"
	"fmt"
	"strings"

	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/wording"
)

// Question is what a reviewer would ask about an edit before it is sent.
type Question struct {
	// Kind is stable: evidence-missing, more-lenient, wider-than-proof,
	// condition-missing, condition-reason, cost-missing, reason-missing,
	// same-open, other-open, known-trial or nothing-new.
	Kind  string `json:"kind"`
	Words string `json:"words"`
}

// OpenEdit is somebody's edit of the same field that waits for review.
type OpenEdit struct {
	Change int64
	Author string
	Value  json.RawMessage
}

// Sending is an edit about to be sent, with what is known around it.
type Sending struct {
	Field  Field
	Scope  catalog.Scope
	Value  json.RawMessage
	Now    json.RawMessage
	Reason string
	// Figures are what the trials come to at the edit's scope, those of the
	// same sending counted; Suggested is the load that they suggest.
	Figures   evidence.Figures
	Suggested evidence.Load
	// Near counts phones whose firmware is as near as the scope is narrow.
	Near int
	// Sources counts documents about the package, Costs the functions and
	// substitutes that are named for it, both with those of the sending.
	Sources, Costs int
	// Open are the edits of the same field and scope that wait already.
	Open []OpenEdit
	// KnownTrial is true where the same phone's trial is known already.
	KnownTrial bool
}

// Questions lists what a reviewer would ask, the gravest first; none of them
// stands in the way of sending.
func Questions(s Sending) []Question {
	var list []Question
	ask := func(kind, words string, args ...any) {
		list = append(list, Question{kind, fmt.Sprintf(words, args...)})
	}
	for _, o := range s.Open {
		switch {
		case Same(o.Value, s.Value):
			ask("same-open", "Change %d by %s says the same and waits already.", o.Change, o.Author)
		case !s.Field.Adds():
			ask("other-open", "Change %d by %s sets the same to another value and waits already: whoever comes second meets a conflict.", o.Change, o.Author)
		}
	}
	switch {
	case s.KnownTrial:
		ask("known-trial", "A trial of this phone by this method on this build is known already: the two count as one.")
	case !s.Field.Adds() && Same(s.Now, s.Value):
		ask("nothing-new", "The catalogue says this already.")
	}
	if s.Field == Load {
		list = append(list, aboutLoad(s)...)
	}
	if strings.TrimSpace(s.Reason) == "" && !s.Field.Adds() {
		ask("reason-missing", "Why? A reason in a sentence saves a question.")
	}
	return list
}

func aboutLoad(s Sending) (list []Question) {
	ask := func(kind, words string, args ...any) {
		list = append(list, Question{kind, fmt.Sprintf(words, args...)})
	}
	var v LoadValue
	if isNull(s.Value) || json.Unmarshal(s.Value, &v) != nil {
		return nil
	}
	switch {
	case v.Load == evidence.Unproven || v.Load == evidence.LoadBearing:
	case s.Figures.Phones == 0 && s.Sources == 0:
		ask("evidence-missing", "Nobody has tried it and no document speaks of it: what is %s known from?", loadWords[v.Load])
	case s.Figures.Phones == 0:
		ask("evidence-missing", "Nobody has tried it on a phone; only documents speak of it.")
	case s.Near == 0 && s.Scope.Kind != catalog.Everywhere:
		ask("wider-than-proof", "Nobody has tried it there: %s of other firmware.", wording.Count(s.Figures.Phones, "phone that counts is", "phones that count are"))
	}
	if v.Load.MoreLenientThan(s.Suggested) {
		ask("more-lenient", "More lenient than the evidence suggests, which is %s.", loadWords[s.Suggested])
	}
	if v.Load == evidence.TiedIn && len(v.Conditions) == 0 {
		ask("condition-missing", "Tied in goes only under stated conditions: which?")
	}
	if len(v.Conditions) > 0 && strings.TrimSpace(s.Reason) == "" {
		ask("condition-reason", "A condition stands without a reason: what happened without it?")
	}
	if v.Load == evidence.LeanedOn && s.Costs == 0 {
		ask("cost-missing", "Leaned on by what? No function and no substitute is named.")
	}
	return list
}
