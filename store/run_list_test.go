package store_test

import (
	"bytes"
	"errors"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/profile"
	"roster/core/run"
	"roster/store"
)

// ran carries a release out on a phone, whose answer to each removal is given;
// done for those that are not named.
func (w *world) ran(r store.ReleaseLine, c store.CaptureSummary, phone string, states map[android.PackageName]run.State) uuid.UUID {
	w.t.Helper()
	full, err := w.ReleaseByID(w.ctx, r.ID)
	w.must(err)
	d, err := profile.ParseDocument(full.Document)
	w.must(err)
	of, err := w.ProfileOf(w.ctx, r.ID)
	w.must(err)
	bench := uuid.NewSHA1(uuid.Nil, []byte("bench"))
	w.must(w.EnsureBench(w.ctx, bench, "bench"))
	id, err := w.StartRun(w.ctx, store.NewRun{Profile: of, Release: &r.ID, Document: d, Build: c.BuildID, Capture: c.ID, Phone: phone, Name: "Lyra 5", Form: "phone", Bench: bench, Person: w.people["tech"].ID})
	w.must(err)
	seen := &run.Seen{Fingerprint: "b/p/lyra5:14/LINK/1:user/k", SDK: 34}
	report := run.Report{Attempt: 1, Want: 1, Seen: seen}
	for {
		orders, err := w.Advance(w.ctx, id, phone, report)
		w.must(err)
		if orders.Done {
			return id
		}
		phone, report = "", run.Report{Attempt: 1, Want: 1}
		for _, step := range orders.Steps {
			state := run.Done
			if s, named := states[step.Package]; named && step.Kind == run.Remove {
				state = s
			}
			report.Answers = append(report.Answers, run.StepAnswer{Step: step.Number, State: state})
		}
	}
}

// own are the phones that a release was run on, and those it harmed.
func (w *world) own(r store.ReleaseLine) [3]int {
	w.t.Helper()
	own, err := w.OwnFigures(w.ctx, []uuid.UUID{r.ID})
	w.must(err)
	return [3]int{own[r.ID].Runs, own[r.ID].Phones, own[r.ID].Harmed}
}

// TestWhatRunsSpeakFor: a run speaks for every release of the model of which it
// did at least all, and of harm only where it may lie at the release's door.
func TestWhatRunsSpeakFor(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := w.linkedOn("one", "1", loose)
	_, quiet := w.edition("Quiet", "l.other")
	_, more := w.edition("More", "l.other", "l.lib")
	id := w.ran(more, c, "one", map[android.PackageName]run.State{"l.lib": run.Refused})
	if w.own(quiet) != [3]int{1, 0, 0} || w.own(more) != [3]int{1, 0, 0} {
		t.Errorf("a run of more than a release, nothing checked: %v, %v", w.own(quiet), w.own(more))
	}
	r, err := w.RunByID(w.ctx, id)
	w.must(err)
	for _, check := range r.Checks {
		a := store.CheckAnswer{Answer: run.Works, At: time.Now().AddDate(0, 0, 2)}
		if check.Number == 1 {
			a.Answer = run.Broken
		}
		w.must(w.AnswerCheck(w.ctx, id, check.Number, w.people["tech"].ID, a))
	}
	if w.own(quiet) != [3]int{1, 1, 1} || w.own(more) != [3]int{1, 1, 1} {
		t.Errorf("something is broken, by whichever package: %v, %v", w.own(quiet), w.own(more))
	}
	attempt, err := w.ResumeRun(w.ctx, id, w.people["tech"].ID, store.Resume{
		Hunt:  &run.Hunt{Check: 1, Over: true, Found: "l.lib"},
		Steps: func([]run.Journal) []run.Step { return nil },
	})
	if err != nil || attempt != 0 {
		t.Fatalf("%d, %v", attempt, err)
	}
	if w.own(quiet) != [3]int{} || w.own(more) != [3]int{1, 1, 1} {
		t.Errorf("broken by what one of them leaves alone: %v, %v", w.own(quiet), w.own(more))
	}
	// A part of a release says nothing of it, nor what was left out.
	w.ran(quiet, w.linkedOn("two", "1", loose), "two", nil)
	w.ran(more, w.linkedOn("three", "1", loose), "three", map[android.PackageName]run.State{"l.lib": run.Skipped})
	if w.own(quiet)[0] != 2 || w.own(more)[0] != 1 {
		t.Errorf("%v, %v", w.own(quiet), w.own(more))
	}
}

