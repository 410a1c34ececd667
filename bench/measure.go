package bench

import (
	"context"
	"fmt"
	"time"

	"roster/core/android"
	"roster/core/run"
	"roster/core/wording"
)

const (
	// settleEvery is after how long a phone's memory is asked for again, settlesWithin
	// how long it may take until it moves no more.
	settleEvery   = 3 * time.Second
	settlesWithin = 2 * time.Minute
	// still is by which part memory may move of a phone that has settled.
	still = 0.01
)

// measure asks a phone what it uses, when it has settled or two minutes are over.
func (w *runner) measure(ctx context.Context, step run.Step, begun time.Time) error {
	settled, err := w.settles(ctx)
	if err != nil {
		return err
	}
	answer, err := w.session.Run(android.MeasureQuestion(), stepTakes, 16*megabyte)
	if err != nil {
		return err
	}
	m := android.ReadMeasurement(string(answer.Out))
	words := fmt.Sprintf("%s of memory to be had, %s", wording.Bytes(m.MemAvailable), wording.Count(m.Processes, "process", "processes"))
	state := run.Done
	switch {
	case len(m.Uses) == 0 && m.MemAvailable == 0:
		state, words = run.Failed, "the phone does not tell what it uses"
	case !settled:
		words += "; it had not settled"
	}
	w.answers = append(w.answers, run.StepAnswer{Step: step.Number, State: state, Words: words, Took: time.Since(begun).Milliseconds(), Measured: &m})
	return nil
}

// settles waits until a phone's memory moves no more; it reports whether that was so
// in time.
func (w *runner) settles(ctx context.Context) (bool, error) {
	var last int64
	for end := time.Now().Add(settlesWithin); time.Now().Before(end); {
		answer, err := w.session.Run(android.MemoryQuestion, stepTakes, 64<<10)
		if err != nil {
			return false, err
		}
		now := android.ReadMemory(string(answer.Out))
		if moved := float64(now - last); now == 0 || last != 0 && max(moved, -moved) <= still*float64(last) {
			return now != 0, nil
		}
		last = now
		if err := w.pause(ctx, int(settleEvery.Seconds())); err != nil {
			return false, err
		}
	}
	return false, nil
}
