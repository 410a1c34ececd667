package worker

import (
	"context"
	"time"

	"roster/store"
)

// readyBeat is after how long all is made ready though nobody told of a decision.
const readyBeat = time.Minute

// keepReady makes figures of packages as soon as trials of them are accepted, where
// somebody looked at them before, and reads again what was asked for lately: whoever
// looks next need not wait for that.
func (w *Worker) keepReady(ctx context.Context) {
	events, stop := w.Hub.Watch()
	defer stop()
	accepted := w.store.Readier()
	for {
		began := time.Now()
		if _, err := accepted.Next(ctx); err != nil {
			w.log.Debug("what people look at can't be made ready; it is made when they ask for it", "err", err)
		}
		// Where decisions come faster than that, half of the time is left to all else.
		if len(events) > 0 {
			select {
			case <-time.After(time.Since(began)):
			case <-ctx.Done():
			}
		}
		if _, ok := Await(ctx, events, readyBeat, func(e store.Event) bool { return e.Topic == store.ChangesChanged }); !ok {
			return
		}
	}
}
