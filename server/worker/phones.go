package worker

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/run"
	"roster/store"
)

// PhoneAt is a phone on a bench.
type PhoneAt struct {
	Bench  uuid.UUID `json:"bench"`
	Handle string    `json:"handle"`
}

// Attached are the phones that are ready on some bench, by their marks. Where
// one is said to be on two, it is on the one that was heard of last: a tab may
// have ended without a word.
func (w *Worker) Attached(ctx context.Context) (map[string]PhoneAt, error) {
	benches, err := w.store.Benches(ctx)
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(benches, func(a, b store.Bench) int { return heard(b).Compare(heard(a)) })
	at := map[string]PhoneAt{}
	for _, b := range benches {
		view, err := ViewOf(b)
		if err != nil {
			return nil, err
		}
		for _, p := range view.Phones {
			if _, twice := at[p.Mark]; p.Ready && p.Mark != "" && !twice {
				at[p.Mark] = PhoneAt{b.ID, p.Handle}
			}
		}
	}
	return at, nil
}

func heard(b store.Bench) time.Time {
	if b.SeenAt == nil {
		return time.Time{}
	}
	return *b.SeenAt
}

// ViewOf is what a bench said last that it sees: nothing while it is away.
func ViewOf(b store.Bench) (view bench.View, err error) {
	if b.Away {
		return view, nil
	}
	if err := json.Unmarshal(b.View, &view); err != nil {
		return view, fmt.Errorf("what bench %s sees: %w", b.ID, err)
	}
	return view, nil
}

// Marked is a view as it is stored: with the mark of each phone in place of its
// serial number.
func (w *Worker) Marked(v bench.View) bench.View {
	v.Phones = slices.Clone(v.Phones)
	for i := range v.Phones {
		p := &v.Phones[i]
		p.Mark, p.Hardware = w.mark(p.Hardware), ""
	}
	return v
}

// AskForLook asks the bench on which the phone of a run is to look what it now
// has of the run's packages, in a person's name, and returns the job's id.
func (w *Worker) AskForLook(ctx context.Context, id, person uuid.UUID, here PhoneAt) (uuid.UUID, error) {
	steps, err := w.store.RunSteps(ctx, id, 0)
	if err != nil {
		return uuid.Nil, err
	}
	list := make([]run.Step, len(steps))
	for i, s := range steps {
		list[i] = s.Step
	}
	return w.store.AddJob(ctx, person, Ask(here.Bench, bench.Request{Kind: bench.KindLook, Phone: here.Handle, Run: id, Keys: run.Keys(list)}))
}

// Ask is what the record keeps of a request to a bench.
func Ask(to uuid.UUID, r bench.Request) store.Ask {
	return store.Ask{Kind: r.Kind, Bench: to, Request: r}
}
