package server_test

import (
	"bytes"
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"maps"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"

	"roster/server"
	"roster/store"
)

// provider is an OpenID Connect provider at which whoever comes is signed in as
// somebody at once.
type provider struct {
	*httptest.Server
	key *rsa.PrivateKey
	mu  sync.Mutex
	// who are the claims of whoever comes; spoil changes an id token.
	who   map[string]any
	spoil func(claims map[string]any)
	codes map[string]url.Values // what each code was asked for with
}

const clientID, clientSecret = "roster", "between us"

func newProvider(t *testing.T) *provider {
	t.Helper()
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	p := &provider{key: key, codes: map[string]url.Values{}, who: map[string]any{"sub": "1"}}
	mux := http.NewServeMux()
	answer := func(w http.ResponseWriter, v any) {
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(v)
	}
	mux.HandleFunc("GET /.well-known/openid-configuration", func(w http.ResponseWriter, _ *http.Request) {
		answer(w, map[string]any{
			"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize", "token_endpoint": p.URL + "/token", "jwks_uri": p.URL + "/keys",
			"id_token_signing_alg_values_supported": []string{"RS256"},
		})
	})
	mux.HandleFunc("GET /keys", func(w http.ResponseWriter, _ *http.Request) {
		answer(w, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: key.Public(), KeyID: "k", Algorithm: "RS256", Use: "sig"}}})
	})
	mux.HandleFunc("GET /authorize", func(w http.ResponseWriter, r *http.Request) {
		asked := r.URL.Query()
		code := rand.Text()
		p.mu.Lock()
		p.codes[code] = asked
		p.mu.Unlock()
		http.Redirect(w, r, asked.Get("redirect_uri")+"?"+url.Values{"code": {code}, "state": {asked.Get("state")}}.Encode(), http.StatusSeeOther)
	})
	mux.HandleFunc("POST /token", func(w http.ResponseWriter, r *http.Request) {
		p.mu.Lock()
		defer p.mu.Unlock()
		asked, ok := p.codes[r.FormValue("code")]
		delete(p.codes, r.FormValue("code"))
		sum := sha256.Sum256([]byte(r.FormValue("code_verifier")))
		id, secret, _ := r.BasicAuth()
		ok = ok && asked.Get("code_challenge_method") == "S256" && asked.Get("code_challenge") == base64.RawURLEncoding.EncodeToString(sum[:])
		if !ok || id != clientID || secret != url.QueryEscape(clientSecret) {
			http.Error(w, `{"error":"invalid_grant"}`, http.StatusBadRequest)
			return
		}
		claims := map[string]any{"iss": p.URL, "aud": clientID, "exp": time.Now().Add(time.Minute).Unix(), "iat": time.Now().Unix(), "nonce": asked.Get("nonce")}
		maps.Copy(claims, p.who)
		if p.spoil != nil {
			p.spoil(claims)
		}
		signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: p.key, KeyID: "k"}}, nil)
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		token, err := jwt.Signed(signer).Claims(claims).Serialize()
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		answer(w, map[string]any{"access_token": "a", "token_type": "Bearer", "expires_in": 60, "id_token": token})
	})
	p.Server = httptest.NewServer(mux)
	t.Cleanup(p.Close)
	return p
}

// withProvider runs a site whose people sign in by a provider, too.
func withProvider(t *testing.T) (*site, *provider) {
	t.Helper()
	p := newProvider(t)
	// The site's address is known once it listens; the server learns it before.
	s := withPeople(t, func(c *server.Config) {
		c.Provider = server.Provider{
			Issuer: p.URL, ClientID: clientID, ClientSecret: clientSecret, Name: "the agency", Scopes: []string{"profile"}, GroupsClaim: "groups",
		}
	})
	return s, p
}

// browser follows where it is sent, with cookies, as far as it is told to.
type browser struct {
	*http.Client
	s *site
}

func (s *site) browser() *browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		s.t.Fatal(err)
	}
	return &browser{&http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}, s}
}

// visit goes to a path and follows every redirect to the provider and back;
// done may change the address of the way back. It returns where that led.
func (b *browser) visit(path string, done func(*url.URL)) string {
	b.s.t.Helper()
	return b.follow(b.s.http.URL+path, done)
}

