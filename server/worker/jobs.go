package worker

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/retry"
	"roster/store"
)

// Results stores what comes of a job, whichever bench does it. It is what a
// station or a link tells things to; see bench.Results.
type Results struct {
	worker *Worker
	job    store.Job
	bench  uuid.UUID
}

// Results takes what comes of a job that a bench does.
func (w *Worker) Results(job store.Job, bench uuid.UUID) *Results {
	return &Results{worker: w, job: job, bench: bench}
}

// Tell writes down how far the job is.
func (r *Results) Tell(ctx context.Context, progress any) error {
	return r.worker.store.TellJob(ctx, r.job.ID, progress)
}

// Captured stores a capture, whole or not, of the phone with a serial number; ""
// where it tells none. One that holds nothing is left out.
func (r *Results) Captured(ctx context.Context, serial string, c *android.Capture) error {
	if len(c.Packages) == 0 && !c.Complete {
		return nil
	}
	sum, err := r.worker.store.AddCapture(ctx, store.NewCapture{
		Capture: c,
		Phone:   r.worker.mark(serial),
		Person:  r.job.PersonID,
		Source:  "bench",
		Bench:   &r.bench,
	})
	if err != nil {
		return err
	}
	return r.worker.store.KeepJob(ctx, r.job.ID, sum)
}

// Named stores what package files said.
func (r *Results) Named(ctx context.Context, list []bench.Named) error {
	names := make([]store.NewName, len(list))
	for i, n := range list {
		names[i] = store.NewName{Name: string(n.Name), VersionCode: n.VersionCode, Signer: n.Signer, Labels: n.Labels, Icon: n.Icon, Problem: n.Problem}
	}
	return r.worker.store.AddNames(ctx, names)
}

// File hands out a package file that waits for the bench.
func (r *Results) File(ctx context.Context, id uuid.UUID) (io.ReadCloser, error) {
	file, _, err := r.worker.store.HandedFile(ctx, r.bench, id)
	return file, err
}

// End is EndJob of this job.
func (r *Results) End(ctx context.Context, value any, wrong string) error {
	return r.worker.EndJob(ctx, r.job, value, wrong)
}

// requestOf is what a job asks of its bench.
func requestOf(job store.Job) (r bench.Request, err error) {
	if err := json.Unmarshal(job.Request, &r); err != nil {
		return r, fmt.Errorf("the request of job %s: %w", job.ID, err)
	}
	return r, nil
}

// handed forgets the package files that a bench has fetched, or could not.
func (w *Worker) handed(ctx context.Context, job store.Job) error {
	asked, err := requestOf(job)
	if err != nil {
		return err
	}
	ids := make([]uuid.UUID, len(asked.Files))
	for i, f := range asked.Files {
		ids[i] = f.ID
	}
	return w.store.DropHandedFiles(ctx, ids)
}

// EndJob writes down how a job ended, saying what was kept. Where what came of
// it can't be stored, the job has failed, and that is an error. While the
// database is away nothing is written: the same can be told once more; see
// Passing.
func (w *Worker) EndJob(ctx context.Context, job store.Job, value any, wrong string) error {
	kept, unstored := value, error(nil)
	switch job.Kind {
	case bench.KindLook:
		kept = nil // it holds the phone's serial number
		unstored = w.looked(ctx, job, value)
	case bench.KindRun:
		if wrong != "" {
			unstored = w.interrupt(ctx, job, wrong)
		} else {
			unstored = w.countGain(ctx, job)
		}
		wrong = "" // the run itself says what became of it
	case bench.KindBackup, bench.KindVerify:
		unstored = w.endBackup(ctx, job, value, wrong)
	case bench.KindFiles:
		unstored = w.handed(ctx, job)
	case bench.KindMeasure:
		if wrong == "" {
			kept, wrong, unstored = w.measured(ctx, job, value)
		}
	case bench.KindDiscard:
		if wrong == "" {
			unstored = w.discarded(ctx, job)
		}
	}
	if Passing(ctx, unstored) {
		return unstored
	}
	if unstored != nil {
		w.log.Error("what came of a job can't be stored; it has failed", "kind", job.Kind, "job", job.ID, "err", unstored)
		kept, wrong = nil, "What came of this could not be stored: the server's log says why."
	}
	state := "done"
	if wrong != "" {
		state = "failed"
		if job.Kind == bench.KindCapture {
			now, err := w.store.Job(ctx, job.ID)
			if err != nil {
				return err
			}
			if len(now.Result) > 0 && string(now.Result) != "null" {
				wrong += " What it had said by then is stored, marked incomplete."
			} else {
				wrong += " Nothing was stored."
			}
		}
		w.log.Warn("a bench could not do what it was asked", "kind", job.Kind, "job", job.ID, "why", wrong)
	}
	return errors.Join(unstored, w.store.EndJob(ctx, job.ID, state, kept, wrong))
}

// Passing reports whether an error is of a database that is away or busy, and
// heals by itself.
func Passing(ctx context.Context, err error) bool { return store.FailureOf(ctx, err).Passing() }

// EndJobPatiently is EndJob, again while the database is away, for a minute at
// most. What is not written down by then ends as a job of a silent bench does.
func (w *Worker) EndJobPatiently(ctx context.Context, job store.Job, value any, wrong string) {
	ctx, done := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
	defer done()
	stopped := context.AfterFunc(w.ctx, func() { time.AfterFunc(bench.LeaveTakes, done) })
	defer stopped()
	err := retry.Do(ctx, retry.Brisk, func() error {
		err := w.EndJob(ctx, job, value, wrong)
		if !Passing(ctx, err) {
			err = retry.Never(err)
		}
		return err
	}, nil)
	if err != nil {
		w.log.Error("the end of a job could not be written down; where it has not ended it fails in a while", "job", job.ID, "err", err)
	}
}

// endSilentJobs fails the jobs of benches that have gone, whichever server
// asked them.
func (w *Worker) endSilentJobs(ctx context.Context) {
	forgotten := time.Time{}
	each(ctx, store.BenchSilence/2, func() {
		if n, err := w.store.EndSilentJobs(ctx); err != nil {
			w.log.Debug("silent jobs can't be looked for", "err", err)
		} else if n > 0 {
			w.log.Warn("jobs of benches that fell silent were ended", "jobs", n)
		}
		if time.Since(forgotten) > 10*time.Minute {
			forgotten = time.Now()
			if err := w.store.ForgetTouched(ctx); err != nil {
				w.log.Debug("what was touched long ago can't be forgotten", "err", err)
			}
		}
	})
}
