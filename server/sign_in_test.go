package server_test

import (
	"bufio"
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"testing"
	"time"

	"roster/server"
	"roster/store"

	"github.com/jackc/pgx/v5"
)

// behindProxy has a server believe what proxies on this machine say.
func behindProxy(c *server.Config) {
	c.TrustedProxies = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("192.0.2.1/32")}
}

// tryAs tries a password, from an address that a proxy tells.
func (s *site) tryAs(login, password, from string) answer {
	s.t.Helper()
	return s.do(nil, "POST", "/api/v1/session", map[string]string{"login": login, "password": password}, "X-Forwarded-For", from)
}

// exec changes the site's records behind its back.
func (s *site) exec(sql string, args ...any) {
	s.t.Helper()
	conn, err := pgx.Connect(s.t.Context(), s.database)
	if err != nil {
		s.t.Fatal(err)
	}
	defer conn.Close(s.t.Context())
	if _, err := conn.Exec(s.t.Context(), sql, args...); err != nil {
		s.t.Fatal(err)
	}
}

func TestSignIn(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("reviewer")
	if !cookie.HttpOnly || cookie.SameSite != http.SameSiteLaxMode || cookie.Secure || len(cookie.Value) < 40 {
		t.Errorf("%+v", cookie)
	}
	a := s.do(nil, "POST", "/api/v1/session", map[string]string{"login": "keeper", "password": password}, "X-Forwarded-Proto", "https")
	if strings.Contains(a.header.Get("Set-Cookie"), "Secure") {
		t.Error("whoever asks says that it came over https")
	}
	if a := s.do(cookie, "POST", "/api/v1/tray/edits", nil, "Sec-Fetch-Site", "cross-site"); a.status != 403 || kind(a) != "cross-origin" {
		t.Errorf("a write of another site: %d %s", a.status, a.body)
	}
	s.do(cookie, "DELETE", "/api/v1/session", nil)
	if a := s.do(cookie, "GET", "/api/v1/tray", nil); a.status != 401 || kind(a) != "signed-out" {
		t.Errorf("after signing out: %d %s", a.status, a.body)
	}
	// Who signs in again in the same browser ends what was there before.
	first := s.signIn("technician")
	a = s.do(first, "POST", "/api/v1/session", map[string]string{"login": "reviewer", "password": password})
	if a.status != 200 || s.do(first, "GET", "/api/v1/tray", nil).status != 401 {
		t.Errorf("%d: the session that was there before goes on", a.status)
	}
}

// mostTries is how many tries can have been made since a moment: those that are
// free, and one more after each wait that has passed, each twice as long as the
// one before up to the longest.
func mostTries(since time.Time, free int, first, longest time.Duration) int {
	passed := time.Since(since)
	for wait := first; passed >= wait; wait = min(2*wait, longest) {
		passed -= wait
		free++
	}
	return free
}

