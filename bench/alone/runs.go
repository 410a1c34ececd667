package alone

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/run"
)

// handleOf is the bench's name for the attached phone that a run is of.
func (b *Bench) handleOf(r *kept) (string, error) {
	for _, p := range b.View().Phones {
		if p.Ready && p.Mark != "" && p.Mark == r.run.Phone {
			return p.Handle, nil
		}
	}
	return "", errNoPhone
}

// goOn begins an attempt at a run and does it until it ends.
func (b *Bench) goOn(ctx context.Context, r *kept, undo bool, names []android.PackageName) (err error) {
	handle, err := b.handleOf(r)
	if err != nil {
		return err
	}
	ctx, end, err := b.begin(ctx, "running")
	if err != nil {
		return err
	}
	b.mu.Lock()
	was := r.run.Clone()
	if err = r.run.Resume(undo, names); err == nil {
		if err = b.write(r, nil); err != nil {
			r.run = was
		}
	}
	attempt, keys := r.run.Attempt, r.run.Keys()
	b.mu.Unlock()
	if err != nil {
		end(nil)
		return err
	}
	b.Changed()
	go func() {
		_, err := b.Station.Do(ctx, bench.Request{Kind: bench.KindRun, Phone: handle, Run: r.about.ID, Attempt: attempt, Keys: keys}, &taken{bench: b})
		b.mu.Lock()
		r.run.Interrupt(bench.Explain(err)) // where it could not be begun at all
		err = errors.Join(err, b.write(r, nil))
		b.mu.Unlock()
		end(err)
	}()
	return nil
}

// run finds a run.
func (b *Bench) run(id uuid.UUID) (*kept, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if r := b.find(id); r != nil {
		return r, nil
	}
	return nil, errNoRun
}

// Continue goes on with what waits. A run of which something is unknown looks at
// the phone first.
func (b *Bench) Continue(ctx context.Context, id uuid.UUID) error {
	r, err := b.run(id)
	if err != nil {
		return err
	}
	return b.goOn(ctx, r, false, nil)
}

// Back is what is put back: all where both are empty.
type Back struct {
	Names     []android.PackageName `json:"names"`
	Functions []string              `json:"functions"`
}

// PutBack puts back what a run took off. Where nobody knows what became of a step
// the phone is looked at before.
func (b *Bench) PutBack(ctx context.Context, id uuid.UUID, back Back) error {
	r, err := b.run(id)
	if err != nil {
		return err
	}
	if r.view().Open {
		if err := b.Look(ctx, id); err != nil {
			return err
		}
	}
	names := slices.Clone(back.Names)
	for _, f := range back.Functions {
		for _, l := range r.about.Losses {
			if l.Function == f {
				names = append(names, l.Packages...)
			}
		}
	}
	switch {
	case len(back.Names)+len(back.Functions) == 0:
		names = nil
	case len(names) == 0:
		return run.ErrNothingLeft
	}
	return b.goOn(ctx, r, true, names)
}

// Stop ends a run that is going when the steps under way are done.
func (b *Bench) Stop() {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, r := range b.runs {
		if r.run.State == run.Going {
			r.run.StopAsked = true
		}
	}
	if b.doing == "reading" {
		b.stop()
	}
}

// Look asks the phone of a run what it has now.
func (b *Bench) Look(ctx context.Context, id uuid.UUID) (err error) {
	r, err := b.run(id)
	if err != nil {
		return err
	}
	handle, err := b.handleOf(r)
	if err != nil {
		return err
	}
	ctx, end, err := b.begin(ctx, "looking")
	if err != nil {
		return err
	}
	defer func() { end(err) }()
	b.mu.Lock()
	keys := r.run.Keys()
	b.mu.Unlock()
	b.Changed()
	value, err := b.Station.Do(ctx, bench.Request{Kind: bench.KindLook, Phone: handle, Run: id, Keys: keys}, &taken{bench: b})
	if err != nil {
		return err
	}
	looked, ok := value.(bench.Looked)
	if !ok || looked.Seen == nil {
		return errors.New("the phone said nothing")
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.mark(looked.Serial) != r.run.Phone {
		return errNoPhone
	}
	was := r.run.Clone()
	r.run.Look(looked.Seen, true)
	if err := b.write(r, nil); err != nil {
		r.run = was
		return err
	}
	return nil
}

// Log is what a run did, as the scripts write it.
func (b *Bench) Log(id uuid.UUID) (string, error) {
	r, err := b.run(id)
	if err != nil {
		return "", err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	return run.Log(r.run.List(), r.about.Digest, r.about.Fingerprint), nil
}

// FromLog takes up a run that was done elsewhere, on the phone of a handle, by
// its log. Nothing is done yet: what it took off can be put back.
func (b *Bench) FromLog(text, handle string) (id uuid.UUID, log run.Logged, err error) {
	if log, err = run.ReadLog(text); err != nil {
		return id, log, err
	}
	if len(log.Steps) == 0 {
		return id, log, errors.New("by this log nothing was done that could be put back")
	}
	phones := b.View().Phones
	i := slices.IndexFunc(phones, func(p bench.Phone) bool { return p.Handle == handle && p.Ready && p.Mark != "" })
	if i < 0 {
		return id, log, errNoPhone
	}
	p := phones[i]
	if log.Fingerprint != "" && p.Fingerprint != log.Fingerprint {
		log.LeftOut = append(log.LeftOut, "the phone's firmware is another than the log's: it was updated since, or is another phone")
	}
	r := &kept{run: run.NewKept(nil, p.Mark, "", p.Fingerprint), about: About{
		ID: uuid.New(), StartedAt: time.Now().UTC().Truncate(time.Second),
		Digest: log.Digest, Phone: p.Name, Fingerprint: p.Fingerprint, Checks: []run.Check{},
	}}
	for _, j := range log.Steps {
		r.run.Steps = append(r.run.Steps, run.KeptStep{Journal: j})
	}
	defer b.Changed() // last: who is told looks at once
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.release != nil && b.release.Digest == log.Digest {
		r.about.Losses, r.about.Path, r.about.Title = losses(b.release.Document), b.path, title(b.release.Document)
	}
	return r.about.ID, log, b.enter(r)
}
