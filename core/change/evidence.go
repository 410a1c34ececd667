package change

import (
	"cmp"
	"errors"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/impact"
)

// Whether a removal lasted, what it took to undo it, and whether the phone's own
// settings offer it.
var (
	persistences = []string{"held", "back-after-restart", "back-after-update", "not-watched"}
	recoveries   = []string{"put-back", "by-hand", "reset", "reflash", "not-tried"}
	byHand       = []string{"", "done", "not-offered"}
)

// TrialValue is the value of Trial: what somebody saw on one phone.
type TrialValue struct {
	// Build is the identity of the phone's firmware.
	Build string `json:"build"`
	// Phone is the keyed hash of its serial number, or an anonymous mark
	// that tells this person's phones apart.
	Phone       string           `json:"phone"`
	Method      evidence.Method  `json:"method" enum:"quieten,disable,remove-for-user,remove-from-image"`
	Outcome     evidence.Outcome `json:"outcome" enum:"clean,function-lost,fault,no-start,refused"`
	Function    string           `json:"function,omitempty"`
	Persistence string           `json:"persistence" enum:"held,back-after-restart,back-after-update,not-watched"`
	Recovery    string           `json:"recovery" enum:"put-back,by-hand,reset,reflash,not-tried"`
	// ByHand is "done" where it was switched off or uninstalled on the phone itself,
	// in its settings, "not-offered" where those have no such button or a grey one,
	// "" where nobody looked.
	ByHand string `json:"byHand,omitempty" enum:"done,not-offered,"`
	// WatchedDays is how long the phone was used afterwards.
	WatchedDays int `json:"watchedDays" minimum:"0" maximum:"3650"`
	// On is the day of the removal as YYYY-MM-DD; "" is the day on which the
	// trial was accepted.
	On   string `json:"on,omitempty"`
	Note string `json:"note,omitempty"`
	// Tried lists what was tried afterwards, in a few words each.
	Tried []string `json:"tried,omitempty" nullable:"false"`
	// Attachments are identities of logs and pictures.
	Attachments []string `json:"attachments,omitempty" nullable:"false"`
	// Run is the identity of the run that it was drafted from.
	Run string `json:"run,omitempty"`
	// Report is the identity of the stranger's report that it was made of.
	Report string `json:"report,omitempty"`
}

// asFunction is something that was tried as functions are named.
func asFunction(tried string) string {
	return strings.Join(strings.Fields(strings.ToLower(tried)), "-")
}

// check also brings the ids in a trial into the form that they have.
func (v *TrialValue) check() error {
	switch {
	case v.Build == "":
		return errors.New("a trial needs the build that it was made on")
	case v.Phone == "" || len(v.Phone) > 64:
		return errors.New("a trial needs the phone that it was made on")
	case !v.Method.Valid():
		return fmt.Errorf("method %q is not known", v.Method)
	case !v.Outcome.Valid():
		return fmt.Errorf("outcome %q is not known", v.Outcome)
	case v.Outcome == evidence.FunctionLost && !slug.MatchString(v.Function):
		return errors.New("say which function was lost, as a short word such as payments")
	case v.Outcome != evidence.FunctionLost && v.Function != "":
		return errors.New("a function belongs to the outcome function-lost alone")
	case v.Function != "" && slices.ContainsFunc(v.Tried, func(s string) bool { return asFunction(s) == v.Function }):
		return fmt.Errorf("%s was lost and was tried and worked: it can be one of them", v.Function)
	case v.Outcome == evidence.Refused && strings.TrimSpace(v.Note) == "":
		return errors.New("a refused trial needs the phone's words in its note")
	case !slices.Contains(persistences, v.Persistence):
		return fmt.Errorf("persistence %q is not known", v.Persistence)
	case !slices.Contains(recoveries, v.Recovery):
		return fmt.Errorf("recovery %q is not known", v.Recovery)
	case !slices.Contains(byHand, v.ByHand):
		return fmt.Errorf("by hand %q is not known", v.ByHand)
	case v.ByHand == "done" && v.Method == evidence.RemoveFromImage:
		return errors.New("nobody takes a package out of the image by hand in a phone's settings")
	case v.ByHand != "" && v.Method == evidence.Quieten:
		return errors.New("by hand says whether the phone's settings took a package off; what is quietened stays")
	case v.WatchedDays < 0 || v.WatchedDays > 3650:
		return errors.New("days watched: want 0 to 3650")
	case v.On != "" && !isDay(v.On):
		return fmt.Errorf("%q is not a day such as 2026-03-31", v.On)
	case len(v.Tried) > 40 || slices.ContainsFunc(v.Tried, func(s string) bool { return !goodName(s) }):
		return errors.New("what was tried: at most 40 entries, none empty or over 200 bytes")
	case len(v.Attachments) > 10:
		return errors.New("at most 10 files belong to a trial")
	}
	for i := range v.Attachments {
		if err := canonicalID("a file", &v.Attachments[i]); err != nil {
			return err
		}
	}
	return cmp.Or(canonicalID("the build", &v.Build), canonicalID("the run", &v.Run), canonicalID("the report", &v.Report), checkText("the note", v.Note))
}

