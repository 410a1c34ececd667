package desk

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"
)

// Kind names why something waits.
type Kind string

// The kinds of lines.
const (
	ReleaseStops   Kind = "release-stops"   // a published release would stop something on a build
	RunOpen        Kind = "run-open"        // a run has stopped in the middle of a phone
	Contested      Kind = "contested"       // trials of what a release takes off contradict each other
	ReleaseBehind  Kind = "release-behind"  // a release is not for the newest build
	PublicationAsk Kind = "publication-ask" // somebody asks for a second person to publish
	Change         Kind = "change"          // a change waits for review
	Asked          Kind = "asked"           // somebody asks you to look at a change
	Arrived        Kind = "arrived"         // a firmware was captured for the first time
	Returned       Kind = "returned"        // a change, or a publication, was returned to you
	CheckDue       Kind = "check-due"       // a run's check list is due
	TrialsWanted   Kind = "trials-wanted"   // trials on a phone like yours would prove a draft
	KeyRetired     Kind = "key-retired"     // releases are signed with a key that is retired
	ThinRelease    Kind = "thin-release"    // a release takes off what is not well known
	Import         Kind = "import"          // a list from elsewhere waits for review
	Ungraded       Kind = "ungraded"        // packages on many builds that nobody has graded
	Outside        Kind = "outside"         // strangers tell of trouble, or wait for an answer
	GainedNothing  Kind = "gained-nothing"  // a release brought its phones nothing that could be measured
	CostsMore      Kind = "costs-more"      // packages began to use much more on a firmware
	Told           Kind = "told"            // something that you follow, or are part of, has moved
)

// severities are what waiting can do, on a scale on which a phone that loses
// something vital is 100, and reading the news is 5.
var severities = map[Kind]float64{
	ReleaseStops: 100, RunOpen: 80, Contested: 60, ReleaseBehind: 50, PublicationAsk: 45, Asked: 40, Arrived: 40, Change: 30,
	Returned: 35, CheckDue: 35, TrialsWanted: 30, KeyRetired: 30, ThinRelease: 25, Import: 20, Outside: 20, CostsMore: 20,
	Ungraded: 15, GainedNothing: 15, Told: 5,
}

// harms says in words what waiting can do.
var harms = map[Kind]string{
	ReleaseStops: "whoever runs it loses something vital", RunOpen: "a phone lies half done", Contested: "people take off what may harm", ReleaseBehind: "people with it have no release",
	PublicationAsk: "a release waits for you", Asked: "somebody waits for your word", Arrived: "nobody has looked what it breaks", Change: "somebody's work waits", Returned: "your work waits for you",
	CheckDue: "what happened is forgotten", TrialsWanted: "a release can't be proven", KeyRetired: "signatures of an old key are doubted", ThinRelease: "it takes off what few have tried",
	Import: "somebody's list waits", Outside: "people who told wait for an answer", Ungraded: "people guess",
	GainedNothing: "people bear harm for nothing", CostsMore: "phones get slower, and nobody says by what", Told: "nothing is harmed",
}

// Valid reports whether a kind is one of those above.
func (k Kind) Valid() bool { return severities[k] > 0 }

// Line is one thing that waits.
type Line struct {
	// Key is the same for as long as it is the same thing: what is put off or
	// handed over is known by it.
	Key  string `json:"key"`
	Kind Kind   `json:"kind" enum:"release-stops,run-open,contested,release-behind,publication-ask,change,asked,arrived,returned,check-due,trials-wanted,key-retired,thin-release,import,ungraded,outside,gained-nothing,costs-more,told"`
	// Text is the whole of it in a sentence or two.
	Text string `json:"text"`
	// To is where it is dealt with: an address in the workbench, the scope set.
	To string `json:"to"`
	// Affected counts those whom waiting harms, Whom says who they are: 14
	// phones that ran it.
	Affected int    `json:"affected"`
	Whom     string `json:"whom"`
	// Weighs is more than 1 where this line is worse than others of its kind: a
	// change that touches a release.
	Weighs float64   `json:"weighs,omitempty"`
	Since  time.Time `json:"since"`
	Urgency
	// HandedBy is who handed it over, with words; "" for nobody.
	HandedBy string `json:"handedBy,omitempty"`
	Words    string `json:"words,omitempty"`
	// Until is when a line that is put off comes back; nil for one that is not,
	// or that somebody is done with.
	Until *time.Time `json:"until,omitempty"`
}

// Urgency is how urgent a line is, and what that was worked out from.
type Urgency struct {
	Points   float64 `json:"points"`
	Severity float64 `json:"severity"`
	Reach    float64 `json:"reach"`
	Age      float64 `json:"age"`
	// Why is the same in words.
	Why string `json:"why"`
}

// oldest is the number of days after which waiting gets no worse.
const oldest = 28

// Weigh works out how urgent a line is at a moment: severity × reach × age.
// Reach is 1 + log₂(1 + affected) / 4: fifteen people double it. Age grows from 1
// to 2 in four weeks.
func (l Line) Weigh(now time.Time) Urgency {
	days := min(max(now.Sub(l.Since).Hours()/24, 0), oldest)
	u := Urgency{Severity: severities[l.Kind] * max(l.Weighs, 1), Reach: 1 + math.Log2(1+float64(max(l.Affected, 0)))/4, Age: 1 + days/oldest}
	u.Points = math.Round(u.Severity*u.Reach*u.Age*10) / 10
	u.Why = harms[l.Kind]
	if l.Affected > 0 && l.Whom != "" {
		u.Why += "; " + l.Whom
	}
	u.Why += "; " + since(now.Sub(l.Since))
	return u
}

func since(d time.Duration) string {
	switch days := int(d.Hours() / 24); {
	case days < 1:
		return "since today"
	case days == 1:
		return "since yesterday"
	case days < 60:
		return fmt.Sprintf("for %d days", days)
	default:
		return fmt.Sprintf("for %d months", days/30)
	}
}

// Order weighs lines and puts the most urgent first; of equals the older, then
// by key.
func Order(lines []Line, now time.Time) {
	for i := range lines {
		lines[i].Urgency = lines[i].Weigh(now)
	}
	slices.SortFunc(lines, func(a, b Line) int {
		return cmp.Or(cmp.Compare(b.Points, a.Points), a.Since.Compare(b.Since), cmp.Compare(a.Key, b.Key))
	})
}