func (b *browser) follow(at string, done func(*url.URL)) string {
	b.s.t.Helper()
	for range 5 {
		answer, err := b.Get(at)
		if err != nil {
			b.s.t.Fatal(err)
		}
		answer.Body.Close()
		to, err := answer.Location()
		if err != nil {
			b.s.t.Fatalf("%s answers %s", at, answer.Status)
		}
		if to.Path == "/sign-in/done" { // the installation's public address is not that of the test
			base, _ := url.Parse(b.s.http.URL)
			to.Scheme, to.Host = base.Scheme, base.Host
			if done != nil {
				done(to)
			}
		} else if strings.HasPrefix(to.String(), b.s.http.URL) {
			return to.RequestURI()
		}
		at = to.String()
	}
	b.s.t.Fatal("it leads nowhere")
	return ""
}

// add goes to the provider as somebody who adds it to their ways in.
func (b *browser) add(next string) string {
	b.s.t.Helper()
	body, err := json.Marshal(map[string]string{"next": next})
	if err != nil {
		b.s.t.Fatal(err)
	}
	answer, err := b.Post(b.s.http.URL+"/api/v1/session/provider", "application/json", bytes.NewReader(body))
	if err != nil {
		b.s.t.Fatal(err)
	}
	defer answer.Body.Close()
	var to struct{ URL string }
	if err := json.NewDecoder(answer.Body).Decode(&to); err != nil || answer.StatusCode != http.StatusOK {
		b.s.t.Fatalf("%s, %v", answer.Status, err)
	}
	return b.follow(to.URL, nil)
}

func (b *browser) who() (p store.Person) {
	b.s.t.Helper()
	answer, err := b.Get(b.s.http.URL + "/api/v1/session")
	if err != nil {
		b.s.t.Fatal(err)
	}
	defer answer.Body.Close()
	var session struct{ Person store.Person }
	if err := json.NewDecoder(answer.Body).Decode(&session); err != nil {
		b.s.t.Fatal(err)
	}
	return session.Person
}

// groups has the keeper say which groups have which role.
func (s *site) groups(noPasswords bool, of ...store.GroupRole) {
	s.t.Helper()
	rules, revision, err := s.store.InstallationRules(s.t.Context())
	if err != nil {
		s.t.Fatal(err)
	}
	keeper, _, err := s.store.PasswordHash(s.t.Context(), "keeper")
	if err != nil {
		s.t.Fatal(err)
	}
	rules.GroupRoles, rules.NoPasswords = of, noPasswords
	if err := s.store.SetInstallationRules(s.t.Context(), keeper.ID, revision, rules); err != nil {
		s.t.Fatal(err)
	}
}

func TestSignInByProvider(t *testing.T) {
	t.Parallel()
	s, p := withProvider(t)
	b := s.browser()
	p.who = map[string]any{"sub": "7", "preferred_username": "Tove.S@agency.example", "name": "Tove S.", "groups": []string{"staff", "lists"}}
	if at := b.visit("/sign-in/start?next=/ledger", nil); at != "/?refused=no-role" || b.who().Login != "" {
		t.Errorf("in no group with a role: %s, %+v", at, b.who())
	}
	s.groups(false, store.GroupRole{Group: "staff", Role: "technician"}, store.GroupRole{Group: "lists", Role: "reviewer"})
	if at := b.visit("/sign-in/start?next=/ledger?maker=brannock", nil); at != "/ledger?maker=brannock" {
		t.Errorf("signed in, and led to %s", at)
	}
	first := b.who()
	if first.Login != "tove.s" || first.Name != "Tove S." || first.Role != "reviewer" {
		t.Fatalf("%+v", first)
	}
	// Groups change, and so does the role; the person is the same.
	p.who["groups"], p.who["preferred_username"] = "staff", "renamed"
	b.visit("/sign-in/start", nil)
	if again := b.who(); again.ID != first.ID || again.Role != "technician" || again.Login != "tove.s" {
		t.Errorf("%+v", again)
	}
	p.who["groups"] = []string{"elsewhere"}
	if at := s.browser().visit("/sign-in/start", nil); at != "/?refused=no-role" {
		t.Errorf("who is in no group any longer gets to %s", at)
	}
	// Another of that name.
	p.who = map[string]any{"sub": "8", "preferred_username": "tove.s", "groups": []string{"staff"}}
	other := s.browser()
	if other.visit("/sign-in/start", nil); other.who().Login != "tove.s-2" {
		t.Errorf("%+v", other.who())
	}
	for _, next := range []string{"https://evil.example/", "//evil.example/", "/\\evil.example", "javascript:alert(1)", "ledger", "/a\nb"} {
		if at := other.visit("/sign-in/start?next="+url.QueryEscape(next), nil); at != "/" {
			t.Errorf("%q leads to %s", next, at)
		}
	}
}

