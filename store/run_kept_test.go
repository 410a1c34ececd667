package store_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/run"
	"roster/store"
)

// TestKeptAsStored tells the same of a run to the store and to run.Kept, whatever
// happens to it: both order the same and write the same down.
func TestKeptAsStored(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := w.linkedOn("one", "1", loose)
	_, quiet := w.edition("Quiet", "l.other", "l.lib")
	for seed := range uint64(12) {
		both := &twice{world: w, r: rand.New(rand.NewPCG(seed, 1)), phone: fmt.Sprint("phone ", seed), rooted: seed%2 == 1}
		both.start(quiet, c)
		for step := 0; step < 60 && !t.Failed(); step++ {
			both.step()
			both.same(fmt.Sprintf("seed %d, step %d", seed, step))
		}
	}
}

// twice is a run that is kept in both ways.
type twice struct {
	*world
	r      *rand.Rand
	phone  string
	id     uuid.UUID
	kept   *run.Kept
	flying []int // steps that the bench has
	began  bool  // this attempt's first report was made
	boots  int
	rooted bool // something goes from the image
	gone   map[android.PackageName]bool
}

const keptOn = "b/p/lyra5:14/LINK/1:user/k"

func (b *twice) start(r store.ReleaseLine, c store.CaptureSummary) {
	full, err := b.ReleaseByID(b.ctx, r.ID)
	b.must(err)
	d, err := profile.ParseDocument(full.Document)
	b.must(err)
	// One is only made quiet, and something is put in before.
	for i := range d.Steps {
		if d.Steps[i].Package == "l.other" {
			d.Steps[i].Method = evidence.Quieten
		} else if b.rooted && d.Steps[i].Package == "l.lib" {
			d.Steps[i].Method = evidence.RemoveFromImage
		}
	}
	d.Steps = append([]profile.Step{{Number: 90, Kind: profile.PutIn, Phase: profile.Before, Package: "l.new", Role: "HOME"}}, d.Steps...)
	of, err := b.ProfileOf(b.ctx, r.ID)
	b.must(err)
	bench := uuid.NewSHA1(uuid.Nil, []byte("bench"))
	b.must(b.EnsureBench(b.ctx, bench, "bench"))
	b.id, err = b.StartRun(b.ctx, store.NewRun{
		Profile: of, Release: &r.ID, Document: d, Build: c.BuildID, Capture: c.ID, Phone: b.phone, Name: "Lyra 5", Form: "phone",
		Bench: bench, Person: b.people["tech"].ID,
	})
	b.must(err)
	b.kept = run.NewKept(run.Plan(d, run.Choices{}), b.phone, "phone", keptOn)
	b.must(b.kept.Resume(false, nil))
	b.gone = map[android.PackageName]bool{}
}

// seen is what the phone shows.
func (b *twice) seen() *run.Seen {
	s := &run.Seen{Fingerprint: keptOn, SDK: 34, Boots: b.boots, Settings: map[string]string{}}
	for _, name := range []android.PackageName{"l.lib", "l.other", "l.new"} {
		s.Known = append(s.Known, name)
		if name == "l.other" || b.gone[name] == (name == "l.new") {
			s.Installed = append(s.Installed, name)
		}
	}
	if b.rooted && b.r.IntN(4) > 0 {
		image := android.Image{Root: android.RootBySu, State: android.OnImage, Way: android.Masked, Folder: "/product/app/Lib", At: "/product"}
		if b.gone["l.lib"] {
			image.State = []android.ImageState{android.IsMasked, android.IsHealed}[b.r.IntN(2)]
		}
		s.Settings[run.Key{Namespace: run.Image, Key: "l.lib"}.String()] = image.String()
	}
	// Some phones do not tell what a package may do when they are looked at.
	if noise := "default,default,granted,-,10"; b.r.IntN(4) > 0 {
		if b.gone["l.other"] {
			noise = "ignore,ignore,revoked,-,45"
		}
		s.Settings[run.Key{Namespace: run.Quiet, Key: "l.other"}.String()] = noise
	}
	return s
}

