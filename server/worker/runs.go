package worker

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/run"
	"roster/retry"
	"roster/store"
)

// Run is Advance of the run that the job is about; another one is nothing of this
// job.
func (r *Results) Run(ctx context.Context, id uuid.UUID, report run.Report) (run.Orders, error) {
	asked, err := requestOf(r.job)
	if err != nil {
		return run.Orders{}, err
	}
	if asked.Run != id {
		return run.Orders{}, run.ErrSuperseded
	}
	return r.advance(ctx, id, report)
}

// Advance writes down what a bench reports of its run and answers with the next
// steps. While the database is away it is tried again: what is not written down
// is not sent. The error is run.ErrSuperseded where the run is another attempt's
// by now.
func (r *Results) Advance(ctx context.Context, report run.Report) (run.Orders, error) {
	asked, err := requestOf(r.job)
	if err != nil {
		return run.Orders{}, err
	}
	return r.advance(ctx, asked.Run, report)
}

func (r *Results) advance(ctx context.Context, id uuid.UUID, report run.Report) (run.Orders, error) {
	phone := ""
	if report.Serial != "" {
		phone, report.Serial = r.worker.mark(report.Serial), ""
	}
	var orders run.Orders
	err := retry.Do(ctx, retry.Brisk, func() (err error) {
		orders, err = r.worker.store.Advance(ctx, id, phone, report)
		if errors.Is(err, run.ErrSuperseded) || errors.Is(err, store.ErrNotFound) {
			err = retry.Never(err)
		}
		return err
	}, func(err error, _ time.Duration) {
		r.worker.log.Warn("the journal of a run can't be written; nothing is sent until it can", "run", id, "err", err)
	})
	return orders, err
}

// interrupt ends an attempt at a run that its bench could not go on with, where
// the bench did not say so itself.
func (w *Worker) interrupt(ctx context.Context, job store.Job, why string) error {
	asked, err := requestOf(job)
	if err != nil {
		return err
	}
	_, err = w.store.Advance(ctx, asked.Run, "", run.Report{Attempt: asked.Attempt, End: "interrupted", Why: why})
	if errors.Is(err, run.ErrSuperseded) {
		return nil
	}
	return err
}

// looked takes the result of a look for a run.
func (w *Worker) looked(ctx context.Context, job store.Job, value any) error {
	asked, err := requestOf(job)
	if err != nil {
		return err
	}
	raw, err := json.Marshal(value)
	if err != nil {
		return err
	}
	var l bench.Looked
	if err := json.Unmarshal(raw, &l); err != nil || l.Seen == nil {
		return err
	}
	return w.store.Looked(ctx, asked.Run, w.mark(l.Serial), l.Seen, l.Saved)
}

// keepRuns ends runs whose benches have gone, looks at their phones when they
// are back, and reminds people of check lists that are due.
func (w *Worker) keepRuns(ctx context.Context) {
	reminded := time.Time{}
	each(ctx, 3*time.Second, func() {
		list, err := w.store.LapseRuns(ctx)
		if err != nil {
			w.log.Debug("interrupted runs can't be looked for", "err", err)
			return
		}
		w.lookWhereBack(ctx, list)
		if time.Since(reminded) > time.Minute {
			reminded = time.Now()
			if err := w.store.RemindOfRuns(ctx); err != nil {
				w.log.Warn("nobody can be reminded of check lists", "err", err)
			}
		}
	})
}

// lookWhereBack looks at the phones of interrupted runs that are attached again.
func (w *Worker) lookWhereBack(ctx context.Context, list []store.Unsettled) {
	if len(list) == 0 {
		return
	}
	attached, err := w.Attached(ctx)
	if err != nil {
		w.log.Debug("nobody can tell which phones are back", "err", err)
		return
	}
	for _, u := range list {
		here, back := attached[u.Phone]
		if !back {
			continue
		}
		if _, err := w.AskForLook(ctx, u.ID, u.Person, here); err != nil {
			w.log.Warn("the phone of an interrupted run can't be looked at", "run", u.ID, "err", err)
		}
	}
}