func TestProviderIsNotBelievedBlindly(t *testing.T) {
	t.Parallel()
	s, p := withProvider(t)
	s.groups(false, store.GroupRole{Group: "staff", Role: "technician"})
	p.who = map[string]any{"sub": "7", "name": "T", "groups": []string{"staff"}}
	refused := func(what, want string, spoil func(map[string]any), done func(*url.URL)) {
		t.Helper()
		p.mu.Lock()
		p.spoil = spoil
		p.mu.Unlock()
		b := s.browser()
		if at := b.visit("/sign-in/start", done); at != "/?refused="+want || b.who().Login != "" {
			t.Errorf("%s: %s, %+v", what, at, b.who())
		}
	}
	refused("another's nonce", "provider-wrong", func(c map[string]any) { c["nonce"] = "x" }, nil)
	refused("for another", "provider-wrong", func(c map[string]any) { c["aud"] = "another" }, nil)
	refused("of another", "provider-wrong", func(c map[string]any) { c["iss"] = "https://evil.example" }, nil)
	refused("expired", "provider-wrong", func(c map[string]any) { c["exp"] = time.Now().Add(-time.Hour).Unix() }, nil)
	set := func(key, value string) func(*url.URL) {
		return func(u *url.URL) { q := u.Query(); q.Set(key, value); u.RawQuery = q.Encode() }
	}
	refused("another's state", "sign-in-stale", nil, set("state", "x"))
	refused("no code of the provider's", "provider-wrong", nil, set("code", "x"))
	refused("refused there", "provider-refused", nil, set("error", "access_denied"))
	// A way back that another browser was sent out for.
	victim, stolen := s.browser(), ""
	s.browser().visit("/sign-in/start", func(u *url.URL) { stolen = u.RequestURI() })
	if at := victim.visit(stolen, nil); at != "/?refused=sign-in-stale" {
		t.Errorf("a way back of another browser leads to %s", at)
	}
	p.Close()
	fresh := s.browser()
	if at := fresh.visit("/sign-in/done?code=a&state=b", nil); at != "/?refused=sign-in-stale" {
		t.Errorf("never sent out: %s", at)
	}
}