// TestManyTriesAtOnce: tries are counted before anything is compared, so that
// three hundred at once are no more than those few that are free.
func TestManyTriesAtOnce(t *testing.T) {
	t.Parallel()
	s := withPeople(t, behindProxy)
	known := s.tryAs("technician", password, "198.51.100.7") // at home, before
	var wait sync.WaitGroup
	var mu sync.Mutex
	kinds := map[string]int{}
	turns := make(chan bool, 50)
	begun := time.Now()
	for i := range 300 {
		wait.Go(func() {
			turns <- true
			a := s.tryAs("technician", fmt.Sprint("guess ", i), "203.0.113.5")
			<-turns
			mu.Lock()
			defer mu.Unlock()
			kinds[kind(a)]++
			if a.status == 429 && a.header.Get("Retry-After") == "" {
				kinds["no word how long"]++
			}
		})
	}
	wait.Wait()
	// On a slow machine fifty at once may wait too long for a connection: they are
	// told so, and have tried nothing.
	tried, answered := kinds["wrong-password"], kinds["wrong-password"]+kinds["too-many-tries"]+kinds["busy"]
	if tried < 6 || tried > mostTries(begun, 6, 2*time.Second, 5*time.Minute) || answered != 300 {
		t.Errorf("%v", kinds)
	}
	for who, a := range map[string]answer{
		"somebody else from there":           s.tryAs("reviewer", password, "203.0.113.5"),
		"the person, where they were before": s.tryAs("technician", password, "198.51.100.7"),
		"who was there before that":          known,
	} {
		if a.status != 200 {
			t.Errorf("%s: %d %s", who, a.status, a.body)
		}
	}
	acts := get[struct{ Items []struct{ Action string } }](s, s.signIn("keeper"), "/api/v1/audit?action=person.sign-in-slowed")
	if len(acts.Items) != 1 {
		t.Errorf("the record says %v", acts.Items)
	}
	failed := get[struct{ Items []struct{ Action string } }](s, s.signIn("keeper"), "/api/v1/audit?action=person.sign-in-failed")
	if len(failed.Items) != kinds["wrong-password"] {
		t.Errorf("%d tries in the record, %d made", len(failed.Items), kinds["wrong-password"])
	}
	// One who waits as long as they are told may try again.
	s.exec(`update sign_in_tries set next_at = now()`)
	if a := s.tryAs("technician", password, "203.0.113.5"); a.status != 200 {
		t.Errorf("after the wait: %d %s", a.status, a.body)
	}
}

// TestGuessesFromManyPlaces: one login tried from everywhere is slowed down,
// and so is one place that tries every login; neither locks out whoever was
// there before.
func TestGuessesFromManyPlaces(t *testing.T) {
	t.Parallel()
	s := withPeople(t, behindProxy)
	if a := s.tryAs("maintainer", password, "198.51.100.9"); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	begun, made := time.Now(), map[string]int{}
	for i := range 60 {
		made[kind(s.tryAs("maintainer", "a guess", fmt.Sprintf("203.0.113.%d", i)))]++
	}
	if made["wrong-password"] > mostTries(begun, 40, time.Second, 30*time.Second) || made["wrong-password"]+made["too-many-tries"] != 60 {
		t.Errorf("of one login from sixty places: %v", made)
	}
	begun, made = time.Now(), map[string]int{}
	for i := range 120 {
		made[kind(s.tryAs(fmt.Sprint("nobody", i), "a guess", "2001:db8::"+fmt.Sprint(i)))]++
	}
	if made["wrong-password"] > mostTries(begun, 80, 500*time.Millisecond, 5*time.Second) || made["wrong-password"]+made["too-many-tries"] != 120 {
		t.Errorf("of a hundred and twenty logins from one network: %v", made)
	}
	if a := s.tryAs("maintainer", password, "198.51.100.9"); a.status != 200 {
		t.Errorf("%d %s", a.status, a.body)
	}
}