func (b *twice) step() {
	if b.kept.State != run.Going {
		b.resume()
		return
	}
	report := run.Report{Attempt: b.kept.Attempt, Answers: []run.StepAnswer{}, Want: b.r.IntN(3)}
	phone := ""
	if !b.began || b.r.IntN(8) == 0 {
		report.Seen = b.seen()
	}
	if !b.began {
		phone, b.began = b.phone, true
	}
	for len(b.flying) > 0 && b.r.IntN(3) > 0 {
		report.Answers = append(report.Answers, b.answer(b.flying[0]))
		b.flying = b.flying[1:]
	}
	report.Flying = append([]int{}, b.flying...)
	switch b.r.IntN(12) {
	case 0:
		report.End, report.Why = "interrupted", "the cable"
	case 1:
		report.Attempt++ // somebody else's
	case 2:
		b.must(b.StopRun(b.ctx, b.id))
		b.kept.StopAsked = true
	}
	stored, err := b.Advance(b.ctx, b.id, phone, report)
	report.Serial = phone
	orders, wrong := b.kept.Advance(report)
	if errors.Is(err, run.ErrSuperseded) != errors.Is(wrong, run.ErrSuperseded) {
		b.t.Errorf("the store says %v, the kept run %v", err, wrong)
	}
	if err != nil {
		return
	}
	if fmt.Sprint(stored.Steps, stored.Done, stored.Stop) != fmt.Sprint(orders.Steps, orders.Done, orders.Stop) {
		b.t.Errorf("of %+v the store orders %+v, the kept run %+v", report, stored, orders)
	}
	for _, s := range orders.Steps {
		b.flying = append(b.flying, s.Number)
	}
	if b.kept.State != run.Going {
		b.flying = nil
	}
}

// answer is what came of a step.
func (b *twice) answer(number int) run.StepAnswer {
	at := slices.IndexFunc(b.kept.Steps, func(s run.KeptStep) bool { return s.Number == number })
	step := b.kept.Steps[at]
	state := run.Done
	if step.Kind == run.Remove && b.r.IntN(4) == 0 {
		state = run.Refused
	}
	if state == run.Done {
		switch step.Kind {
		case run.Remove:
			b.gone[step.Package] = b.r.IntN(5) > 0 // else it comes back by itself
		case run.PutIn:
			b.gone[step.Package] = true // it is there
		case run.PutBack, run.TakeOut:
			b.gone[step.Package] = false
		case run.Restart:
			b.boots++
		}
	}
	return run.StepAnswer{Step: number, State: state, Words: "it said so"}
}

func (b *twice) resume() {
	undo := b.r.IntN(3) == 0
	if b.kept.Open() && b.r.IntN(2) == 0 {
		seen := b.seen()
		b.must(b.Looked(b.ctx, b.id, b.phone, seen, nil))
		b.kept.Look(seen, true)
		return
	}
	var names []android.PackageName
	if undo && b.r.IntN(2) == 0 {
		names = []android.PackageName{"l.lib"}
	}
	bench := uuid.NewSHA1(uuid.Nil, []byte("bench"))
	_, err := b.ResumeRun(b.ctx, b.id, b.people["tech"].ID, store.Resume{Undo: undo, Names: names, Bench: bench})
	wrong := b.kept.Resume(undo, names)
	if (err == nil) != (wrong == nil) {
		b.t.Errorf("going on (undo %v, %v): the store says %v, the kept run %v", undo, names, err, wrong)
	}
	b.began = false
}

// same compares what both have written down.
func (b *twice) same(when string) {
	b.t.Helper()
	r, err := b.RunByID(b.ctx, b.id)
	b.must(err)
	steps, err := b.RunSteps(b.ctx, b.id, 0)
	b.must(err)
	var stored, kept []string
	for _, s := range steps {
		stored = append(stored, fmt.Sprint(s.Number, s.Kind, s.Package, s.State, s.Words, s.Before, s.Value))
	}
	for _, s := range b.kept.Steps {
		kept = append(kept, fmt.Sprint(s.Number, s.Kind, s.Package, s.State, s.Words, s.Before, s.Value))
	}
	if run.RunState(r.State) != b.kept.State || !slices.Equal(stored, kept) {
		b.t.Errorf("%s: the store has %s, %q; the kept run %s, %q", when, r.State, stored, b.kept.State, kept)
	}
}
