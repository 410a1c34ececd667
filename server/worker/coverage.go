package worker

import (
	"context"
	"time"
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
