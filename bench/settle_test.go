package bench

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"testing"

	"roster/bench/adb/adbtest"
)

// listing is an adb server that lists one phone, each time in the next of some
// states, the last for ever, and says yes to all else.
type listing struct {
	mu     sync.Mutex
	states []string
	asked  []string
	each   func(n int) // called with how often it was asked by now; may be nil
}

func listed(t *testing.T, states ...string) (*listing, *Station) {
	t.Helper()
	l := &listing{states: states}
	return l, NewStation(Setup{Host: adbtest.Fake(t, l.answer), Key: []byte("key"), Scratch: Scratch, Log: slog.New(slog.DiscardHandler)})
}

func (l *listing) answer(request string) (text string, ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.asked = append(l.asked, request)
	if l.each != nil {
		l.each(len(l.asked))
	}
	if request != "host:devices-l" {
		return "connected", true
	}
	if l.states[0] != "" {
		text = "192.0.2.7:5555 " + l.states[0] + " device:lyra5 transport_id:1\n"
	}
	if len(l.states) > 1 {
		l.states = l.states[1:]
	}
	return text, true
}

func (l *listing) requests() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return slices.Clone(l.asked)
}

// TestSettle waits for a phone that the adb server lists and does not hear, and
// for no other.
func TestSettle(t *testing.T) {
	t.Parallel()
	const serial = "192.0.2.7:5555"
	for what, c := range map[string]struct {
		states []string
		asked  int
	}{
		"it answers":           {[]string{"device"}, 1},
		"it answers late":      {[]string{"offline", "offline", "device"}, 3},
		"it is gone":           {[]string{""}, 1},
		"it goes meanwhile":    {[]string{"offline", ""}, 2},
		"it waits for a hand":  {[]string{"unauthorized"}, 1},
		"it asks after a wait": {[]string{"offline", "unauthorized"}, 2},
	} {
		l, s := listed(t, c.states...)
		s.settle(t.Context(), serial)
		if got := len(l.requests()); got != c.asked {
			t.Errorf("%s: asked %d times, want %d", what, got, c.asked)
		}
	}
	// One that never answers is waited for as long as somebody waits.
	l, s := listed(t, "offline")
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	l.each = func(n int) {
		if n == 3 {
			cancel()
		}
	}
	s.settle(ctx, serial)
	if ctx.Err() == nil || len(l.requests()) < 3 {
		t.Errorf("asked %d times, and went on", len(l.requests()))
	}
	// Another phone's state is nobody's business.
	l, s = listed(t, "offline")
	s.settle(t.Context(), "192.0.2.8:5555")
	if len(l.requests()) != 1 {
		t.Errorf("%q", l.requests())
	}
}

// TestReach reconnects a stand-in that the adb server lists and does not hear,
// and leaves alone one that answers, whatever the view of a moment ago says.
func TestReach(t *testing.T) {
	t.Parallel()
	const address = "192.0.2.7:5555"
	for what, c := range map[string]struct {
		view, now string
		want      []string
	}{
		"nobody has it":       {"", "", []string{"host:devices-l", "host:connect:" + address}},
		"it is not heard":     {"offline", "offline", []string{"host:devices-l", "host:disconnect:" + address, "host:connect:" + address}},
		"it is heard by now":  {"offline", "device", []string{"host:devices-l", "host:connect:" + address}},
		"it is heard":         {"device", "device", nil},
		"it waits for a hand": {"unauthorized", "unauthorized", nil},
	} {
		l, s := listed(t, c.now)
		s.view.Version = 41
		if c.view != "" {
			s.view.Phones = []Phone{{Address: address, State: c.view}}
		}
		s.reach(t.Context(), address)
		if got := l.requests(); !slices.Equal(got, c.want) {
			t.Errorf("%s: asked %q, want %q", what, got, c.want)
		}
		// Without a server there is nothing to ask.
		s.view.Version = 0
		s.reach(t.Context(), address)
		if got := l.requests(); len(got) != len(c.want) {
			t.Errorf("%s: asked a server that is not there: %q", what, got)
		}
	}
}
