package run

import (
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/profile"
)

// Answer is what came of a check.
type Answer string

// The answers; NotYet until somebody gives one.
const (
	NotYet   Answer = ""
	Works    Answer = "works"
	Broken   Answer = "broken"
	NotTried Answer = "not-tried"
)

// Check is one thing that was to be tried by hand after a run.
type Check struct {
	Number int    `json:"number"`
	Text   string `json:"text"`
	// Function is what it tries, "" where it is asked of every phone.
	Function string `json:"function"`
	Answer   Answer `json:"answer" enum:"works,broken,not-tried,"`
	Note     string `json:"note"`
	// Attachments are identities of pictures.
	Attachments []string `json:"attachments" nullable:"false"`
}

// CheckList is what is to be tried after a release has run.
func CheckList(d *profile.Document) []Check {
	list := []Check{}
	for _, s := range d.Checks() {
		list = append(list, Check{Number: len(list) + 1, Text: s.Text, Function: profile.FunctionTried(s.Text), Attachments: []string{}})
	}
	return list
}

// RunRecord is a run with all that was seen of it.
type RunRecord struct {
	// Run, Build and Phone are identities, Phone a keyed hash; On is the day
	// of the run as YYYY-MM-DD.
	Run, Build, Phone, On string
	// WatchedDays is for how many whole days the phone was used since.
	WatchedDays int
	Journal     []Journal
	Checks      []Check
	// Back are packages that returned by themselves, each with the persistence
	// that says when.
	Back map[android.PackageName]string
	// Restarted is true where the phone has restarted since.
	Restarted bool
	Hunts     []Hunt
	// Carries are the functions that packages carry.
	Carries map[android.PackageName][]string
}

// Drafted is a trial that a run comes to.
type Drafted struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Value   change.TrialValue   `json:"value"`
}

// Withheld is a package of the run of which nothing can be said yet.
type Withheld struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Why     string              `json:"why"`
}

// watched is for how long a phone has to be used before a removal counts as
// clean, in days.
const watched = 1

// Draft makes the trials that a run comes to, one for each package and method,
// and says why there is none yet of the others. Nothing is called clean that
// the check list does not bear out, or that is younger than a day; what is
// broken is held against all that could carry it until it is narrowed down.
func Draft(f RunRecord) (drafts []Drafted, withheld []Withheld) {
	drafts, withheld = []Drafted{}, []Withheld{}
	off := map[android.PackageName]bool{}
	for _, j := range Off(f.Journal) {
		off[j.Package] = true
	}
	guilty := map[android.PackageName]*Hunt{}
	for i := range f.Hunts {
		if h := &f.Hunts[i]; h.Found != "" {
			guilty[h.Found] = h
		}
	}
	type key struct {
		name android.PackageName
		m    evidence.Method
	}
	seen := map[key]bool{}
	for _, j := range f.Journal {
		if j.Kind != Remove || j.Again != 0 && j.State == Done && seen[key{j.Package, j.Method}] {
			continue
		}
		d := Drafted{Package: j.Package, Label: j.Label, Value: f.trial(j)}
		switch {
		case j.State == Refused:
			d.Value.Outcome, d.Value.Note, d.Value.Persistence = evidence.Refused, j.Words, "not-watched"
			d.Value.WatchedDays, d.Value.Tried = 0, nil
		case j.State != Done || seen[key{j.Package, j.Method}]:
			continue
		case f.Back[j.Package] == NoStartWithout:
			if n := f.healed(); n > 1 {
				seen[key{j.Package, j.Method}] = true
				why := fmt.Sprintf("the phone did not start with %d out of the image: take out one at a time", n)
				withheld = append(withheld, Withheld{j.Package, j.Label, why})
				continue
			}
			d.Value.Outcome, d.Value.Note, d.Value.Persistence, d.Value.Tried = evidence.NoStart, android.HealedWords, "not-watched", nil
		case guilty[j.Package] != nil:
			f.blame(&d.Value, guilty[j.Package])
		default:
			if why := f.doubt(j.Package, off[j.Package]); why != "" {
				seen[key{j.Package, j.Method}] = true
				withheld = append(withheld, Withheld{j.Package, j.Label, why})
				continue
			}
		}
		seen[key{j.Package, j.Method}] = true
		drafts = append(drafts, d)
	}
	return drafts, withheld
}

