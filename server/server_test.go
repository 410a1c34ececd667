package server_test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"roster/core/change"
	"roster/core/people"
	"roster/faults/door"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

const password = "a long password"

// cheapPasswords stores passwords for tests: what matters here is not that a
// thief would have to work.
var cheapPasswords = server.PasswordCost{Passes: 1, Memory: 8}

// site is a server with one person of each role.
type site struct {
	t      *testing.T
	server *server.Server
	http   *httptest.Server
	store  *store.Store
	// database is its address, secret the file with the installation's; both
	// only where a test needs them.
	database, secret string
}

// connections is how many a server in tests has to its database: whoever asks
// for another while holding one would wait for itself sooner or later.
const connections = 2

// serve runs a server over HTTP until the test ends.
func serve(t *testing.T, s *server.Server) *httptest.Server {
	t.Helper()
	h := httptest.NewUnstartedServer(nil)
	h.Config, h.Listener = s.HTTP(), s.Listen(h.Listener)
	h.Start()
	t.Cleanup(func() { s.Close(); h.Close() })
	return h
}

// setting changes how a site's server is set up.
type setting func(*server.Config)

func newSite(t *testing.T, databaseURL string, settings ...setting) *site {
	t.Helper()
	return newSiteOn(t, databaseURL, store.Options{}, settings...)
}