// sourceClaims are what a source can tell of: an outcome of removing the
// package, or what it is.
var sourceClaims = []string{"about", string(evidence.Clean), string(evidence.FunctionLost), string(evidence.Fault), string(evidence.NoStart), string(evidence.Refused)}

// SourceValue is the value of Source: a document and what it says about the
// package on the builds of the edit's scope.
type SourceValue struct {
	Title string `json:"title"`
	// Link is where it can be read, an http or https address; Attachment is
	// the identity of a file. It has at least one of the two.
	Link       string `json:"link,omitempty"`
	Attachment string `json:"attachment,omitempty"`
	// Quote is the passage that matters, in its own words.
	Quote string `json:"quote,omitempty"`
	// Claim is the outcome that it tells of, or about where it only says what
	// the package is.
	Claim string `json:"claim" enum:"about,clean,function-lost,fault,no-start,refused"`
	// Load is what the document calls the package, in Roster's words as the
	// person who read it put it; "" where it does not say.
	Load evidence.Load `json:"load,omitempty"`
}

// check also brings the id in a source into the form that it has.
func (v *SourceValue) check() error {
	switch {
	case !goodName(v.Title):
		return errors.New("a source needs a title of at most 200 bytes")
	case v.Link == "" && v.Attachment == "":
		return errors.New("a source needs a link or a file")
	case v.Link != "" && !isLink(v.Link):
		return fmt.Errorf("%q is not an address that begins with https:// or http://", v.Link)
	case !slices.Contains(sourceClaims, v.Claim):
		return fmt.Errorf("%q is nothing that a source can claim", v.Claim)
	case v.Load != "" && !v.Load.Valid():
		return fmt.Errorf("load %q is not known", v.Load)
	}
	return cmp.Or(canonicalID("the file", &v.Attachment), checkText("the quote", v.Quote))
}

func checkSubstitutes(v []catalog.Substitute) error {
	if len(v) > 20 {
		return errors.New("more than 20 substitutes")
	}
	for _, s := range v {
		if !goodName(s.Name) {
			return errors.New("a substitute needs a name of at most 200 bytes")
		}
		if s.Package != "" {
			if _, err := android.ParsePackageName(s.Package); err != nil {
				return fmt.Errorf("the package of %s: %w", s.Name, err)
			}
		}
		if s.For != "" && !goodSlug(s.For) {
			return fmt.Errorf("%q is not a good function", s.For)
		}
		if s.First != "" && !goodName(s.First) {
			return fmt.Errorf("what must be in place before %s takes over: one line of at most 200 bytes", s.Name)
		}
	}
	return nil
}

// StatedLink says that a package rests on another, as no phone tells.
type StatedLink struct {
	On       string          `json:"on" minLength:"1" maxLength:"255"`
	Strength impact.Strength `json:"strength" enum:"hard,soft"`
	Why      string          `json:"why" minLength:"1" maxLength:"200" doc:"What shows it, in one line"`
}

func checkLinks(v []StatedLink) error {
	if len(v) > 50 {
		return errors.New("more than 50 links")
	}
	for _, l := range v {
		if _, err := android.ParsePackageName(l.On); err != nil {
			return fmt.Errorf("what it rests on: %w", err)
		}
		if l.Strength != impact.Hard && l.Strength != impact.Soft {
			return fmt.Errorf("how %s carries it: %q is neither hard nor soft", l.On, l.Strength)
		}
		if !goodName(l.Why) {
			return fmt.Errorf("how you know that it rests on %s: one line of at most 200 bytes", l.On)
		}
	}
	return nil
}

// isDay reports whether s is a day on which a phone like those here can have
// existed.
func isDay(s string) bool {
	day, err := time.Parse(time.DateOnly, s)
	return err == nil && day.Year() >= 2000 && day.Year() < 3000
}

// link keeps to what an address may hold, so that none can carry markup.
var link = regexp.MustCompile(`^[A-Za-z0-9\-._~:/?#\[\]@!$&'()*+,;=%]+$`)

func isLink(s string) bool {
	u, err := url.Parse(s)
	return err == nil && len(s) <= 2000 && link.MatchString(s) && (u.Scheme == "https" || u.Scheme == "http") && u.Host != "" && u.User == nil
}
