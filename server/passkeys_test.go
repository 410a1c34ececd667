package server_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/google/uuid"

	"roster/core/people"
	"roster/server"
	"roster/store"
)

// TestPasskeyIsAskedFor: who has a passkey, or a role that needs one, is not in
// with a password alone. What devices sign is in e2e/passkeys.spec.ts.
func TestPasskeyIsAskedFor(t *testing.T) {
	t.Parallel()
	s := withPeople(t, func(c *server.Config) { c.PublicURL = "http://localhost:8420" })
	maintainer, keeper := s.signIn("maintainer"), s.signIn("keeper")
	person := get[struct{ Person id }](s, maintainer, "/api/v1/session").Person
	good := map[string]any{"name": "x", "scopes": []string{"read", "publish"}, "days": 1}
	token := decode[struct{ Secret string }](s, s.do(maintainer, "POST", "/api/v1/tokens", good), 201).Secret
	rules, _, err := s.store.InstallationRules(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	rules.PasskeyRoles = []people.Role{people.Maintainer}
	if a := s.do(keeper, "PUT", "/api/v1/installation-rules", rules, "If-Match", `"0"`); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	half := func() *http.Cookie {
		t.Helper()
		a := s.do(nil, "POST", "/api/v1/session", map[string]string{"login": "maintainer", "password": password})
		cookies, err := http.ParseSetCookie(a.header.Get("Set-Cookie"))
		if a.status != 200 || err != nil || cookies.Name != "roster_second" || strings.Contains(string(a.body), `"person"`) {
			t.Fatalf("%d %v %s", a.status, err, a.body)
		}
		return cookies
	}
	cookie := half()
	if a := s.do(cookie, "GET", "/api/v1/session", nil); !strings.Contains(string(a.body), `"second":"make-passkey"`) {
		t.Errorf("%s", a.body)
	}
	if a := s.do(cookie, "GET", "/api/v1/tray", nil); a.status != 401 {
		t.Errorf("half signed in, and let in: %d", a.status)
	}
	type challenge struct {
		ID, Kind string
		Options  struct{ RP struct{ ID string } }
	}
	asked := decode[challenge](s, s.do(cookie, "POST", "/api/v1/session/second/challenge", nil), 200)
	if asked.Kind != "make-passkey" || asked.Options.RP.ID != "localhost" {
		t.Errorf("%+v", asked)
	}
	answer := map[string]any{"id": asked.ID, "credential": map[string]any{"id": "AA", "rawId": "AA", "type": "public-key", "response": map[string]string{}}}
	if a := s.do(cookie, "POST", "/api/v1/session/second", answer); a.status != 403 || kind(a) != "wrong-passkey" {
		t.Errorf("nonsense: %d %s", a.status, a.body)
	}
	if a := s.do(cookie, "POST", "/api/v1/session/second", answer); a.status != 409 || kind(a) != "challenge-stale" {
		t.Errorf("the same challenge again: %d %s", a.status, a.body)
	}
	if a := s.do(nil, "POST", "/api/v1/session/second/challenge", nil); a.status != 401 {
		t.Errorf("without a password: %d", a.status)
	}
	cookie.Value = cookie.Value[:len(cookie.Value)-4] + "AAAA"
	if a := s.do(cookie, "POST", "/api/v1/session/second/challenge", nil); a.status != 401 {
		t.Errorf("a cookie of one's own making: %d", a.status)
	}
	// Who is in, and has a passkey, shows it again to publish; a program can't.
	if err := s.store.AddPasskey(t.Context(), uuid.MustParse(person.ID), store.Passkey{ID: []byte("k"), Name: "x", Held: []byte("{}")}); err != nil {
		t.Fatal(err)
	}
	publish := "/api/v1/publications/01a22a1a-534d-72d7-9b38-bf788a6f2a88/decision"
	if a := s.do(maintainer, "POST", publish, map[string]string{"verdict": "published"}); a.status != 403 || kind(a) != "confirm-passkey" {
		t.Errorf("publishing: %d %s", a.status, a.body)
	}
	published := map[string]string{"verdict": "published"}
	if a := s.do(nil, "POST", publish, published, "Authorization", "Bearer "+token); a.status != 403 || kind(a) != "confirm-passkey" {
		t.Errorf("publishing by a program: %d %s", a.status, a.body)
	}
	if a := s.do(maintainer, "POST", publish, map[string]string{"verdict": "returned", "answer": "no"}); a.status != 404 {
		t.Errorf("returning asks for nothing: %d %s", a.status, a.body)
	}
	if a := s.do(maintainer, "DELETE", "/api/v1/passkeys/aw", nil); kind(a) != "confirm-passkey" {
		t.Errorf("taking one's passkey away: %d %s", a.status, a.body)
	}
	if a := s.do(keeper, "DELETE", "/api/v1/people/"+person.ID+"/passkeys", nil); a.status/100 != 2 {
		t.Errorf("by the keeper: %d %s", a.status, a.body)
	}
}

func TestPasskeysWantAName(t *testing.T) {
	t.Parallel()
	s := withPeople(t, func(c *server.Config) { c.PublicURL = "https://192.0.2.7" })
	keeper := s.signIn("keeper")
	rules, _, err := s.store.InstallationRules(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	rules.PasskeyRoles = []people.Role{people.Keeper}
	if a := s.do(keeper, "PUT", "/api/v1/installation-rules", rules, "If-Match", `"0"`); kind(a) != "no-passkeys" {
		t.Errorf("everybody would be shut out: %d %s", a.status, a.body)
	}
}
