package server_test

import (
	"bytes"
	"compress/gzip"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
)

// linkedProps are a phone whose dump tells what rests on what.
const linkedDump = `Packages:
  Package [com.brannock.suite] (a1):
    userId=10001
    codePath=/product/app/Suite
    versionCode=1 minSdk=30 targetSdk=34
    versionName=%[1]s
    dynamic libraries:
      com.brannock.api
    User 0: installed=true hidden=false suspended=false stopped=false notLaunched=false enabled=0 instant=false
  Package [com.brannock.reader] (a2):
    userId=10002
    codePath=/product/app/Reader
    versionCode=1 minSdk=30 targetSdk=34
    versionName=%[1]s
    %[2]s:
      com.brannock.api
    User 0: installed=true hidden=false suspended=false stopped=false notLaunched=false enabled=0 instant=false
  Package [com.brannock.games] (a3):
    userId=10003
    codePath=/product/app/Games
    versionCode=1 minSdk=30 targetSdk=34
    versionName=%[1]s
    User 0: installed=true hidden=false suspended=false stopped=false notLaunched=false enabled=0 instant=false
`

// linked uploads a phone's dump, with a version of its own.
func (s *site) linked(cookie *http.Cookie, version, uses string) string {
	s.t.Helper()
	dump := strings.NewReplacer("%[1]s", version, "%[2]s", uses).Replace(linkedDump)
	p := strings.NewReplacer(":user/", version+":user/", "[2026-", "[2027-").Replace(props)
	a := s.upload(cookie, map[string]string{"p.txt": strings.Replace(p, "14.1.0", version, 1), "dumpsys.txt": dump})
	return decode[struct{ BuildID string }](s, a, 201).BuildID
}

type aroundBody struct {
	Build *struct{ ID string }
	On    []struct{ On string }
	From  []struct {
		From, Kind, Strength string
		Lines                []string
	}
	Consequences []struct {
		Code, Severity string
		Packages, Stay []string
	}
	News         []struct{ Gained, Lost []any }
	NotInstalled []string
	RolesUnknown bool
}

// TestImpact asks what rests on what over the API.
func TestImpact(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician := s.signIn("technician")
	build := s.linked(technician, "1", "usesLibraries")
	scope := "?maker=brannock&model=lyra-5"
	got := decode[aroundBody](s, s.do(technician, "GET", "/api/v1/packages/com.brannock.suite/impact"+scope, nil), 200)
	if got.Build == nil || got.Build.ID != build || len(got.From) != 1 || got.From[0].From != "com.brannock.reader" || got.From[0].Strength != "hard" || !slices.Contains(got.From[0].Lines, "Package [com.brannock.reader] usesLibraries: com.brannock.api") {
		t.Errorf("%+v", got)
	}
	if len(got.Consequences) == 0 || got.Consequences[0].Code != "link-broken" || !got.RolesUnknown || len(got.News) != 0 {
		t.Errorf("%+v", got)
	}
	if a := s.do(technician, "GET", "/api/v1/packages/no.such.thing/impact", nil); a.status != 404 {
		t.Errorf("a package that nobody knows: %d", a.status)
	}
	ask := func(method string, packages ...string) aroundBody {
		t.Helper()
		return decode[aroundBody](s, s.do(technician, "POST", "/api/v1/consequences"+scope, map[string]any{"packages": packages, "method": method}), 200)
	}
	if got := ask("remove-for-user", "com.brannock.suite", "com.brannock.reader", "no.such.thing", "$(reboot)"); len(got.NotInstalled) != 2 || slices.ContainsFunc(got.Consequences, func(c struct {
		Code, Severity string
		Packages, Stay []string
	}) bool {
		return c.Severity == "stops"
	}) {
		t.Errorf("both together: %+v", got)
	}
	if got := ask("disable", "no.such.thing"); got.Build != nil || len(got.Consequences) != 0 {
		t.Errorf("what is nowhere: %+v", got)
	}
	if a := s.do(technician, "POST", "/api/v1/consequences", map[string]any{"packages": []string{}, "method": "disable"}); a.status != 422 {
		t.Errorf("nothing: %d", a.status)
	}
	// The next firmware needs it no more.
	next := s.linked(technician, "2", "usesOptionalLibraries")
	got = decode[aroundBody](s, s.do(technician, "GET", "/api/v1/packages/com.brannock.suite/impact"+scope, nil), 200)
	if got.Build.ID != next || got.From[0].Strength != "soft" || len(got.News) != 1 {
		t.Errorf("%+v", got)
	}
	d := decode[struct{ Gained, Lost []struct{ From, On string } }](s, s.do(technician, "GET", "/api/v1/builds/"+next+"/links/since/"+build, nil), 200)
	if len(d.Gained) != 1 || len(d.Lost) != 1 || d.Lost[0].On != "com.brannock.suite" {
		t.Errorf("%+v", d)
	}
	if a := s.do(technician, "GET", "/api/v1/builds/"+next+"/links/since/01a20a1b-8bba-7502-b915-7c4613f015b8", nil); a.status != 404 {
		t.Errorf("since a build that is not there: %d", a.status)
	}
	// Two firmwares, and nobody has tried anything: a profile says so.
	maintainer := s.signIn("maintainer")
	made := decode[id](s, s.do(maintainer, "POST", "/api/v1/profiles", map[string]any{"maker": "brannock", "model": "lyra-5", "name": "E", "purpose": ""}), 201)
	p := decode[struct {
		Composition struct {
			Stops  []string
			Builds []struct{ Proof string }
		}
	}](s, s.do(technician, "GET", "/api/v1/profiles/"+made.ID, nil), 200)
	if len(p.Composition.Stops) != 1 || !strings.Contains(p.Composition.Stops[0], "nobody has tried") || len(p.Composition.Builds) != 2 || p.Composition.Builds[0].Proof != "not-known" {
		t.Errorf("%+v", p)
	}
	if a := s.do(maintainer, "POST", "/api/v1/profiles/"+made.ID+"/publications", map[string]any{"changes": []string{"x"}, "words": ""}, "If-Match", `"1"`); a.status != 409 || kind(a) != "unpublishable" {
		t.Errorf("%d %s", a.status, a.body)
	}
	adopted := decode[struct{ Carries, Absent []string }](s, s.do(maintainer, "GET", "/api/v1/profiles/"+made.ID+"/adopted"+scope, nil), 200)
	if len(adopted.Carries)+len(adopted.Absent) != 0 {
		t.Errorf("%+v", adopted)
	}
}