// TestProxies: what headers say of where a request came from counts as far as
// named proxies said it.
func TestProxies(t *testing.T) {
	t.Parallel()
	s := withPeople(t, behindProxy)
	credentials := map[string]string{"login": "keeper", "password": password}
	a := s.do(nil, "POST", "/api/v1/session", credentials, "X-Forwarded-Proto", "http, https")
	if !strings.Contains(a.header.Get("Set-Cookie"), "Secure") {
		t.Error("over https by a named proxy the cookie is not secure")
	}
	// Further left is what the asker wrote: six guesses from one place, however
	// it calls itself.
	var kinds []string
	for i := range 8 {
		kinds = append(kinds, kind(s.tryAs("reviewer", "a guess", fmt.Sprintf("192.0.2.%d, 203.0.113.77, 192.0.2.1", 100+i))))
	}
	if kinds[5] != "wrong-password" || kinds[7] != "too-many-tries" {
		t.Errorf("%v", kinds)
	}
	for text, want := range map[string]bool{"": true, "10.0.0.0/8, 192.0.2.7": true, "::1": true, "proxy.example": false, "10.0.0.0/33": false} {
		if _, err := server.ParseProxies(text); (err == nil) != want {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// TestPublicHTTPS: where only https leads, the cookie and every answer say so.
func TestPublicHTTPS(t *testing.T) {
	t.Parallel()
	s := withPeople(t, func(c *server.Config) { c.PublicURL = "https://roster.example" })
	cookie := s.signIn("keeper")
	if cookie.Name != "__Host-roster_session" || !cookie.Secure || cookie.Path != "/" || cookie.Domain != "" {
		t.Errorf("%+v", cookie)
	}
	for _, path := range []string{"/api/v1/session", "/", "/r/", "/r", "/none"} {
		if a := s.do(nil, "GET", path, nil); !strings.HasPrefix(a.header.Get("Strict-Transport-Security"), "max-age=") {
			t.Errorf("%s: %v", path, a.header)
		}
	}
	if a := s.do(cookie, "GET", "/api/v1/tray", nil); a.status != 200 || a.header.Get("Cache-Control") != "no-store" {
		t.Errorf("%d %v", a.status, a.header)
	}
}

// TestIdling: a session that nobody used for as long as the keeper allows ends;
// what a page asks by itself is no use.
func TestIdling(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	age := func(hours int) {
		s.exec(`update sessions set seen_at = now() - make_interval(hours => $1)`, hours)
	}
	age(store.DefaultInstallationRules.IdleHours - 1)
	if a := s.do(cookie, "GET", "/api/v1/tray", nil, "Roster-Unattended", "1"); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	seen := func() time.Time {
		return get[struct{ Items []struct{ SeenAt time.Time } }](s, s.signIn("technician"), "/api/v1/sessions").Items[1].SeenAt
	}
	if d := time.Since(seen()); d < time.Hour {
		t.Errorf("a page by itself kept the session alive: used %s ago", d)
	}
	if a := s.do(cookie, "GET", "/api/v1/tray", nil); a.status != 200 || time.Since(seen()) > time.Hour {
		t.Errorf("%d: used %s", a.status, seen())
	}
	age(store.DefaultInstallationRules.IdleHours + 1)
	if a := s.do(cookie, "GET", "/api/v1/tray", nil); a.status != 401 {
		t.Errorf("after idling: %d", a.status)
	}
	keeper := s.signIn("keeper")
	rules := map[string]any{
		"idleHours": 2, "benchNetworks": []string{}, "backupDays": 30, "noPasswords": false, "groupRoles": []any{}, "passkeyRoles": []string{},
	}
	if a := s.do(keeper, "PUT", "/api/v1/installation-rules", rules, "If-Match", `"0"`); a.status != 200 && a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	cookie = s.signIn("technician")
	age(3)
	if a := s.do(cookie, "GET", "/api/v1/tray", nil); a.status != 401 {
		t.Errorf("after idling for longer than the keeper allows: %d", a.status)
	}
}

// TestPasswordEndsTokens: changing a password ends what else somebody may have
// who knew the old one, where the person wants it.
func TestPasswordEndsTokens(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	token := decode[struct{ Secret string }](s, s.do(cookie, "POST", "/api/v1/tokens", map[string]any{"name": "x", "scopes": []string{"read"}, "days": 1}), 201).Secret
	feed := decode[struct{ Path string }](s, s.do(cookie, "POST", "/api/v1/news/feed", nil), 200).Path
	works := func() [2]int {
		return [2]int{s.do(nil, "GET", "/api/v1/tray", nil, "Authorization", "Bearer "+token).status, s.do(nil, "GET", feed, nil).status}
	}
	change := func(old, now string, more map[string]any) {
		more["old"], more["new"] = old, now
		if a := s.do(cookie, "POST", "/api/v1/session/password", more); a.status != 204 {
			t.Fatalf("%d %s", a.status, a.body)
		}
	}
	change(password, "another long one", map[string]any{})
	if works() != [2]int{200, 200} {
		t.Errorf("%v", works())
	}
	change("another long one", "a third long one", map[string]any{"endTokens": true, "endFeeds": true})
	if works() != [2]int{401, 404} {
		t.Errorf("%v", works())
	}
	if s.do(cookie, "GET", "/api/v1/tray", nil).status != 200 {
		t.Error("who changed it was signed out")
	}
	for bad, why := range map[string]string{"eleven char": "short", strings.Repeat("a", 20): "one character", "password1234": "common", "Technician12": "the login", strings.Repeat("x", 201): "too long"} {
		if a := s.do(cookie, "POST", "/api/v1/session/password", map[string]string{"old": "a third long one", "new": bad}); a.status != 422 {
			t.Errorf("%s: %d %s", why, a.status, a.body)
		}
	}
}

// TestStreamsEnd: a stream of events ends before it says anything more, once
// whoever asked for it may no longer.
func TestStreamsEnd(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper, cookie := s.signIn("keeper"), s.signIn("technician")
	people := get[struct{ Items []struct{ ID, Login string } }](s, keeper, "/api/v1/people")
	ids := map[string]string{}
	for _, p := range people.Items {
		ids[p.Login] = p.ID
	}
	token := decode[struct{ ID, Secret string }](s, s.do(cookie, "POST", "/api/v1/tokens", map[string]any{"name": "x", "scopes": []string{"read"}, "days": 1}), 201)
	byCookie := func(c *http.Cookie) [2]string { return [2]string{"Cookie", c.Name + "=" + c.Value} }
	elsewhere := s.signIn("technician")
	for i, c := range []struct {
		what string
		who  [2]string
		end  func() answer
	}{
		{"a token that was revoked", [2]string{"Authorization", "Bearer " + token.Secret}, func() answer { return s.do(cookie, "DELETE", "/api/v1/tokens/"+token.ID, nil) }},
		{"signed out elsewhere", byCookie(elsewhere), func() answer { return s.do(cookie, "DELETE", "/api/v1/sessions", nil) }},
		{"signed out", byCookie(cookie), func() answer { return s.do(cookie, "DELETE", "/api/v1/session", nil) }},
		{"another role", byCookie(s.signIn("maintainer")), func() answer {
			return s.do(keeper, "PUT", "/api/v1/people/"+ids["maintainer"]+"/role", map[string]string{"role": "technician"})
		}},
		{"removed", byCookie(s.signIn("reviewer")), func() answer { return s.do(keeper, "DELETE", "/api/v1/people/"+ids["reviewer"], nil) }},
	} {
		r, err := http.NewRequestWithContext(t.Context(), "GET", s.http.URL+"/api/v1/benches/events", nil)
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set(c.who[0], c.who[1])
		resp, err := http.DefaultClient.Do(r)
		if err != nil || resp.StatusCode != 200 {
			t.Fatalf("%s: %v %v", c.what, resp, err)
		}
		body := bufio.NewReader(resp.Body)
		if line, err := body.ReadString('\n'); err != nil {
			t.Fatalf("%s: %q %v", c.what, line, err)
		}
		if a := c.end(); a.status >= 300 {
			t.Fatalf("%s: %d %s", c.what, a.status, a.body)
		}
		secret := fmt.Sprintf("bench number %d", i)
		if a := s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": secret}); a.status != 201 {
			t.Fatalf("%d %s", a.status, a.body)
		}
		rest, _ := io.ReadAll(body) // ends, or the test does
		resp.Body.Close()
		if strings.Contains(string(rest), secret) {
			t.Errorf("%s: the stream went on: %s", c.what, rest)
		}
	}
}

// TestOddCookies: what is no token of ours is nobody's.
func TestOddCookies(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	for _, value := range []string{"", "x", base64.RawURLEncoding.EncodeToString(make([]byte, 32)), strings.Repeat("A", 43)} {
		if a := s.do(&http.Cookie{Name: "roster_session", Value: value}, "GET", "/api/v1/tray", nil); a.status != 401 {
			t.Errorf("%q: %d", value, a.status)
		}
	}
}
