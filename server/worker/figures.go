package worker

import (
	"context"
	"time"

	"roster/store"
)

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