// TestPublicFiles asks for public files as caches, old programs and strangers
// do.
func TestPublicFiles(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	for path, status := range map[string]int{"/r": 200, "/r/": 200, "/r.json": 200, "/feed.atom": 200, "/keys": 200, "/keys.json": 200, "/schema/release.json": 200, "/minisign.pub": 404, "/keys/x": 404,
		"/r/nobody": 404, "/r/nobody/nothing": 404, "/r/a/b/c": 404, "/r/a/b/c/1.sh": 404, "/r/a/b/c/1.exe": 404, "/r/%2e%2e/x": 404} {
		a := s.do(nil, "GET", path, nil)
		if a.status != status {
			t.Errorf("%s: %d", path, a.status)
		}
		if cached := a.header.Get("Cache-Control"); status == 404 && cached != "no-store" || status == 200 && cached != "public, no-cache" {
			t.Errorf("%s may be kept: %q", path, cached)
		}
		if a.header.Get("X-Content-Type-Options") != "nosniff" || a.header.Get("Set-Cookie") != "" {
			t.Errorf("%s: %v", path, a.header)
		}
	}
	plain := s.do(nil, "GET", "/r", nil, "Accept-Encoding", "identity")
	if a := s.do(nil, "GET", "/r", nil, "If-None-Match", plain.header.Get("ETag"), "Accept-Encoding", "identity"); a.status != 304 || len(a.body) != 0 || a.header.Get("ETag") != plain.header.Get("ETag") {
		t.Errorf("%d, %v", a.status, a.header)
	}
	packed := s.do(nil, "GET", "/r", nil, "Accept-Encoding", "gzip")
	r, err := gzip.NewReader(bytes.NewReader(packed.body))
	if err != nil {
		t.Fatal(err)
	}
	raw, err := io.ReadAll(r)
	if err != nil || !bytes.Equal(raw, plain.body) || packed.header.Get("ETag") == plain.header.Get("ETag") || packed.header.Get("Vary") != "Accept-Encoding, Accept-Language" {
		t.Errorf("compressed it is something else: %v, %v", err, packed.header)
	}
	if a := s.do(nil, "HEAD", "/r", nil); a.status != 200 || len(a.body) != 0 {
		t.Errorf("HEAD: %d", a.status)
	}
	if a := s.do(nil, "POST", "/r", nil); a.status != 405 && a.status != 404 {
		t.Errorf("POST: %d", a.status)
	}
}