func TestProviderAlone(t *testing.T) {
	t.Parallel()
	s, p := withProvider(t)
	// Who has a password adds the provider to their ways in.
	b := s.browser()
	if _, err := b.Post(s.http.URL+"/api/v1/session", "application/json", strings.NewReader(`{"login":"maintainer","password":"`+password+`"}`)); err != nil {
		t.Fatal(err)
	}
	p.who = map[string]any{"sub": "9", "name": "Somebody else's name", "groups": []string{"staff"}}
	if at := b.add("/people"); at != "/people" {
		t.Fatalf("adding leads to %s", at)
	}
	// Another site can send a browser on its way: that signs in, and adds nothing.
	if a := s.do(s.signIn("maintainer"), "POST", "/api/v1/session/provider", map[string]string{}, "Sec-Fetch-Site", "cross-site"); kind(a) != "cross-origin" {
		t.Errorf("sent by another site: %d %s", a.status, a.body)
	}
	p.who = map[string]any{"sub": "of a stranger", "groups": []string{"staff"}}
	sent := s.browser()
	if _, err := sent.Post(s.http.URL+"/api/v1/session", "application/json", strings.NewReader(`{"login":"reviewer","password":"`+password+`"}`)); err != nil {
		t.Fatal(err)
	}
	if at := sent.visit("/sign-in/start?add=1", nil); at != "/?refused=no-role" {
		t.Errorf("a browser that was sent to the provider as a stranger gets to %s", at)
	}
	p.who = map[string]any{"sub": "9", "name": "Somebody else's name", "groups": []string{"staff"}}
	s.groups(true, store.GroupRole{Group: "staff", Role: "maintainer"})
	a := s.do(nil, "POST", "/api/v1/session", map[string]string{"login": "maintainer", "password": password})
	if a.status != 403 || kind(a) != "no-passwords" || !strings.Contains(string(a.body), "the agency") {
		t.Errorf("with a password: %d %s", a.status, a.body)
	}
	other := s.browser()
	if other.visit("/sign-in/start", nil); other.who().Login != "maintainer" {
		t.Errorf("by the provider: %+v", other.who())
	}
	// Nobody takes an identity of another.
	p.who = map[string]any{"sub": "10", "name": "N", "groups": []string{"staff"}}
	third := s.browser()
	third.visit("/sign-in/start", nil)
	p.who = map[string]any{"sub": "9"}
	if at := third.add("/people/x"); at != "/people/x?refused=provider-taken" {
		t.Errorf("another's identity: %s", at)
	}
	a = s.do(nil, "GET", "/api/v1/session", nil)
	if said := string(a.body); !strings.Contains(said, `"passwords":false`) || !strings.Contains(said, `"provider":"the agency"`) {
		t.Errorf("%s", a.body)
	}
}

// TestLastKeeperStays has the provider take the role from the only keeper.
func TestLastKeeperStays(t *testing.T) {
	t.Parallel()
	s, p := withProvider(t)
	b := s.browser()
	if _, err := b.Post(s.http.URL+"/api/v1/session", "application/json", strings.NewReader(`{"login":"keeper","password":"`+password+`"}`)); err != nil {
		t.Fatal(err)
	}
	b.add("/")
	s.groups(false, store.GroupRole{Group: "staff", Role: "technician"})
	p.who = map[string]any{"sub": "1", "groups": []string{"staff"}}
	again := s.browser()
	if again.visit("/sign-in/start", nil); again.who().Role != "keeper" {
		t.Errorf("%+v", again.who())
	}
}

func TestPasswordLink(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper, old := s.signIn("keeper"), s.signIn("technician")
	person := get[struct{ Person id }](s, old, "/api/v1/session").Person
	type made struct{ Path string }
	first := decode[made](s, s.do(keeper, "POST", "/api/v1/people/"+person.ID+"/password-link", nil), 201)
	second := decode[made](s, s.do(keeper, "POST", "/api/v1/people/"+person.ID+"/password-link", nil), 201)
	token := func(m made) string { _, t, _ := strings.Cut(m.Path, "#"); return t }
	if a := s.do(nil, "POST", "/api/v1/password-link", map[string]string{"token": token(first)}); a.status != 404 {
		t.Errorf("a link that was replaced: %d", a.status)
	}
	if a := s.do(nil, "POST", "/api/v1/password-link", map[string]string{"token": token(second)}); !strings.Contains(string(a.body), `"login":"technician"`) {
		t.Errorf("whose: %s", a.body)
	}
	use := func(password string) answer {
		return s.do(nil, "POST", "/api/v1/password-link/use", map[string]string{"token": token(second), "password": password})
	}
	if a := use("aaaaaaaaaaaaaa"); a.status != 422 {
		t.Errorf("a poor password: %d %s", a.status, a.body)
	}
	if a := use("an other and long one"); a.status != 200 || a.header.Get("Set-Cookie") == "" {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := use("an other and long one"); a.status != 404 {
		t.Errorf("used twice: %d", a.status)
	}
	if a := s.do(old, "GET", "/api/v1/tray", nil); a.status != 401 {
		t.Errorf("the old sign-in: %d", a.status)
	}
	if a := s.do(nil, "POST", "/api/v1/session", map[string]string{"login": "technician", "password": "an other and long one"}); a.status != 200 {
		t.Errorf("the new password: %d", a.status)
	}
}