// TestRunAndItsRequest: a run and what its bench is asked for are written down
// together, or neither is.
func TestRunAndItsRequest(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := w.linkedOn("one", "1", loose)
	id, quiet := w.edition("Quiet", "l.other")
	full, err := w.ReleaseByID(w.ctx, quiet.ID)
	w.must(err)
	d, err := profile.ParseDocument(full.Document)
	w.must(err)
	n := store.NewRun{Profile: id, Release: &quiet.ID, Document: d, Build: c.BuildID, Capture: c.ID, Phone: "one", Name: "Lyra 5", Form: "phone", Bench: store.NewID(), Person: w.people["tech"].ID}
	w.must(w.EnsureBench(w.ctx, n.Bench, "bench"))
	n.Ask = func(uuid.UUID) store.Ask { return store.Ask{Kind: "run", Bench: n.Bench, Request: func() {}} }
	if _, err := w.StartRun(w.ctx, n); err == nil {
		t.Fatal("a request that can't be written was taken")
	}
	if runs, err := w.Runs(w.ctx, store.RunQuery{Limit: 5}); err != nil || len(runs) != 0 {
		t.Fatalf("a run is there that nobody was asked for: %+v, %v", runs, err)
	}
	n.Ask = func(run uuid.UUID) store.Ask { return store.Ask{Kind: "run", Bench: n.Bench, Request: run} }
	started, err := w.StartRun(w.ctx, n)
	w.must(err)
	job, err := w.ClaimJob(w.ctx, n.Bench)
	if err != nil || string(job.Request) != `"`+started.String()+`"` {
		t.Errorf("%+v, %v", job, err)
	}
	if states, err := w.EndedJobs(w.ctx, []uuid.UUID{job.ID, store.NewID()}); err != nil || len(states) != 0 {
		t.Errorf("%v, %v", states, err)
	}
	w.must(w.EndJob(w.ctx, job.ID, "failed", nil, "x"))
	w.must(w.EndJob(w.ctx, job.ID, "done", nil, "")) // it has ended: nothing changes
	if states, err := w.EndedJobs(w.ctx, []uuid.UUID{job.ID}); err != nil || states[job.ID] != "failed" {
		t.Errorf("%v, %v", states, err)
	}
	for what, err := range map[string]error{
		"told": w.TellJob(w.ctx, store.NewID(), 1), "kept": w.KeepJob(w.ctx, store.NewID(), 1), "ended": w.EndJob(w.ctx, store.NewID(), "done", nil, ""), "cancelled": w.CancelJob(w.ctx, store.NewID()),
	} {
		if !errors.Is(err, store.ErrNotFound) {
			t.Errorf("a job that there is not is %s: %v", what, err)
		}
	}
}

// TestUnreadableDocument: a release whose document this program can't read
// stops nobody's work, and the log says which it is.
func TestUnreadableDocument(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.linkedOn("one", "1", loose)
	_, quiet := w.edition("Quiet", "l.other")
	for _, sql := range []string{`alter table releases disable trigger user`, `
		update releases set document = '{"format": "of another century"}'`} {
		_, err := w.Pool().Exec(w.ctx, sql)
		w.must(err)
	}
	var log bytes.Buffer
	fresh, err := store.NewWith(w.ctx, w.Pool().Config().ConnString(), store.Options{Log: slog.New(slog.NewTextHandler(&log, nil))})
	w.must(err)
	t.Cleanup(fresh.Close)
	w.Store = fresh
	w.linkedOn("two", "2", bound)
	if !strings.Contains(log.String(), quiet.ID.String()) {
		t.Errorf("the log says %q", log.String())
	}
}