// trial is what a removal's trial is, whatever its outcome.
func (f *RunRecord) trial(j Journal) change.TrialValue {
	v := change.TrialValue{Build: f.Build, Phone: f.Phone, Method: j.Method, Outcome: evidence.Clean, Persistence: "not-watched", Recovery: "not-tried", WatchedDays: f.WatchedDays, On: f.On, Run: f.Run, Tried: []string{}}
	if back, ok := f.Back[j.Package]; ok {
		v.Persistence = back
	} else if f.Restarted {
		v.Persistence = "held"
	}
	for _, u := range f.Journal {
		if u.Kind == PutBack && u.Package == j.Package && u.State == Done {
			v.Recovery = "put-back"
		}
	}
	for _, c := range f.Checks {
		if c.Answer == Works && len(v.Tried) < 40 {
			v.Tried = append(v.Tried, c.Text)
		}
	}
	return v
}

// healed counts what the phone took back by itself because it did not start.
func (f *RunRecord) healed() (n int) {
	for _, when := range f.Back {
		if when == NoStartWithout {
			n++
		}
	}
	return n
}

// blame makes the trial of a package that a halving found.
func (f *RunRecord) blame(v *change.TrialValue, h *Hunt) {
	v.Outcome, v.Note = evidence.Fault, h.Path()
	switch {
	case h.Function != "":
		v.Outcome, v.Function = evidence.FunctionLost, h.Function
	case profile.StartTried(h.Text):
		v.Outcome = evidence.NoStart
	}
	for _, c := range f.Checks {
		if c.Number == h.Check {
			v.Attachments = c.Attachments
			if c.Note != "" {
				v.Note += " " + c.Note
			}
		}
	}
}

// doubt says why a package that was taken off can't be called clean; "" where
// it can.
func (f *RunRecord) doubt(name android.PackageName, off bool) string {
	var missing []string
	for _, c := range f.Checks {
		if c.Function != "" && !slices.Contains(f.Carries[name], c.Function) && c.Answer != Broken {
			continue // it tries what others carry
		}
		switch c.Answer {
		case Broken:
			if !f.cleared(name, c) {
				return "suspected: " + lower(c.Text) + " is broken"
			}
		case NotYet, NotTried:
			missing = append(missing, lower(c.Text))
		}
	}
	switch {
	case !off && f.Back[name] == "":
		return "put back before anybody could tell"
	case len(missing) == 1:
		return "not tried yet: " + missing[0]
	case len(missing) > 1:
		return fmt.Sprintf("not tried yet: %s, and %d more", missing[0], len(missing)-1)
	case f.WatchedDays < watched:
		return "watched for less than a day"
	}
	return ""
}

// cleared reports whether a halving found somebody else guilty of what a check
// says is broken.
func (f *RunRecord) cleared(name android.PackageName, c Check) bool {
	return slices.ContainsFunc(f.Hunts, func(h Hunt) bool { return h.Check == c.Number && h.Found != "" && h.Found != name })
}

func lower(s string) string {
	if s == "" {
		return s
	}
	return strings.ToLower(s[:1]) + s[1:]
}

// Ran is a run that may speak for a release.
type Ran struct {
	Phone string
	// Checked is true where the whole list was answered after at least a day,
	// Harmed where something was broken.
	Checked, Harmed bool
}

// Own is what a release's own runs come to.
type Own struct {
	Runs    int     `json:"runs"`
	Phones  int     `json:"phones"`
	Harmed  int     `json:"harmed"`
	Ceiling float64 `json:"ceiling"`
	Floor   float64 `json:"floor"`
}

// OwnCeiling is the limit on the share of phones that a release harms, over
// phones on which it was run and then checked for at least a day; the worst
// run of a phone stands for it. It is never made from the ceilings of its
// packages: they are not independent. Ceiling is 1 without a single phone.
//
// Source: evidence.Ceiling.
func OwnCeiling(list []Ran) Own {
	o := Own{Runs: len(list)}
	phones := map[string]bool{}
	for _, r := range list {
		if r.Checked || r.Harmed {
			phones[r.Phone] = phones[r.Phone] || r.Harmed
		}
	}
	for _, harmed := range phones {
		o.Phones++
		if harmed {
			o.Harmed++
		}
	}
	o.Ceiling = evidence.Ceiling(float64(o.Harmed), float64(o.Phones-o.Harmed))
	o.Floor = evidence.Floor(float64(o.Harmed), float64(o.Phones-o.Harmed))
	return o
}
