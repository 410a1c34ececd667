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

// maxBehind is how many events a watcher may be behind.
const maxBehind = 256

func newHub() *hub { return &hub{watchers: map[chan store.Event]bool{}} }

// publish passes an event on. A watcher that is too far behind loses what it has
// not read, and is told that: it may look for one id alone, which would be
// among them.
func (h *hub) publish(e store.Event) {
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

// watch returns a channel of events and what ends it.
func (h *hub) watch() (<-chan store.Event, func()) {
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

// silence is the topic of what await returns when nothing came for a beat.
const silence store.Topic = "silence"

// await waits for an event that concerns somebody, for a beat at most, however
// many others there are meanwhile; what comes of a beat is silence. It reports
// false where ctx has ended.
func await(ctx context.Context, events <-chan store.Event, beat time.Duration, concerns func(store.Event) bool) (store.Event, bool) {
	timer := time.NewTimer(beat)
	defer timer.Stop()
	for {
		select {
		case e := <-events:
			if e.Topic == store.Missed || concerns(e) {
				return e, true
			}
		case <-timer.C:
			return store.Event{Topic: silence}, true
		case <-ctx.Done():
			return store.Event{}, false
		}
	}
}

// concernsBench tells the events that concern a bench, or one of the jobs that it
// does.
func concernsBench(id uuid.UUID, does func(job string) bool) func(store.Event) bool {
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

// stream is a request whose answer goes on: for as long as this server runs,
// whoever asked listens, and they may. All events come to it.
type stream struct {
	server *Server
	ctx    context.Context
	events <-chan store.Event
	end    func()
}

// stream begins one; the caller has to call end.
func (s *Server) stream(ctx context.Context) *stream {
	ctx, cancel := context.WithCancel(ctx)
	stop := context.AfterFunc(s.ctx, cancel)
	events, forget := s.events.watch()
	return &stream{s, ctx, events, func() { forget(); stop(); cancel() }}
}

// beat is how often streams are sent anew without any event: silence can be
// what has changed.
const beat = bench.Beat

// next waits until there may be something new to send, and reports whether it
// may be sent: not once whoever asked has left, was signed out, or may do
// something else by now.
func (w *stream) next(concerns func(store.Event) bool) bool {
	_, ok := w.nextEvent(concerns)
	return ok
}

// nextEvent is next, and tells what there is: an event that concerns somebody,
// Missed, or silence.
func (w *stream) nextEvent(concerns func(store.Event) bool) (store.Event, bool) {
	who := accessOf(w.ctx)
	e, awaited := await(w.ctx, w.events, beat, func(e store.Event) bool {
		return e.Topic == store.AccessChanged && e.ID == who.id.String() || concerns(e)
	})
	if awaited && (e.Topic == store.AccessChanged || e.Topic == store.Missed || e.Topic == silence) {
		return e, w.server.stillMay(w.ctx)
	}
	return e, awaited
}
