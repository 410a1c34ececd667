package worker

import (
	"testing"
	"time"

	"roster/store"
)

// TestSlowWatcher: whoever is too far behind is told to read anew, and hears
// everything from then on.
func TestSlowWatcher(t *testing.T) {
	t.Parallel()
	h := newHub()
	events, forget := h.Watch()
	defer forget()
	for range maxBehind + 10 {
		h.publish(store.Event{Topic: store.JobChanged, ID: "somebody else's"})
	}
	h.publish(store.Event{Topic: store.JobChanged, ID: "mine"})
	mine := func(e store.Event) bool { return e.ID == "mine" }
	if e, ok := Await(t.Context(), events, time.Hour, mine); !ok || e.Topic != store.Missed {
		t.Errorf("%+v, %v", e, ok)
	}
	if e, ok := Await(t.Context(), events, time.Hour, mine); !ok || e.ID != "mine" {
		t.Errorf("%+v, %v", e, ok)
	}
	// However much else happens, silence about one's own is noticed.
	stop := make(chan struct{})
	defer close(stop)
	go func() {
		often := time.NewTicker(time.Millisecond)
		defer often.Stop()
		for {
			select {
			case <-stop:
				return
			case <-often.C:
				h.publish(store.Event{Topic: store.JobChanged, ID: "somebody else's"})
			}
		}
	}()
	if e, ok := Await(t.Context(), events, 50*time.Millisecond, mine); !ok || e.Topic != Silence {
		t.Errorf("%+v, %v", e, ok)
	}
}
