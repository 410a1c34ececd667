package server

import (
	"context"

	"roster/bench"
	"roster/server/worker"
	"roster/store"
)

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
	ctx, cancel := s.work.Until(ctx)
	events, forget := s.work.Hub.Watch()
	return &stream{s, ctx, events, func() { forget(); cancel() }}
}

// beat is how often streams are sent anew without any event: silence can be
// what has changed.
const beat = bench.Beat

// may reports whether what was read may be sent: not once whoever asked was signed
// out, or may do something else by now. It is asked between reading and sending:
// an event that calls for reading may be older than one that ends the stream.
func (w *stream) may() bool { return w.server.stillMay(w.ctx) }

// next waits until there may be something new to send, and reports false once
// whoever asked has left, or may no longer.
func (w *stream) next(concerns func(store.Event) bool) bool {
	_, ok := w.nextEvent(concerns)
	return ok
}

// nextEvent is next, and tells what there is: an event that concerns somebody,
// store.Missed, or worker.Silence.
func (w *stream) nextEvent(concerns func(store.Event) bool) (store.Event, bool) {
	who := accessOf(w.ctx)
	e, awaited := worker.Await(w.ctx, w.events, beat, func(e store.Event) bool {
		return e.Topic == store.AccessChanged && e.ID == who.id.String() || concerns(e)
	})
	if awaited && (e.Topic == store.AccessChanged || e.Topic == store.Missed || e.Topic == worker.Silence) {
		return e, w.server.stillMay(w.ctx)
	}
	return e, awaited
}