// newSiteOn is newSite with a store of one's own kind.
func newSiteOn(t *testing.T, databaseURL string, o store.Options, settings ...setting) *site {
	t.Helper()
	o.Connections = connections
	st, err := store.NewWith(t.Context(), databaseURL, o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	secret, err := server.ReadSecret(filepath.Join(t.TempDir(), "secret"))
	if err != nil {
		t.Fatal(err)
	}
	config := server.Config{Store: st, Secret: secret, Log: slog.New(slog.DiscardHandler), Version: "test", Passwords: cheapPasswords}
	for _, set := range settings {
		set(&config)
	}
	s := &site{t: t, store: st, database: databaseURL, server: server.New(config)}
	s.http = serve(t, s.server)
	return s
}

var roles = []string{"technician", "reviewer", "maintainer", "keeper"}

func withPeople(t *testing.T, settings ...setting) *site {
	t.Helper()
	return withPeopleOn(t, storetest.URL(t), settings...)
}

func withPeopleOn(t *testing.T, database string, settings ...setting) *site {
	t.Helper()
	s := newSite(t, database, settings...)
	s.addPeople()
	return s
}

// addPeople brings the database up to date and adds one of each role.
func (s *site) addPeople() {
	t := s.t
	t.Helper()
	if err := s.store.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	hash, err := cheapPasswords.Hash(password)
	if err != nil {
		t.Fatal(err)
	}
	var keeper store.Person
	for _, role := range roles {
		if keeper, err = s.store.AddPerson(t.Context(), role, "the "+role, people.Role(role), hash); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.store.SetReviewRules(t.Context(), keeper.ID, 0, change.ReviewRules{Lenient: 1, Lowering: 1, Newcomer: 1}); err != nil {
		t.Fatal(err)
	}
}

// answer is what a request came to.
type answer struct {
	status int
	header http.Header
	body   []byte
}

func (s *site) do(cookie *http.Cookie, method, path string, body any, headers ...string) answer {
	s.t.Helper()
	var reader io.Reader
	contentType := "application/json"
	switch b := body.(type) {
	case nil:
	case []byte:
		reader, contentType = bytes.NewReader(b), headers[0]
		headers = headers[1:]
	default:
		raw, err := json.Marshal(b)
		if err != nil {
			s.t.Fatal(err)
		}
		reader = bytes.NewReader(raw)
	}
	r, err := http.NewRequest(method, s.http.URL+path, reader)
	if err != nil {
		s.t.Fatal(err)
	}
	r.Header.Set("Content-Type", contentType)
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	if cookie != nil {
		r.AddCookie(cookie)
	}
	ctx, cancel := context.WithTimeout(s.t.Context(), 10*time.Minute)
	defer cancel()
	resp, err := http.DefaultClient.Do(r.WithContext(ctx))
	if err != nil {
		s.t.Fatal(err)
	}
	defer resp.Body.Close()
	a := answer{status: resp.StatusCode, header: resp.Header}
	if !strings.HasPrefix(resp.Header.Get("Content-Type"), "text/event-stream") {
		a.body, _ = io.ReadAll(resp.Body)
	}
	return a
}

func (s *site) signIn(login string) *http.Cookie {
	s.t.Helper()
	a := s.do(nil, "POST", "/api/v1/session", map[string]string{"login": login, "password": password})
	if a.status != 200 {
		s.t.Fatalf("signing in as %s: %d %s", login, a.status, a.body)
	}
	cookies, err := http.ParseSetCookie(a.header.Get("Set-Cookie"))
	if err != nil {
		s.t.Fatal(err)
	}
	return cookies
}

// degrees orders who may do what, as the vocabulary has it.
var degrees = []string{"public", "signed-in", "technician", "reviewer", "maintainer", "keeper"}

// needs says for each route who may use it: the one place where the whole is
// written down by hand. A route that is missing here fails the test.
var needs = map[string]string{
	"POST /api/v1/session/second/challenge": "public", "POST /api/v1/session/second": "public", "POST /api/v1/session/confirmation/challenge": "signed-in", "POST /api/v1/session/confirmation": "signed-in",
	"GET /api/v1/passkeys": "signed-in", "POST /api/v1/passkeys": "signed-in", "POST /api/v1/passkeys/challenge": "signed-in", "DELETE /api/v1/passkeys/:id": "signed-in", "DELETE /api/v1/people/:id/passkeys": "keeper",
	"GET /api/v1/webhooks": "keeper", "POST /api/v1/webhooks": "keeper", "DELETE /api/v1/webhooks/:id": "keeper", "GET /api/v1/webhooks/:id/deliveries": "keeper", "POST /api/v1/webhooks/:id/test": "keeper",
	"GET /api/v1/installation": "keeper", "GET /api/v1/first-start": "keeper", "POST /api/v1/first-start/starter": "keeper", "POST /api/v1/first-start/sample": "keeper", "POST /api/v1/catalogue": "keeper",
	"GET /sign-in/start": "public", "GET /sign-in/done": "public", "POST /api/v1/session/provider": "signed-in", "POST /api/v1/password-link": "public", "POST /api/v1/password-link/use": "public", "POST /api/v1/people/:id/password-link": "keeper",
	"POST /api/v1/benches/browser": "technician", "GET /api/v1/stand-ins": "public", "POST /api/v1/stand-ins/:number/hand": "public",
	"GET /offline.js": "public", "HEAD /offline.js": "public", "GET /tell": "public", "POST /tell": "public", "GET /told/:token": "public", "POST /told/:token": "public", "POST /api/v1/reports": "public",
	"GET /api/v1/reports": "reviewer", "GET /api/v1/reports/:id": "reviewer", "POST /api/v1/reports/:id/notes": "reviewer", "POST /api/v1/reports/:id/put-away": "reviewer", "POST /api/v1/reports/:id/trials": "reviewer", "POST /api/v1/reports/:id/capture": "reviewer",
	"GET /healthz": "public", "GET /readyz": "public", "GET /assets/*file": "public",
	"GET /run/:number": "public", "HEAD /run/:number": "public", "GET /r": "public", "HEAD /r": "public", "GET /r/*address": "public", "HEAD /r/*address": "public",
	"GET /schema/release.json": "public", "GET /schema/capture.json": "public", "HEAD /schema/capture.json": "public", "HEAD /schema/release.json": "public", "GET /r.json": "public", "HEAD /r.json": "public", "GET /feed.atom": "public", "HEAD /feed.atom": "public", "GET /keys": "public", "HEAD /keys": "public", "GET /keys.json": "public", "HEAD /keys.json": "public",
	"GET /keys/*key": "public", "HEAD /keys/*key": "public", "GET /minisign.pub": "public", "HEAD /minisign.pub": "public",
	"GET /api/openapi.json": "public", "GET /api/openapi.yaml": "public", "GET /api/openapi-3.0.json": "public", "GET /api/openapi-3.0.yaml": "public",
	"GET /api/v1/session": "public", "POST /api/v1/session": "public", "DELETE /api/v1/session": "signed-in",
	"GET /api/v1/makers": "technician", "GET /api/v1/makers/:maker/models": "technician", "GET /api/v1/makers/:maker/models/:model/builds": "technician",
	"GET /api/v1/builds/:id/phones": "technician", "GET /api/v1/ledger": "technician", "GET /api/v1/installation/size": "keeper", "GET /api/v1/filter": "technician", "GET /api/v1/packages/:name": "technician",
	"GET /api/v1/tray": "technician", "POST /api/v1/tray/edits": "technician", "DELETE /api/v1/tray/edits/:id": "technician", "POST /api/v1/edits/:id/reopen": "technician",
	"GET /api/v1/changes": "technician", "POST /api/v1/changes": "technician", "GET /api/v1/changes/:id": "technician",
	"POST /api/v1/changes/whole": "technician", "POST /api/v1/changes/:id/knock-on": "technician", "POST /api/v1/changes/:id/comments": "technician", "POST /api/v1/changes/:id/asked": "technician",
	"POST /api/v1/changes/:id/look": "technician", "POST /api/v1/changes/:id/revert": "technician", "POST /api/v1/tray/check": "technician", "POST /api/v1/tray/knock-on": "technician",
	"PUT /api/v1/tray/edits/:id/reason": "technician", "GET /api/v1/review-rules": "technician", "PUT /api/v1/review-rules": "keeper", "GET /api/v1/installation-rules": "signed-in", "PUT /api/v1/installation-rules": "keeper",
	"POST /api/v1/session/password": "signed-in", "GET /api/v1/sessions": "signed-in", "DELETE /api/v1/sessions": "signed-in",
	"GET /api/v1/tokens": "signed-in", "POST /api/v1/tokens": "signed-in", "DELETE /api/v1/tokens/:id": "signed-in",
	"GET /api/v1/news": "signed-in", "POST /api/v1/news/read": "signed-in", "POST /api/v1/news/feed": "signed-in", "GET /news/:key": "public",
	"GET /api/v1/people": "technician", "GET /api/v1/people/:id": "technician", "PUT /api/v1/people/:id/role": "keeper", "DELETE /api/v1/people/:id": "keeper",
	"GET /api/v1/invitations": "keeper", "POST /api/v1/invitations": "keeper", "DELETE /api/v1/invitations/:id": "keeper", "POST /api/v1/join": "public", "POST /api/v1/join/invitation": "public",
	"POST /api/v1/imports/read": "technician", "POST /api/v1/imports/preview": "technician", "POST /api/v1/imports": "technician", "GET /api/v1/catalogue": "maintainer",
	"GET /api/v1/audit": "keeper", "GET /api/v1/audit/export": "keeper", "GET /api/v1/audit/proof": "keeper",
	"POST /api/v1/changes/:id/decisions": "reviewer", "POST /api/v1/changes/:id/take-back": "technician",
	"GET /api/v1/packages/:name/impact": "technician", "GET /api/v1/builds/:id/links/since/:against": "technician", "POST /api/v1/consequences": "technician",
	"GET /api/v1/profiles": "technician", "POST /api/v1/profiles": "maintainer", "GET /api/v1/profiles/:id": "technician", "POST /api/v1/profiles/:id/composition": "technician",
	"PUT /api/v1/profiles/:id/rules": "maintainer", "GET /api/v1/profiles/:id/adopted": "technician", "GET /api/v1/profiles/:id/comparison": "technician",
	"POST /api/v1/profiles/:id/publications": "maintainer", "POST /api/v1/publications/:id/decision": "maintainer", "POST /api/v1/releases/:id/withdrawal": "maintainer",
	"GET /api/v1/releases": "technician", "GET /api/v1/keys": "technician", "POST /api/v1/keys": "keeper",
	"GET /api/v1/events": "signed-in", "GET /api/v1/benches": "technician", "GET /api/v1/benches/events": "technician", "POST /api/v1/benches": "maintainer", "DELETE /api/v1/benches/:id": "maintainer",
	"GET /api/v1/measurements": "technician", "GET /api/v1/packages/:name/uses": "technician",
	"GET /api/v1/releases/:id/gain": "technician", "GET /api/v1/makers/:maker/models/:model/gain": "technician",
	"GET /api/v1/runs": "technician", "POST /api/v1/runs": "technician", "GET /api/v1/runs/:id": "technician",
	"GET /api/v1/runs/:id/events": "technician", "GET /api/v1/runs/:id/steps/:number/met": "technician", "GET /api/v1/runs/:id/draft": "technician",
	"POST /api/v1/runs/:id/draft": "technician", "POST /api/v1/runs/:id/stop": "technician", "POST /api/v1/runs/:id/continue": "technician",
	"POST /api/v1/runs/:id/put-back": "technician", "POST /api/v1/runs/:id/look": "technician", "POST /api/v1/runs/:id/steps/:number/leave": "technician",
	"POST /api/v1/runs/:id/steps/:number/instead": "technician", "PUT /api/v1/runs/:id/checks/:number": "technician", "POST /api/v1/runs/:id/checks/:number/halving": "technician",
	"POST /api/v1/runs/:id/checks/:number/halving/answer": "technician", "POST /api/v1/rehearsals": "technician", "GET /api/v1/benches/:id/phones/:handle/fits": "technician", "POST /api/v1/benches/:id/phones/:handle/root": "technician",
	"GET /api/v1/benches/:id/phones/:handle/backups": "technician", "POST /api/v1/benches/:id/phones/:handle/backups": "technician", "POST /api/v1/backups/:id/verify": "technician", "GET /api/v1/backups": "technician", "POST /api/v1/backups/:id/keep": "technician", "DELETE /api/v1/backups/:id": "technician",
	"POST /api/v1/backups/:id/restore":  "technician",
	"POST /api/v1/link/jobs/:id/run":    "bench",
	"POST /api/v1/benches/:id/requests": "technician", "POST /api/v1/opened": "technician", "GET /api/v1/packages/:name/icon": "technician",
	"GET /api/v1/link/requests": "bench", "POST /api/v1/link/view": "bench", "POST /api/v1/link/leave": "bench", "POST /api/v1/link/jobs/:id/progress": "bench", "POST /api/v1/link/jobs/:id/capture": "bench", "POST /api/v1/link/jobs/:id/text": "bench",
	"POST /api/v1/link/jobs/:id/names": "bench", "POST /api/v1/link/jobs/:id/end": "bench", "GET /api/v1/captures/:id/intake": "technician",
	"GET /api/v1/jobs/:id": "technician", "DELETE /api/v1/jobs/:id": "technician", "GET /api/v1/jobs/:id/events": "technician",
	"GET /api/v1/ledger/export": "technician", "GET /api/v1/views": "technician", "POST /api/v1/views": "technician", "DELETE /api/v1/views/:id": "technician",
	"POST /api/v1/attachments": "technician", "GET /api/v1/attachments/:id": "technician", "POST /api/v1/prose": "technician", "POST /api/v1/trials/foreseen": "technician", "POST /api/v1/loads/foreseen": "technician",
	"GET /api/v1/yardstick": "technician", "POST /api/v1/yardstick/preview": "technician", "PUT /api/v1/yardstick": "keeper",
	"POST /api/v1/benches/:id/files": "technician", "POST /api/v1/package-files": "technician", "GET /api/v1/link/files/:id": "bench",
	"POST /api/v1/captures": "technician", "GET /api/v1/captures/:id": "technician",
	"GET /api/v1/desk": "technician", "POST /api/v1/desk/put-off": "technician", "POST /api/v1/desk/done": "technician", "POST /api/v1/desk/hand": "technician",
	"GET /api/v1/drafts": "technician", "GET /api/v1/changes/:id/draft": "reviewer", "PUT /api/v1/changes/:id/draft": "reviewer",
	"GET /api/v1/profiles/:id/draft": "maintainer", "PUT /api/v1/profiles/:id/draft": "maintainer", "DELETE /api/v1/profiles/:id/draft": "maintainer",
	"GET /api/v1/follows": "technician", "POST /api/v1/follows": "technician", "DELETE /api/v1/follows/:kind/:id": "technician", "GET /api/v1/week": "technician", "GET /desk/:key": "public",
	"GET /api/v1/makers/:maker/models/:model/timeline": "technician", "GET /api/v1/comparison": "technician", "GET /api/v1/comparison/export": "technician",
	"GET /api/v1/builds/:id/carried/:since": "technician", "GET /api/v1/coverage": "technician", "GET /coverage": "public", "HEAD /coverage": "public", "GET /coverage.json": "public", "HEAD /coverage.json": "public", "GET /coverage/:maker": "public", "HEAD /coverage/:maker": "public",
	"GET /api/v1/releases/:id/builds/:build": "technician", "POST /api/v1/releases/:id/builds/:build/lift": "maintainer", "POST /api/v1/releases/:id/builds/:build/draft": "maintainer",
	"GET /api/v1/packages/:name/over-time": "technician", "GET /api/v1/packages/:name/trials": "technician",
	"GET /api/v1/wanted/:id": "technician", "DELETE /api/v1/wanted/:id": "maintainer",
}

var parameter = regexp.MustCompile(`[:*]\w+`)

// TestRoutesByRole goes through every route of the server as every role.
func init() {
	for _, l := range []string{"de", "es", "fr", "pt", "hi", "ar", "zh"} {
		for _, path := range []string{"/r", "/r/*address", "/run/:number", "/coverage", "/coverage/:maker", "/keys"} {
			needs["GET /"+l+path], needs["HEAD /"+l+path] = "public", "public"
		}
	}
}

func TestRoutesByRole(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	routes := s.server.Routes()
	for route := range needs {
		if !slices.Contains(routes, route) {
			t.Errorf("%s is written down and not served", route)
		}
	}
	for _, role := range append([]string{""}, roles...) {
		var cookie *http.Cookie
		if role != "" {
			cookie = s.signIn(role)
		}
		for _, route := range routes {
			need, ok := needs[route]
			if !ok {
				t.Errorf("%s: nobody wrote down who may use it", route)
				continue
			}
			method, path, _ := strings.Cut(route, " ")
			path = parameter.ReplaceAllString(path, "00000000-0000-7000-8000-000000000000")
			a := s.do(cookie, method, path, nil, "If-Match", `"1"`)
			refused := a.status == http.StatusUnauthorized && role == "" || a.status == http.StatusForbidden && role != ""
			may := need == "public" || role != "" && need != "bench" && slices.Index(degrees, role) >= slices.Index(degrees, need)
			if need == "public" && method == "POST" && a.status == http.StatusUnauthorized {
				refused = false // a sign-in without a password
			}
			if refused == may {
				t.Errorf("%s as %q: %d, may use it: %v\n%s", route, role, a.status, may, a.body)
			}
			if role != "" && route == "DELETE /api/v1/session" {
				cookie = s.signIn(role)
			}
			if a.status >= 500 && a.status != 503 {
				t.Errorf("%s as %q: %d %s", route, role, a.status, a.body)
			}
		}
	}
}

func kind(a answer) string {
	var p server.Problem
	if json.Unmarshal(a.body, &p) != nil {
		return ""
	}
	return strings.TrimPrefix(p.Type, "urn:roster:problem:")
}

func (s *site) upload(cookie *http.Cookie, files map[string]string) answer {
	return s.form(cookie, "/api/v1/captures", files)
}

// form sends files as a form.
func (s *site) form(cookie *http.Cookie, to string, files map[string]string) answer {
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	for name, text := range files {
		part, err := form.CreateFormFile("files", name)
		if err != nil {
			s.t.Fatal(err)
		}
		io.WriteString(part, text)
	}
	form.Close()
	return s.do(cookie, "POST", to, b.Bytes(), form.FormDataContentType())
}

const props = "[ro.build.fingerprint]: [b/p/lyra5:14/I/14.1.0:user/k]\n[ro.product.manufacturer]: [Brannock]\n[ro.product.marketname]: [Lyra 5]\n[ro.build.version.sdk]: [34]\n"

func TestUpload(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	for what, files := range map[string]map[string]string{
		"a picture":      {"x.jpg": "\xff\xd8\xff\xe0 not text"},
		"nothing":        {"empty.txt": ""},
		"no getprop":     {"list.txt": "package:com.example.a\n"},
		"no packages":    {"props.txt": props},
		"no fingerprint": {"props.txt": "[a.b]: [c]\n", "list.txt": "package:com.example.a\n"},
		"hostile names":  {"props.txt": props, "list.txt": "package:a;reboot\npackage:$(id).b\n"},
		"two phones":     {"props.txt": props, "again.txt": strings.Replace(props, "14.1.0:user", "14.2.0:user", 1), "list.txt": "package:com.example.a\n"},
	} {
		a := s.upload(cookie, files)
		if a.status != 422 || !strings.Contains(string(a.body), "Nothing was stored") {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	if list, err := s.store.Makers(t.Context(), ""); err != nil || len(list) != 0 {
		t.Errorf("a refused upload left %v", list)
	}
	a := s.upload(cookie, map[string]string{"props.txt": props, "list.txt": "package:com.example.good\npackage:a;reboot\npackage:com.example.cut"})
	var got struct {
		Packages int
		Complete bool
		Missing  string
		Notes    []struct {
			Line int
			Why  string
		}
	}
	if err := json.Unmarshal(a.body, &got); err != nil || a.status != 201 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if got.Packages != 2 || got.Complete || !strings.Contains(got.Missing, "middle") || len(got.Notes) != 1 || got.Notes[0].Line != 2 {
		t.Errorf("%s", a.body)
	}
}

// TestHostileText sends what must come back as text or be refused, and never
// as anything else.
func TestHostileText(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	if a := s.upload(cookie, map[string]string{"p.txt": props, "l.txt": "package:com.example.good\n"}); a.status != 201 {
		t.Fatalf("%s", a.body)
	}
	edit := func(pkg, field string, value any) map[string]any {
		return map[string]any{"edits": []any{map[string]any{"package": pkg, "field": field, "scope": map[string]string{"kind": "everywhere"}, "value": value, "reason": "x"}}}
	}
	for _, name := range []string{"com.example.good'; drop table packages; --", "../../etc/passwd", "a\nb", strings.Repeat("a.", 5000)} {
		if a := s.do(cookie, "POST", "/api/v1/tray/edits", edit(name, "description", "x")); a.status != 404 && a.status != 422 {
			t.Errorf("%.30q: %d %s", name, a.status, a.body)
		}
		if a := s.do(cookie, "GET", "/api/v1/packages/"+url.PathEscape(name), nil); a.status != 404 && a.status != 422 {
			t.Errorf("%.30q: %d %s", name, a.status, a.body)
		}
	}
	const script = `<script>alert(1)</script>`
	if a := s.do(cookie, "POST", "/api/v1/tray/edits", edit("com.example.good", "description", script)); a.status != 201 {
		t.Errorf("words that look like markup are still words: %d %s", a.status, a.body)
	}
	for _, bad := range []any{map[string]string{"load": "safe"}, 7, nil} {
		body := edit("com.example.good", "trial", bad)
		if a := s.do(cookie, "POST", "/api/v1/tray/edits", body); a.status != 422 {
			t.Errorf("trial %v: %d %s", bad, a.status, a.body)
		}
	}
	if a := s.do(nil, "GET", "/r/"+url.PathEscape(script)+"/x/y", nil); a.status != 404 || strings.Contains(string(a.body), "<script>") {
		t.Errorf("%d %s", a.status, a.body)
	}
	for _, address := range []string{"/r/a/b/c/0", "/r/a/b/c/-1", "/r/a/b/c/99999999999999999999", "/r/a/b", "/r/a/b/c/1/2", "/r/a/b/c.exe"} {
		if a := s.do(nil, "GET", address, nil); a.status != 404 {
			t.Errorf("%s: %d", address, a.status)
		}
	}
}

// TestDatabaseAway starts without a database, which appears later.
func TestDatabaseAway(t *testing.T) {
	t.Parallel()
	target, err := url.Parse(storetest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	door := door.New(t)
	behind := *target
	behind.Host = door.Address
	s := newSite(t, behind.String())
	if a := s.do(nil, "GET", "/healthz", nil); a.status != 200 {
		t.Errorf("healthz: %d", a.status)
	}
	if a := s.do(nil, "GET", "/readyz", nil); a.status != 503 || kind(a) != "database-away" {
		t.Errorf("readyz: %d %s", a.status, a.body)
	}
	if a := s.do(&http.Cookie{Name: "roster_session", Value: strings.Repeat("A", 43)}, "GET", "/api/v1/tray", nil); a.status != 503 || kind(a) != "database-away" {
		t.Errorf("a request meanwhile: %d %s", a.status, a.body)
	}
	door.Open(target.Host)
	s.until("it heals by itself", func() bool { return s.do(nil, "GET", "/readyz", nil).status == 200 })
}

// TestDescription holds docs/api/openapi.json, from which the browser's client
// is made, to what the server serves.
func TestDescription(t *testing.T) {
	t.Parallel()
	now, err := server.Describe("0.1.0")
	if err != nil {
		t.Fatal(err)
	}
	written := readFile(t, "../docs/api/openapi.json")
	if strings.TrimSpace(string(now)) != strings.TrimSpace(written) {
		t.Error("docs/api/openapi.json is not what the server serves; run scripts/api")
	}
}
