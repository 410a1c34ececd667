package server_test

import (
	"bufio"
	"net/http"
	"strings"
	"testing"
)

// listen has somebody of a role listen to what is told to browsers; next waits for
// the topic of what is told next.
func (s *site) listen(role string) (next func() string) {
	t := s.t
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), "GET", s.http.URL+"/api/v1/events", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.AddCookie(s.signIn(role))
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { resp.Body.Close() })
	lines := bufio.NewScanner(resp.Body)
	return func() string {
		for lines.Scan() {
			if data, ok := strings.CutPrefix(lines.Text(), `data: {"topic":"`); ok && !strings.HasPrefix(data, "nothing") {
				return strings.TrimSuffix(data, `"}`)
			}
		}
		t.Fatalf("the stream ended: %v", lines.Err())
		return ""
	}
}

// TestEventsForBrowsers: what somebody does is told to everybody who looks, what
// concerns one person to that person alone.
func TestEventsForBrowsers(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper, technician := s.listen("keeper"), s.listen("technician")
	for who, next := range map[string]func() string{"keeper": keeper, "technician": technician} {
		if got := next(); got != "everything" {
			t.Errorf("%s: %s", who, got)
		}
	}
	cookie := s.signIn("technician")
	build := s.captured(cookie)
	if a := s.do(cookie, "POST", "/api/v1/tray/edits", map[string]any{"edits": []any{trialEdit("com.brannock.tips", build, "called:mine", "clean")}}); a.status != 201 && a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if a := s.do(s.signIn("keeper"), "POST", "/api/v1/invitations", map[string]string{"role": "technician", "note": "x"}); a.status/100 != 2 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	seen := func(next func() string) (list string) {
		for {
			got := next()
			if list += got + " "; got == "people" {
				return list
			}
		}
	}
	if list := seen(technician); !strings.Contains(list, "captures") || !strings.Contains(list, "tray") {
		t.Errorf("technician: %s", list)
	}
	if list := seen(keeper); !strings.Contains(list, "captures") || strings.Contains(list, "tray") {
		t.Errorf("keeper: %s", list)
	}
}
