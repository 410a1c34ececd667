package worker

import (
	"context"
	"encoding/json"
	"errors"

	"roster/bench"
	"roster/core/run"
	"roster/store"
)

// measured keeps what a phone used that was measured without a run. It returns what
// is told of it, and in words why it was not kept.
func (w *Worker) measured(ctx context.Context, job store.Job, value any) (kept any, wrong string, err error) {
	asked, err := requestOf(job)
	if err != nil {
		return nil, "", err
	}
	raw, err := json.Marshal(value)
	if err != nil {
		return nil, "", err
	}
	var m bench.Measured
	if err := json.Unmarshal(raw, &m); err != nil {
		return nil, "What the bench told can't be read as a measurement.", nil
	}
	if err := m.Check(); err != nil {
		return nil, "What the bench told is no measurement: " + err.Error() + ".", nil
	}
	err = w.store.AddMeasured(ctx, asked.With, job.PersonID, &m.Measurement)
	if errors.Is(err, store.ErrNotFound) {
		return nil, "This firmware was never captured, and the measurement was not kept: capture the phone, then measure it.", nil
	}
	if err == nil {
		err = w.store.CountMeasured(ctx, asked.With)
	}
	m.Uses = nil // they are kept by package
	return m, "", err
}

// countGain makes anew what the release of a run brought, where its phone was ever
// measured.
func (w *Worker) countGain(ctx context.Context, job store.Job) error {
	asked, err := requestOf(job)
	if err != nil {
		return err
	}
	r, err := w.store.RunByID(ctx, asked.Run)
	if err != nil || !r.Choices.Measure || r.State == run.Going {
		return err
	}
	return w.store.CountMeasured(ctx, r.Phone)
}
