package server

import (
	"context"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/store"
)

// hub hands the installation's events to whoever watches on this server.
type hub struct {
	mu       sync.Mutex
	watchers map[chan store.Event]bool
}

func newHub() *hub { return &hub{watchers: map[chan store.Event]bool{}} }

// tell passes an event on. A watcher that is behind has an unread event and
// will read everything anew anyway.
func (h *hub) tell(e store.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for w := range h.watchers {
		select {
		case w <- e:
		default:
		}
	}
}

// watch returns a channel of events and what ends it.
func (h *hub) watch() (<-chan store.Event, func()) {
	w := make(chan store.Event, 256)
	h.mu.Lock()
	h.watchers[w] = true
	h.mu.Unlock()
	return w, func() {
		h.mu.Lock()
		delete(h.watchers, w)
		h.mu.Unlock()
	}
}

// untilConcerned waits for an event that concerns a bench or one of the jobs
// that it does, for a beat at most: events may have been missed. It reports
// whether to go on.
func (s *Server) untilConcerned(ctx context.Context, changes <-chan store.Event, id uuid.UUID, does func(job string) bool) bool {
	beat := time.NewTimer(bench.Beat)
	defer beat.Stop()
	for {
		select {
		case e := <-changes:
			switch e.Topic {
			case "", "bench", "asked":
				if e.ID == "" || e.ID == id.String() {
					return true
				}
			case "job":
				if does(e.ID) {
					return true
				}
			}
		case <-beat.C:
			return true
		case <-ctx.Done():
			return false
		case <-s.ctx.Done():
			return false
		}
	}
}
