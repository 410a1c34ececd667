package worker

import (
	"context"
	"time"

	"roster/store"
)

// readyBeat is after how long all is made ready though nobody told of a decision.
const readyBeat = time.Minute

// atOnce is how soon the next decision has come that was made while what the one
// before it moved was being made ready.
const atOnce = time.Millisecond

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
		took, done := time.Since(began), time.Now()
		if _, ok := Await(ctx, events, readyBeat, func(e store.Event) bool { return e.Topic == store.ChangesChanged }); !ok {
			return
		}
		// Where decisions come faster than that, half of the time is left to all else.
		if time.Since(done) < atOnce {
			select {
			case <-time.After(took):
			case <-ctx.Done():
				return
			}
		}
	}
}
