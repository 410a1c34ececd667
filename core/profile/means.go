package profile

import (
	"fmt"
	"strings"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
)

// Ref names a release.
type Ref struct {
	Edition string `json:"edition"`
	Number  int    `json:"number"`
}

func (r Ref) String() string { return fmt.Sprintf("%s no. %d", r.Edition, r.Number) }

// Difference is a package that differs between two builds, with what it touches.
type Difference struct {
	// Lane is gone, changed, new or renamed.
	Lane string
	// Was is the old name of a renamed package.
	Was string
	// Then and Now are what is known of it on either side; nil where it is not
	// there.
	Then, Now *catalog.Judged
	// Taken are the current releases that take it off, by its old name where it
	// was renamed.
	Taken []Ref
	// Rests are packages that cannot do without it now and could before, and
	// that the releases leave on the phone.
	Rests []android.PackageName
}

// Meaning is something that a difference means, for programs and for people.
type Meaning struct {
	Code  MeaningCode `json:"code" enum:"nothing-to-take,stays-under-new-name,load-left-behind,graded,ungraded,taken,rests,would-stop,load-moved"`
	Words string      `json:"words"`
}

// MeaningCode is what kind of thing a difference means.
type MeaningCode string

// What a difference can mean for grades and for what was published.
const (
	NothingToTake     MeaningCode = "nothing-to-take"
	StaysUnderNewName MeaningCode = "stays-under-new-name"
	LoadLeftBehind    MeaningCode = "load-left-behind"
	Graded            MeaningCode = "graded"
	Ungraded          MeaningCode = "ungraded"
	TakenOff          MeaningCode = "taken"
	RestsNow          MeaningCode = "rests"
	WouldStop         MeaningCode = "would-stop"
	LoadMoved         MeaningCode = "load-moved"
)

// Means says what a difference means for grades and for what was published.
func (m Difference) Means() []Meaning {
	means := []Meaning{}
	add := func(code MeaningCode, format string, args ...any) {
		means = append(means, Meaning{code, fmt.Sprintf(format, args...)})
	}
	taken := refs(m.Taken)
	switch m.Lane {
	case "gone":
		if taken != "" {
			add(NothingToTake, "%s %s nothing to take off.", taken, m.do("finds", "find"))
		}
	case "renamed":
		if taken != "" {
			add(StaysUnderNewName, "%s %s off %s: under this name it stays.", taken, m.do("takes", "take"), m.Was)
		}
		if m.Then != nil && m.Then.Load != "" && (m.Now == nil || m.Now.Load == "") {
			add(LoadLeftBehind, "The load %s of the old name does not reach it.", loadWord[m.Then.Load])
		}
	case "new":
		switch {
		case m.Now == nil:
		case m.Now.Load != "":
			add(Graded, "%s, by a load that reaches here.", loadWord[m.Now.Load])
		case m.Now.Suggested != evidence.Unproven && m.Now.Suggested != "":
			add(Ungraded, "Nobody has graded it; %s is suggested.", loadWord[m.Now.Suggested])
		default:
			add(Ungraded, "Nobody has graded or tried it.")
		}
		if taken != "" {
			add(TakenOff, "%s %s it off.", taken, m.do("takes", "take"))
		}
	case "changed":
		switch rests := restWords(m.Rests); {
		case rests != "" && taken != "":
			add(WouldStop, "%s on it now, and %s %s it off: that would stop.", rests, taken, m.do("takes", "take"))
		case rests != "":
			add(RestsNow, "%s on it now.", rests)
		case taken != "":
			add(TakenOff, "%s %s it off.", taken, m.do("takes", "take"))
		}
	}
	if m.Lane != "renamed" && m.Then != nil && m.Now != nil {
		if c := catalog.CarryOver(*m.Then, *m.Now); !c.Stands {
			add(LoadMoved, "%s.", c.Why)
		}
	}
	return means
}

// MeaningWords are what a difference means, for people.
func MeaningWords(means []Meaning) string {
	words := make([]string, len(means))
	for i, m := range means {
		words[i] = m.Words
	}
	return strings.Join(words, " ")
}

// do is a verb for as many releases as take it off.
func (m Difference) do(one, many string) string {
	if len(m.Taken) == 1 {
		return one
	}
	return many
}

func refs(list []Ref) string {
	words := make([]string, len(list))
	for i, r := range list {
		words[i] = r.String()
	}
	return strings.Join(words, " and ")
}

func restWords(list []android.PackageName) string {
	switch len(list) {
	case 0:
		return ""
	case 1:
		return string(list[0]) + " rests"
	}
	return fmt.Sprintf("%s and %d more rest", list[0], len(list)-1)
}
