package site

import (
	"roster/core/profile"
	"roster/core/render"
	"roster/store"
)

// Told is what a stranger fills in, or finds again.
type Told struct {
	// To is where it is sent, Release the release's address, "" for a phone that is
	// not listed.
	To, Release, Name string
	Outcomes          []store.ReportOutcome
	// Here is what reads a phone in the page, nil for nothing; Salt is what its serial
	// number is hashed with.
	Here *Here
	Salt string
	// Report is what was told, nil for a form; Address is where it is found again.
	Report  *store.OutsideReport
	Address string
}

// outcomes of a release, in the order of a form.
var outcomes = []store.ReportOutcome{store.ToldWorked, store.ToldMissing, store.ToldBroken, store.ToldWouldNotGo, store.ToldCameBack}

// tell is the page on which strangers tell what happened with a release.
func (s *Site) tell(r store.Release, d *profile.Document, _ render.About) (File, error) {
	if s.Reports == "" {
		return File{}, store.ErrNotFound
	}
	name := d.Maker.Name + " " + d.Model.Name + ": " + d.Edition.Name
	return s.page("tell.html", Told{To: s.Reports, Release: Path(r.ReleaseLine), Name: name, Outcomes: outcomes})
}

// In is the site in another language.
func (s *Site) In(code string) *Site {
	spoken := *s
	spoken.language = code
	return &spoken
}

// TellOfUnlisted is the page on which they tell of a phone that is not listed.
func (s *Site) TellOfUnlisted() (File, error) {
	here, err := s.Assets.Here()
	if err != nil {
		return File{}, err
	}
	return s.page("tell.html", Told{To: s.Reports, Here: here, Salt: s.Salt})
}

// ToldPage is what somebody told, what was asked, and what became of it.
func (s *Site) ToldPage(r store.OutsideReport, address string) (File, error) {
	return s.page("told.html", Told{To: s.Reports, Report: &r, Address: address, Name: r.Release})
}
