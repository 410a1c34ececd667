package worker

import (
	"context"
	"time"
)

// coverageLag is how often somebody looks whether coverage is to be counted,
// coverageBreath the pause between two portions of that.
const (
	coverageLag    = 2 * time.Second
	coverageBreath = 50 * time.Millisecond
)

// countCoverage counts anew what is known of builds, some time after captures,
// loads or trials have moved: coverage may lag.
func (w *Worker) countCoverage(ctx context.Context) {
	for wait := coverageLag; ; wait = coverageLag {
		n, err := w.store.CountCover(ctx)
		switch {
		case err != nil:
			w.log.Debug("coverage can't be counted", "err", err)
		case n > 0:
			wait = coverageBreath // there may be more
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return
		}
	}
}
