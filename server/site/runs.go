package site

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/gain"
	"roster/core/profile"
	"roster/core/run"
	"roster/store"
)

// ranStep is a step of a public run.
type ranStep struct {
	Number  int                 `json:"number"`
	Kind    run.Kind            `json:"kind"`
	Method  string              `json:"method,omitempty"`
	Package android.PackageName `json:"package,omitempty"`
	Label   string              `json:"label,omitempty"`
	Text    string              `json:"text,omitempty"`
	State   run.State           `json:"state"`
	Words   string              `json:"words,omitempty"`
	// Back is true where it returned by itself, PutBack where it was put back.
	Back    bool `json:"cameBack,omitempty"`
	PutBack bool `json:"putBack,omitempty"`
}

// ranCheck is what came of trying something.
type ranCheck struct {
	Text   string     `json:"text"`
	Answer run.Answer `json:"answer"`
}

// publicRun is a run without anything that tells whose phone it was: neither
// the phone's mark nor its bench, nor who ran it, nor what they noted, nor the
// hour.
type publicRun struct {
	Number   int64             `json:"number"`
	State    run.RunState      `json:"state"`
	Day      string            `json:"day"`
	Maker    string            `json:"maker"`
	Model    string            `json:"model"`
	Version  string            `json:"version"`
	Android  string            `json:"android"`
	Carrier  string            `json:"carrier,omitempty"`
	Release  string            `json:"release"`
	Counts   map[run.State]int `json:"counts"`
	Steps    []ranStep         `json:"steps"`
	Checks   []ranCheck        `json:"checks"`
	Narrowed []string          `json:"narrowedDown,omitempty"`
	// Gain is what it brought the phone, by quantity: memory in bytes, a start in
	// seconds, wake-ups in an hour and so on. None where it was not measured.
	Gain     gain.Difference `json:"gain,omitempty"`
	Measured []sides         `json:"-"`
	Title    string          `json:"-"`
	At       time.Time       `json:"-"`
}

// run writes the public record of a run of a release that has come to its end.
func (s *Site) run(ctx context.Context, rest string) (File, error) {
	name, asProgram := strings.CutSuffix(rest, ".json")
	number, err := strconv.ParseInt(name, 10, 64)
	if err != nil || number < 1 || strconv.FormatInt(number, 10) != name {
		return File{}, store.ErrNotFound
	}
	r, err := s.Store.RunByNumber(ctx, number)
	if err != nil {
		return File{}, err
	}
	if r.ReleaseID == nil || r.State != run.Finished && r.State != run.BackAsItWas {
		return File{}, store.ErrNotFound
	}
	steps, err := s.Store.RunSteps(ctx, r.ID, 0)
	if err != nil {
		return File{}, err
	}
	p := publicRun{Number: r.Number, State: r.State, Day: r.StartedAt.UTC().Format("2006-01-02"), Maker: r.MakerName, Model: r.ModelName, Version: r.Version, Android: r.Android, Carrier: r.Carrier,
		Release: fmt.Sprintf("/r/%s/%s/%s/%d", r.Maker, r.Model, r.Edition, r.Release), Counts: r.Counts, Steps: []ranStep{}, Checks: []ranCheck{},
		Title: fmt.Sprintf("%s, no. %d", r.EditionName, r.Release), At: r.StartedAt}
	for _, st := range steps {
		one := ranStep{Number: st.Number, Kind: st.Kind, Method: string(st.Method), Package: st.Package, Label: st.Label, Text: st.Text, State: st.State}
		if st.Kind == run.Remove || st.Kind == run.PutBack {
			one.Words = st.Words
			one.Back = st.Kind == run.Remove && st.State == run.Done && r.Back[st.Package] != ""
			one.PutBack = slices.ContainsFunc(steps, func(u store.RunStep) bool { return u.Undoes == st.Number && u.State == run.Done })
		}
		p.Steps = append(p.Steps, one)
	}
	for _, c := range r.Checks {
		p.Checks = append(p.Checks, ranCheck{c.Text, c.Answer})
	}
	for _, h := range r.Hunts {
		if h.Over {
			p.Narrowed = append(p.Narrowed, h.Path())
		}
	}
	brought, err := s.Store.RunGain(ctx, r.ID)
	if err != nil {
		return File{}, err
	}
	if brought != nil {
		p.Gain, p.Measured = brought.Gained, sidesOf(brought.Gained)
	}
	if asProgram {
		return asJSON(p)
	}
	return s.page("run.html", p)
}

// own is what a release's own runs come to, with the latest of them.
func (s *Site) own(ctx context.Context, r store.Release) (run.Own, []store.RunLine, error) {
	own, err := s.Store.OwnFigures(ctx, []uuid.UUID{r.ID})
	if err != nil {
		return run.Own{}, nil, err
	}
	list, err := s.Store.Runs(ctx, store.RunQuery{Release: r.ID, Limit: 20})
	list = slices.DeleteFunc(list, func(l store.RunLine) bool { return l.State != run.Finished && l.State != run.BackAsItWas })
	return own[r.ID], list, err
}

// status is what programs are told of a release.
type status struct {
	listed
	// Runs counts the phones that ran it and were checked, and says at most
	// how many of a hundred it harms.
	Runs ownStatus `json:"runs"`
	// Gain is what it brought the phones on which it was measured, as far as enough
	// were: memory in bytes, a start in seconds, wake-ups in an hour and so on.
	Gain map[gain.Quantity]gain.Figure `json:"gain,omitempty"`
}

type ownStatus struct {
	Phones  int     `json:"phones"`
	Harmed  int     `json:"harmed"`
	Ceiling float64 `json:"ceiling"`
}

func statusOf(r store.Release, own run.Own, notFor []store.NotFor, many *store.ManyGain) status {
	s := status{listed: listedOf(r.ReleaseLine, notFor), Runs: ownStatus{own.Phones, own.Harmed, own.Ceiling}}
	if many != nil {
		s.Gain = profile.Gained(many.Figures)
	}
	return s
}
