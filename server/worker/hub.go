package worker

import (
	"context"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/store"
)

// Hub hands the installation's events to whoever watches in this process.
type Hub struct {
	mu       sync.Mutex
	watchers map[chan store.Event]bool
}

// maxBehind is how many events a watcher may be behind.
const maxBehind = 256

func newHub() *Hub { return &Hub{watchers: map[chan store.Event]bool{}} }

// publish passes an event on. A watcher that is too far behind loses what it has
// not read, and is told that: it may look for one id alone, which would be
// among them.
func (h *Hub) publish(e store.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for w := range h.watchers {
		select {
		case w <- e:
		default:
			drain(w)
			w <- store.Event{Topic: store.Missed} // there is room: nobody else sends
		}
	}
}

func drain(w <-chan store.Event) {
	for {
		select {
		case <-w:
		default:
			return
		}
	}
}

// Watch returns a channel of all events and what ends it, which the caller has to
// call. Who reads too slowly finds an event of the topic store.Missed in place of
// what was lost.
func (h *Hub) Watch() (<-chan store.Event, func()) {
	w := make(chan store.Event, maxBehind)
	h.mu.Lock()
	h.watchers[w] = true
	h.mu.Unlock()
	return w, func() {
		h.mu.Lock()
		delete(h.watchers, w)
		h.mu.Unlock()
	}
}

// Silence is the topic of what Await returns when nothing came for a beat.
const Silence store.Topic = "silence"

// Await waits for an event that concerns somebody, for a beat at most, however
// many others there are meanwhile; what comes of a beat is Silence. A missed one
// concerns everybody. It reports false where ctx has ended.
func Await(ctx context.Context, events <-chan store.Event, beat time.Duration, concerns func(store.Event) bool) (store.Event, bool) {
	timer := time.NewTimer(beat)
	defer timer.Stop()
	for {
		select {
		case e := <-events:
			if e.Topic == store.Missed || concerns(e) {
				return e, true
			}
		case <-timer.C:
			return store.Event{Topic: Silence}, true
		case <-ctx.Done():
			return store.Event{}, false
		}
	}
}

// Each calls f after every event of one of the topics, until ctx ends.
func (h *Hub) Each(ctx context.Context, topics []store.Topic, f func()) {
	events, end := h.Watch()
	defer end()
	for {
		select {
		case e := <-events:
			if slices.Contains(topics, e.Topic) {
				f()
			}
		case <-ctx.Done():
			return
		}
	}
}

// ConcernsBench tells the events that concern a bench, or one of the jobs that it
// does.
func ConcernsBench(id uuid.UUID, does func(job string) bool) func(store.Event) bool {
	return func(e store.Event) bool {
		switch e.Topic {
		case store.BenchChanged, store.AskedOfBench:
			return e.ID == id.String()
		case store.JobChanged:
			return does(e.ID)
		}
		return false
	}
}
