package site

import (
	"roster/core/profile"
	"roster/core/render"
	"roster/store"
)

// Told is what a stranger filled in, or finds again.
type Told struct {
	Title string
	// To is where it is sent, Release the release's address, "" for a phone
	// that is not listed.
	To, Release, Name string
	Outcomes            []Outcome
	// Report is what was told, nil for a form; Address is where it is found again.
	Report  *store.OutsideReport
	Address string
}

// Outcome is something that a stranger can tell, in words.
type Outcome struct {
	Value store.ReportOutcome
	Words string
}

// outcomes of a release, in the order of a form.
var outcomes = []Outcome{
	{store.ToldWorked, "It worked, and I miss nothing"},
	{store.ToldMissing, "Something is missing that I use"},
	{store.ToldBroken, "Something is broken"},
	{store.ToldWouldNotGo, "Something would not go"},
	{store.ToldCameBack, "Something came back by itself"},
}

// tell is the page on which strangers tell what happened with a release.
func (s *Site) tell(r store.Release, d *profile.Document, a render.About) (File, error) {
	if s.Reports == "" {
		return File{}, store.ErrNotFound
	}
	name := d.Maker.Name + " " + d.Model.Name + ": " + d.Edition.Name
	return s.page("tell.html", Told{Title: name, To: s.Reports, Release: Path(r.ReleaseLine), Name: name, Outcomes: outcomes})
}

// TellOfUnlisted is the page on which they tell of a phone that is not listed.
func (s *Site) TellOfUnlisted() (File, error) {
	return s.page("tell.html", Told{Title: "My phone is not listed", To: s.Reports})
}

// ToldPage is what somebody told, what was asked, and what became of it.
func (s *Site) ToldPage(r store.OutsideReport, address string) (File, error) {
	t := Told{Title: "What you told", To: s.Reports, Report: &r, Address: address, Name: r.Release}
	for _, o := range outcomes {
		if o.Value == r.Outcome {
			t.Outcomes = []Outcome{o}
		}
	}
	return s.page("told.html", t)
}
