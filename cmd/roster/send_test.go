package main

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
)

// TestSendTriesAgain loses the first answer on its way back: the second try
// bears the same key, so that nothing is sent twice.
func TestSendTriesAgain(t *testing.T) {
	var keys []string
	var tries atomic.Int32
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		keys = append(keys, r.Header.Get("Idempotency-Key"))
		if r.URL.Path != "/api/v1/changes/whole" || r.Header.Get("Authorization") != "Bearer secret" || !json.Valid(raw) {
			t.Errorf("%s %v %s", r.URL, r.Header, raw)
		}
		switch tries.Add(1) {
		case 1: // the cable
			conn, _, err := w.(http.Hijacker).Hijack()
			if err == nil {
				conn.Close()
			}
		case 2: // the database
			w.WriteHeader(http.StatusServiceUnavailable)
			io.WriteString(w, `{"detail":"The database does not answer."}`)
		default:
			io.WriteString(w, `{"id":"c1"}`)
		}
	}))
	defer server.Close()
	edits := file(t, "e.json", `{"title":"x","edits":[{"package":"com.a.b","field":"description","value":"y"}]}`)
	out, errs, err := call(t, "", "send", edits, "--server", server.URL, "--token", "secret")
	if err != nil || out != "sent 1 edit for review: "+server.URL+"/review/c1\n" || strings.Count(errs, "trying again") != 2 {
		t.Errorf("%q %q %v", out, errs, err)
	}
	if len(keys) != 3 || keys[0] != keys[2] || len(keys[0]) > 100 || !strings.HasPrefix(keys[0], "file-") {
		t.Errorf("%v", keys)
	}
}

func TestSendRefuses(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusUnprocessableEntity)
		io.WriteString(w, "{\"detail\":\"edit 1: load \\u001b[31m is not known\",\"errors\":[{\"message\":\"m\",\"location\":\"body.edits[0]\"}]}")
	}))
	defer server.Close()
	good := `edits: [{package: com.a.b, field: load}]`
	for what, c := range map[string]struct {
		in, want string
		args     []string
		usage    bool
	}{
		"no title":    {good, "--title", []string{"--token", "s"}, true},
		"no token":    {good, "token", []string{"--title", "t"}, true},
		"no edits":    {`title: x`, "no edits", []string{"--token", "s", "--title", "t"}, false},
		"no YAML":     {"a: [b", "does not read", []string{"--token", "s"}, false},
		"refused":     {good, "edit 1: load", []string{"--token", "s", "--title", "t"}, false},
		"a bad place": {good, "--server", []string{"--token", "s", "--title", "t", "--server", "::"}, true},
	} {
		args := append([]string{"send", "-", "--server", server.URL}, c.args...)
		_, _, err := call(t, c.in, args...)
		if err == nil || !strings.Contains(err.Error(), c.want) || isUsage(err) != c.usage || strings.Contains(err.Error(), "\x1b") {
			t.Errorf("%s: %v", what, err)
		}
	}
	if body, n, err := readEdits(strings.NewReader(`[{"package":"com.a.b"},{"package":"com.a.c"}]`), "-", "t", "w"); err != nil || n != 2 || !strings.Contains(string(body), `"words":"w"`) {
		t.Errorf("%s %d %v", body, n, err)
	}
}
