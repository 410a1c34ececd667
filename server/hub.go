package server

import (
	"sync"

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
	w := make(chan store.Event, 16)
	h.mu.Lock()
	h.watchers[w] = true
	h.mu.Unlock()
	return w, func() {
		h.mu.Lock()
		delete(h.watchers, w)
		h.mu.Unlock()
	}
}
