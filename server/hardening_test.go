package server_test

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"roster/server"
)

// TestMetricsApart: the figures of the process are not where everybody is.
func TestMetricsApart(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	if a := s.do(s.signIn("keeper"), "GET", "/metrics", nil); strings.Contains(string(a.body), "go_goroutines") {
		t.Errorf("%d %.100s", a.status, a.body)
	}
	w := httptest.NewRecorder()
	s.server.Metrics().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	for _, want := range []string{
		"go_goroutines", "roster_database_up 1", "roster_backup_age_seconds -1", `roster_benches{state="silent"} 0`, `roster_build_info{version="test"} 1`,
		`roster_http_request_duration_seconds_count{method="POST",route="/api/v1/session",status="2xx"} 1`,
	} {
		if w.Code != 200 || !strings.Contains(w.Body.String(), want) {
			t.Errorf("%d, no %s", w.Code, want)
		}
	}
}

// TestWatchedFiguresAreServed: what the board and the alert rules ask for is what
// servers tell.
func TestWatchedFiguresAreServed(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	w := httptest.NewRecorder()
	s.server.Metrics().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	for _, file := range []string{"alerts.yaml", "grafana.json"} {
		raw, err := os.ReadFile(filepath.Join("..", "packaging", "observe", file))
		if err != nil {
			t.Fatal(err)
		}
		names := regexp.MustCompile(`\broster_[a-z_]+`).FindAllString(string(raw), -1)
		if len(names) < 10 {
			t.Errorf("%s asks for %d figures", file, len(names))
		}
		for _, name := range names {
			if !strings.Contains(w.Body.String(), "\n"+name) && !strings.HasPrefix(name, "roster_http_request_duration_seconds") {
				t.Errorf("%s asks for %s, which is not served", file, name)
			}
		}
	}
}

// TestEveryAnswerIsGuarded: whatever is answered, a redirection and a mistake
// too, carries the headers that keep browsers from being tricked.
func TestEveryAnswerIsGuarded(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for path, want := range map[string]int{"/": 200, "/healthz/": 301, "/api/v1//ledger": 404, "/r": 200, "/r/nobody": 404, "/api/v1/ledger": 401, "/assets/none.js": 404} {
		resp, err := client.Get(s.http.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if h := resp.Header; resp.StatusCode != want || h.Get("X-Content-Type-Options") != "nosniff" || !strings.Contains(h.Get("Content-Security-Policy"), "script-src 'self' 'wasm-unsafe-eval';") || h.Get("Referrer-Policy") == "" {
			t.Errorf("%s: %d %v", path, resp.StatusCode, h)
		}
	}
}

// safeBuffer is written by many goroutines.
type safeBuffer struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (b *safeBuffer) Write(p []byte) (int, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.text.Write(p)
}

func (b *safeBuffer) String() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.text.String()
}

// TestNoSecretsInLogs: nothing that opens anything is written down, whether it
// was right or wrong.
func TestNoSecretsInLogs(t *testing.T) {
	t.Parallel()
	var log safeBuffer
	s := withPeople(t, func(c *server.Config) {
		c.Log = slog.New(slog.NewJSONHandler(&log, &slog.HandlerOptions{Level: slog.LevelDebug}))
	})
	cookie := s.signIn("maintainer")
	secrets := []string{password, cookie.Value, "a wrong secret here"}
	s.do(nil, "POST", "/api/v1/session", map[string]string{"login": "keeper", "password": "a wrong secret here"})
	s.do(nil, "POST", "/api/v1/session", []byte(`{"login":"keeper","password":"a wrong secret here"`), "application/json")
	made := decode[struct{ ID, Token string }](s, s.do(cookie, "POST", "/api/v1/benches", map[string]string{"name": "one"}), 201)
	token := decode[madeToken](s, s.do(cookie, "POST", "/api/v1/tokens", map[string]any{"name": "a script", "scopes": []string{"read"}, "days": 1}), 201).Secret
	feed := decode[struct{ Path string }](s, s.do(cookie, "POST", "/api/v1/news/feed", nil), 200).Path
	s.do(nil, "GET", feed, nil)
	s.do(nil, "GET", feed+"x", nil)
	for _, bearer := range []string{token, made.Token, token + "x"} {
		s.do(nil, "GET", "/api/v1/ledger", nil, "Authorization", "Bearer "+bearer)
	}
	secrets = append(secrets, token, made.Token, feed[strings.LastIndexAny(feed, "/=")+1:])
	text := log.String()
	if !strings.Contains(text, "/api/v1/ledger") {
		t.Fatal("nothing is logged: it is no test")
	}
	for _, secret := range secrets {
		if len(secret) < 12 || strings.Contains(text, secret) {
			t.Errorf("%q is in the log", secret)
		}
	}
}
