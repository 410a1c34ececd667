package server_test

import (
	"strings"
	"testing"

	"roster/server"
	"roster/store/storetest"
)

// TestOlderProgramServesNothing: where a newer program has been, an older one
// says so, in words, and touches nothing.
func TestOlderProgramServesNothing(t *testing.T) {
	t.Parallel()
	database := storetest.URL(t)
	first := withPeopleOn(t, database)
	first.exec(`update schema_version set version = version + 1`)
	if a := first.do(nil, "GET", "/readyz", nil); a.status != 503 || kind(a) != "program-too-old" {
		t.Errorf("a server that was here before is ready: %d %s", a.status, a.body)
	}
	old := newSite(t, database, func(*server.Config) {})
	old.until("the program is too old", func() bool {
		return kind(old.do(nil, "GET", "/api/v1/session", nil)) == "program-too-old"
	})
	for path, want := range map[string]string{"/api/v1/ledger": "start the newest", "/r": "start the newest", "/readyz": "A newer program has been here"} {
		if a := old.do(nil, "GET", path, nil); a.status != 503 || !strings.Contains(string(a.body), want) {
			t.Errorf("%s: %d %.300s", path, a.status, a.body)
		}
	}
	if a := old.do(nil, "GET", "/healthz", nil); a.status != 200 {
		t.Errorf("it lives: %d", a.status)
	}
	first.exec(`update schema_version set version = version - 1`)
}
