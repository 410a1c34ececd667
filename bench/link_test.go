package bench_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/bench"
)

// headquarters is a server of which a test says how it behaves: it sends
// requests and keeps what is posted.
type headquarters struct {
	mu       sync.Mutex
	posted   map[string][]json.RawMessage // by the last part of the path
	opened   int                          // event streams so far
	failures int                          // posts of ends that are still to fail
	send     chan string                  // events for the open stream
	revoked  bool
}

func (h *headquarters) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h.mu.Lock()
	revoked := h.revoked
	h.mu.Unlock()
	if r.Header.Get("Authorization") != "Bearer secret" || revoked {
		w.WriteHeader(http.StatusUnauthorized)
		return
	}
	part := r.URL.Path[strings.LastIndexByte(r.URL.Path, '/')+1:]
	if part == "requests" {
		h.mu.Lock()
		h.opened++
		h.mu.Unlock()
		w.Header().Set("Content-Type", "text/event-stream")
		io.WriteString(w, "event: hello\ndata: {}\n\n")
		w.(http.Flusher).Flush()
		for {
			select {
			case text := <-h.send:
				if text == "" {
					return // the connection breaks
				}
				io.WriteString(w, text)
				w.(http.Flusher).Flush()
			case <-r.Context().Done():
				return
			}
		}
	}
	raw, _ := io.ReadAll(r.Body)
	h.mu.Lock()
	defer h.mu.Unlock()
	if part == "end" && h.failures > 0 {
		h.failures--
		w.WriteHeader(http.StatusServiceUnavailable)
		return
	}
	h.posted[part] = append(h.posted[part], raw)
	w.WriteHeader(http.StatusNoContent)
}

func (h *headquarters) got(part string) []json.RawMessage {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.posted[part]
}

func event(name string, value any) string {
	raw, err := json.Marshal(value)
	if err != nil {
		panic(err)
	}
	return fmt.Sprintf("event: %s\ndata: %s\n\n", name, raw)
}

// TestLink breaks the connection, sends what can't be read, cancels, refuses
// ends at first, and revokes.
func TestLink(t *testing.T) {
	t.Parallel()
	h := &headquarters{posted: map[string][]json.RawMessage{}, send: make(chan string), failures: 1}
	server := httptest.NewServer(h)
	defer server.Close()
	s, at := station(t, scenario(t))
	link := &bench.Link{Wire: bench.HTTP{Server: server.URL + "/", Token: "secret"}, Station: s, Log: slog.New(slog.DiscardHandler)}
	ended := make(chan error, 1)
	go func() { ended <- link.Run(context.Background()) }()

	eventually(t, "it tells what it sees", func() bool {
		list := h.got("view")
		return len(list) > 0 && strings.Contains(string(list[len(list)-1]), `"version":"15.0.0"`)
	})
	handle := seen(s, at[0]).Handle
	id := uuid.New()
	h.send <- "event: request\ndata: no JSON\n\n"
	h.send <- event("request", bench.LinkRequest{ID: id, Request: bench.Request{Kind: "format-the-phone", Phone: handle}})
	eventually(t, "an unknown request is refused, though the first answer was lost", func() bool {
		list := h.got("end")
		return len(list) == 1 && strings.Contains(string(list[0]), "does not know the request")
	})
	h.send <- "" // the connection breaks
	eventually(t, "it comes back", func() bool { h.mu.Lock(); defer h.mu.Unlock(); return h.opened > 1 })

	h.send <- event("request", bench.LinkRequest{ID: uuid.New(), Request: bench.Request{Kind: bench.KindCapture, Phone: handle}})
	eventually(t, "a capture arrives", func() bool { return len(h.got("capture")) == 1 && len(h.got("end")) == 2 })
	var c bench.LinkCapture
	if err := json.Unmarshal(h.got("capture")[0], &c); err != nil || c.Serial != "BRNLY5A0417" || strings.Contains(string(c.Capture), c.Serial) {
		t.Errorf("%v, %s", err, c.Serial)
	}
	if len(h.got("progress")) == 0 {
		t.Error("no progress was told")
	}

	watch := uuid.New()
	h.send <- event("request", bench.LinkRequest{ID: watch, Request: bench.Request{Kind: bench.KindWatch, Phone: handle}})
	eventually(t, "it watches", func() bool { return strings.Contains(string(last(h.got("progress"))), "opened") })
	eventually(t, "it says what it is doing", func() bool { return strings.Contains(string(last(h.got("view"))), watch.String()) })
	h.send <- event("cancel", bench.LinkCancel{ID: watch})
	eventually(t, "it stops", func() bool { return len(h.got("end")) == 3 })

	h.mu.Lock()
	h.revoked = true
	h.mu.Unlock()
	h.send <- ""
	select {
	case err := <-ended:
		if !errors.Is(err, bench.ErrRevoked) {
			t.Errorf("%v", err)
		}
	case <-time.After(3 * time.Minute):
		t.Error("a revoked bench goes on")
	}
}

func last(list []json.RawMessage) json.RawMessage {
	if len(list) == 0 {
		return nil
	}
	return list[len(list)-1]
}
