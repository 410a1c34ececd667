package store

import (
	"context"
	"errors"
	"slices"
	"strconv"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/run"
)

// Errors of going on with a run.
var (
	// ErrNothingLeft says that nothing of a run is left to do.
	ErrNothingLeft = errors.New("nothing of this run is left to do")
	// ErrStillUnknown says that the phone has to be looked at first.
	ErrStillUnknown = errors.New("the phone has not been looked at since the run was interrupted")
)

// Resume is what a run is gone on with.
type Resume struct {
	// Undo puts back: all of it, or Names alone.
	Undo  bool
	Names []android.PackageName
	// Steps makes further steps of the journal; they are done now.
	Steps func([]run.Journal) []run.Step
	// Hunt is written along with it, so that nobody is asked before the phone is
	// on its way to what is asked about; where nothing has to be done for that,
	// it alone. Nil for none.
	Hunt *run.Hunt
	// Bench is where the phone is now.
	Bench uuid.UUID
	// Ask is what the bench is asked for: the attempt, with the settings that
	// it touches. Nil for an attempt that is written down without a bench.
	Ask func(attempt int, keys []run.Key) Ask
}

// ResumeRun makes a run go again, on the bench where its phone is: with what
// waits, with further steps, or putting back. ErrRunning where another run is
// going on the phone. The attempt is 0 where there was nothing to do but to
// write down the hunt.
func (s *Store) ResumeRun(ctx context.Context, id uuid.UUID, person uuid.UUID, r Resume) (attempt int, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		w, err := lockRun(ctx, tx, id)
		if err != nil {
			return err
		}
		if err := lapseRuns(ctx, tx, w.phone); err != nil {
			return err
		}
		if w, err = lockRun(ctx, tx, id); err != nil {
			return err
		}
		if w.state == "going" {
			return ErrRunning
		}
		w.seq++
		steps, err := runSteps(ctx, tx, id, 0)
		if err != nil {
			return err
		}
		list := journalOf(steps)
		open := slices.ContainsFunc(list, func(j run.Journal) bool { return j.State == run.Sent || j.State == run.Unknown })
		if open && (r.Undo || r.Steps != nil) {
			return ErrStillUnknown
		}
		var more []run.Step
		switch {
		case r.Undo:
			if more = run.Undo(list, r.Names); r.Names == nil {
				_, err = tx.Exec(ctx, `
					update run_steps
					set state = 'skipped', words = 'put back instead', seq = $2
					where run_id = $1 and state = 'waiting'`, id, w.seq)
			}
		case r.Steps != nil:
			more = r.Steps(list)
		}
		if err != nil {
			return err
		}
		if r.Hunt != nil {
			if err := setHunt(ctx, tx, id, *r.Hunt); err != nil {
				return err
			}
		}
		waits := slices.ContainsFunc(list, func(j run.Journal) bool { return !j.State.Ended() })
		if len(more) == 0 && (!waits || r.Undo) {
			if r.Hunt == nil {
				return ErrNothingLeft
			}
			if _, err := tx.Exec(ctx, `update runs set seq = $2 where id = $1`, id, w.seq); err != nil {
				return err
			}
			return notify(ctx, tx, Event{Topic: RunChanged, ID: id.String()})
		}
		if err := addRunSteps(ctx, tx, id, more, w.seq); err != nil {
			return err
		}
		attempt = w.attempt + 1
		_, err = tx.Exec(ctx, `
			update runs
			set state = 'going', why = '', attempt = $2, stop_asked = false, putting_back = $3, bench_id = $4,
				lease = now() + $5::interval, seq = $6
			where id = $1`,
			id, attempt, r.Undo, r.Bench, leaseOf(ctx, firstLease), w.seq)
		if violates(err, "one_run_per_phone") {
			err = ErrRunning
		}
		if err != nil {
			return err
		}
		if r.Ask != nil {
			if _, err := addJob(ctx, tx, person, r.Ask(attempt, keysOf(list))); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, Event{Topic: RunChanged, ID: id.String()}); err != nil {
			return err
		}
		action := "run.continued"
		if r.Undo {
			action = "run.put-back"
		}
		return record(ctx, tx, Act{Person: person, Action: action, Subject: id.String(), Detail: map[string]any{"attempt": strconv.Itoa(attempt)}})
	})
	return attempt, err
}

// keysOf are the settings that steps of a journal touch.
func keysOf(list []run.Journal) []run.Key {
	steps := make([]run.Step, len(list))
	for i, j := range list {
		steps[i] = j.Step
	}
	return run.Keys(steps)
}

// StopRun asks a run to stop when the steps under way are done.
func (s *Store) StopRun(ctx context.Context, id uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update runs set stop_asked = true, seq = seq + 1 where id = $1 and state = 'going'`, id)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrState
		}
		if err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: RunChanged, ID: id.String()})
	})
}

// SkipStep leaves out a step that waits, or has ended badly, for this phone.
func (s *Store) SkipStep(ctx context.Context, id uuid.UUID, number int) error {
	return s.changeRun(ctx, id, func(tx pgx.Tx, w *lockedRun) error {
		tag, err := tx.Exec(ctx, `
			update run_steps
			set state = 'skipped', words = 'left on this phone', seq = $3
			where run_id = $1 and number = $2 and state = 'waiting'`, id, number, w.seq)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrState
		}
		return err
	})
}

// AddInstead adds to a run that is going the step that switches off or quietens what could
// not be removed; going is false where the run has to be gone on with for it.
func (s *Store) AddInstead(ctx context.Context, id uuid.UUID, number int, by evidence.Method) (going bool, err error) {
	err = s.changeRun(ctx, id, func(tx pgx.Tx, w *lockedRun) error {
		steps, err := runSteps(ctx, tx, id, 0)
		if err != nil {
			return err
		}
		step, ok := run.Instead(journalOf(steps), number, by)
		if !ok {
			return ErrState
		}
		going = w.state == "going"
		return addRunSteps(ctx, tx, id, []run.Step{step}, w.seq)
	})
	return going, err
}

// changeRun changes something about a run and tells whoever follows it.
func (s *Store) changeRun(ctx context.Context, id uuid.UUID, change func(pgx.Tx, *lockedRun) error) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		w, err := lockRun(ctx, tx, id)
		if err != nil {
			return err
		}
		w.seq++
		if err := change(tx, &w); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update runs set seq = $2 where id = $1`, id, w.seq); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: RunChanged, ID: id.String()})
	})
}
