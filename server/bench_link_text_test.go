package server_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"io"
	"net/http"
	"strings"
	"testing"

	"roster/bench"
	"roster/phone"
)

// unread is the wire of a bench that has captures read by its server, as that of a
// browser is.
type unread struct{ bench.HTTP }

func (w unread) Text(_ context.Context, path string) bench.Text {
	t := &packing{wire: w, path: path}
	t.Writer = gzip.NewWriter(&t.packed)
	return t
}

type packing struct {
	*gzip.Writer
	wire   unread
	path   string
	packed bytes.Buffer
}

func (t *packing) Send(ctx context.Context, query string) error {
	if err := t.Close(); err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, "POST", t.wire.Server+"/api/v1/link/"+t.path+"?"+query, &t.packed)
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+t.wire.Token)
	r.Header.Set("Content-Encoding", "gzip")
	a, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer a.Body.Close()
	words, err := io.ReadAll(a.Body)
	if err != nil {
		return err
	}
	return bench.Refusal(a.StatusCode, words)
}

// TestCapturedUnread: what a phone says is the same capture, whoever reads it, and
// one that broke off is stored as far as it came.
func TestCapturedUnread(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	_, read, _, _ := elsewhere(t, s, func(*phone.Scenario) {})
	first, _ := s.follow(cookie, s.startCapture(cookie, s.find(cookie, read, identified)))
	over := func(w bench.HTTP) bench.Wire { return unread{w} }
	_, address, _, _ := elsewhereOver(t, s, over, func(*phone.Scenario) {})
	second, _ := s.follow(cookie, s.startCapture(cookie, s.find(cookie, address, identified)))
	if first.State != "done" || second.State != "done" || first.Result.ID != second.Result.ID || second.Result.Packages != wantPackages {
		t.Errorf("%+v, then %+v", first, second)
	}
	_, broken, _, _ := elsewhereOver(t, s, over, func(p *phone.Scenario) {
		p.Serial = "BRNLY5A0999"
		p.Faults = []phone.Fault{{Command: "dumpsys package", AfterBytes: 60_000, Do: "unplug", Times: 1}}
	})
	last, _ := s.follow(cookie, s.startCapture(cookie, s.find(cookie, broken, identified)))
	if last.State != "failed" || last.Result == nil || !strings.Contains(last.Problem, "stored, marked incomplete") {
		t.Fatalf("%+v", last)
	}
	kept := get[struct {
		Complete bool
		Missing  string
	}](s, cookie, "/api/v1/captures/"+last.Result.ID)
	if kept.Complete || !strings.Contains(kept.Missing, "the phone went away") {
		t.Errorf("%+v", kept)
	}
}

// TestLinkTextBadly: what can't be read as what a phone says is refused, with words.
func TestLinkTextBadly(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("maintainer")
	made := decode[struct{ ID, Token string }](s, s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": "the ward"}), 201)
	packed := func(text string) []byte {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		io.WriteString(z, text)
		z.Close()
		return b.Bytes()
	}
	for what, c := range map[string]struct {
		path string
		body []byte
		want int
	}{
		"no job's id":   {"x/text", packed("x"), 422},
		"no job":        {"0191a2b3-0000-7000-8000-000000000000/text", packed("x"), 404},
		"a long serial": {"0191a2b3-0000-7000-8000-000000000000/text?serial=" + strings.Repeat("x", 300), packed("x"), 422},
	} {
		if a := s.do(nil, "POST", "/api/v1/link/jobs/"+c.path, c.body, "text/plain", "Authorization", "Bearer "+made.Token); a.status != c.want {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	if a := s.do(nil, "POST", "/api/v1/link/jobs/x/text", packed("x"), "text/plain"); a.status != 401 {
		t.Errorf("%d", a.status)
	}
}
