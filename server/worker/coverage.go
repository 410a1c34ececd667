package worker

import (
	"context"
	"time"

	"roster/store"
)

// coverageLag is how often somebody looks whether coverage is to be counted.
const coverageLag = 2 * time.Second

// countCoverage counts anew what is known of builds, some time after captures,
// loads or trials have moved: coverage may lag. The figures of their models are
// made ready with it, so that whoever looks next need not wait for that.
func (w *Worker) countCoverage(ctx context.Context) {
	for wait := coverageLag; ; wait = coverageLag {
		begun := time.Now()
		models, err := w.store.CountCover(ctx)
		if err == nil && len(models) > 0 {
			err = w.store.ReadyFigures(ctx, models)
			// There may be more; the other half of the time is for others.
			wait = time.Since(begun)
		}
		if err != nil {
			w.log.Debug("coverage can't be counted", "err", err)
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return
		}
	}
}

// readyBeat is after how long figures are made ready though nobody told of a decision.
const readyBeat = time.Minute

// readyFigures makes figures of packages as soon as trials of them are accepted, where
// somebody looked at them before: whoever looks next need not wait for that.
func (w *Worker) readyFigures(ctx context.Context) {
	events, stop := w.Hub.Watch()
	defer stop()
	accepted := w.store.Readier()
	for {
		if _, err := accepted.Next(ctx); err != nil {
			w.log.Debug("figures can't be made ready; they are made when they are asked for", "err", err)
		}
		if _, ok := Await(ctx, events, readyBeat, func(e store.Event) bool { return e.Topic == store.ChangesChanged }); !ok {
			return
		}
	}
}
