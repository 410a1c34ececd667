package server_test

import (
	"strings"
	"testing"

	"roster/server"
	"roster/store/storetest"
)

// TestOlderProgramGoesOn: where a newer program has only added to the database, an
// older one goes on beside it, starts beside it as well, and says so to the keeper.
func TestOlderProgramGoesOn(t *testing.T) {
	t.Parallel()
	database := storetest.URL(t)
	first := withPeopleOn(t, database)
	first.exec(`update schema_version set version = version + 1`)
	second := newSite(t, database, func(*server.Config) {})
	for name, s := range map[string]*site{"one that runs": first, "one that starts": second} {
		keeper := s.signIn("keeper")
		s.until(name+" is ready", func() bool { return s.do(nil, "GET", "/readyz", nil).status == 200 })
		if a := s.do(keeper, "GET", "/api/v1/ledger", nil); a.status != 200 {
			t.Errorf("%s: %d %.300s", name, a.status, a.body)
		}
		if a := s.do(keeper, "GET", "/api/v1/installation", nil); !strings.Contains(string(a.body), "It goes on beside it.") {
			t.Errorf("%s tells its keeper nothing: %s", name, a.body)
		}
	}
}

// TestOlderProgramServesNothing: where a newer program has taken something away, an
// older one says so, in words, and touches nothing, whether it runs or starts.
func TestOlderProgramServesNothing(t *testing.T) {
	t.Parallel()
	database := storetest.URL(t)
	first := withPeopleOn(t, database)
	first.exec(`update schema_version set version = version + 1, least = version + 1`)
	if a := first.do(nil, "GET", "/readyz", nil); a.status != 503 || kind(a) != "program-too-old" {
		t.Errorf("a server that was here before is ready: %d %s", a.status, a.body)
	}
	second := newSite(t, database, func(*server.Config) {})
	for _, old := range []*site{first, second} {
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
	}
}
