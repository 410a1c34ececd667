package server_test

import (
	"encoding/csv"
	"encoding/xml"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"
)

// line is one of a Desk, as the API tells it.
type line struct {
	Key, Kind, Text, To, Why, HandedBy, Words string
	Points                                    float64
	Until                                     *time.Time
}

type deskAnswer struct{ Items, Away []line }

// on reads somebody's Desk: the lines of a kind.
func (s *site) on(cookie *http.Cookie, kind string) (found []line) {
	s.t.Helper()
	for _, l := range get[deskAnswer](s, cookie, "/api/v1/desk").Items {
		if l.Kind == kind {
			found = append(found, l)
		}
	}
	return found
}

// held is a release on a build, as the API tells it.
type held struct {
	Release  struct{ ID, EditionName string }
	Profile  string
	Revision int
	Hold     struct {
		State, Words, Lifted, LiftedBy string
		StoppedAt                      *time.Time
		Findings                       []struct{ State, Why string }
	}
	Redraft *struct {
		Drops   []struct{ Package, Why string }
		Adds    []struct{ Package string }
		Changes []string
	}
	Plan   []struct{ Packages []string }
	Wanted *struct{ ID string }
}

// quiet publishes a release that takes the suite off the first firmware, on
// which nothing needs it, and then captures one on which the reader does.
type quiet struct {
	*site
	technician, reviewer, maintainer, keeper *http.Cookie
	first, second, profile, release          string
}

func withQuiet(t *testing.T, settings ...setting) *quiet {
	s := withPeople(t, settings...)
	q := &quiet{site: s, technician: s.signIn("technician"), reviewer: s.signIn("reviewer"), maintainer: s.signIn("maintainer"), keeper: s.signIn("keeper")}
	q.first = s.linked(q.technician, "1", "usesOptionalLibraries")
	q.accepted(q.technician, q.reviewer, trialEdit("com.brannock.suite", q.first, "called:a", "clean"), trialEdit("com.brannock.games", q.first, "called:a", "clean"))
	q.profile = decode[id](s, s.do(q.maintainer, "POST", "/api/v1/profiles", map[string]any{"maker": "brannock", "model": "lyra-5", "name": "Quiet", "purpose": ""}), 201).ID
	q.rules("com.brannock.suite", "com.brannock.games")
	q.publish()
	q.second = s.linked(q.technician, "2", "usesLibraries")
	return q
}

// rules pins packages, so that they go.
func (q *quiet) rules(goes ...string) {
	q.t.Helper()
	p := decode[struct{ Rules map[string]any }](q.site, q.do(q.maintainer, "GET", "/api/v1/profiles/"+q.profile, nil), 200)
	pins := []any{}
	for _, g := range goes {
		pins = append(pins, map[string]any{"package": g, "goes": true, "reason": "asked for"})
	}
	p.Rules["pins"] = pins
	if a := q.do(q.maintainer, "PUT", "/api/v1/profiles/"+q.profile+"/rules", map[string]any{"purpose": "", "rules": p.Rules}, "If-Match", q.etag()); a.status/100 != 2 {
		q.t.Fatalf("%d %s", a.status, a.body)
	}
}

func (q *quiet) etag() string {
	return q.do(q.maintainer, "GET", "/api/v1/profiles/"+q.profile, nil).header.Get("ETag")
}

// publish makes the profile's next release, by two people.
func (q *quiet) publish() {
	q.t.Helper()
	asked := decode[id](q.site, q.do(q.maintainer, "POST", "/api/v1/profiles/"+q.profile+"/publications", map[string]any{"changes": []string{"New."}, "words": ""}, "If-Match", q.etag()), 201)
	if a := q.do(q.keeper, "POST", "/api/v1/publications/"+asked.ID+"/decision", map[string]any{"verdict": "published"}); a.status != 200 {
		q.t.Fatalf("%d %s", a.status, a.body)
	}
	for _, r := range get[items[struct{ ID, State string }]](q.site, q.keeper, "/api/v1/releases").Items {
		if r.State == "current" {
			q.release = r.ID
		}
	}
}

func (q *quiet) hold(release, build string) held {
	q.t.Helper()
	return get[held](q.site, q.technician, "/api/v1/releases/"+release+"/builds/"+build)
}

// TestNotFor follows a release that would stop something on a new firmware:
// told to everybody, refused by its scripts, lifted, and made anew.
func TestNotFor(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	h := q.hold(q.release, q.second)
	if h.Hold.State != "stops" || h.Hold.StoppedAt == nil || !strings.Contains(h.Hold.Findings[0].Why, "com.brannock.reader uses its library com.brannock.api") || h.Redraft == nil {
		t.Fatalf("%+v", h)
	}
	said := func(path string) bool {
		t.Helper()
		a := q.do(nil, "GET", path, nil)
		if a.status != 200 {
			t.Fatalf("%s: %d %s", path, a.status, a.body)
		}
		return strings.Contains(string(a.body), "com.brannock.reader uses its library")
	}
	const at = "/r/brannock/lyra-5/quiet"
	for _, path := range []string{at, at + ".status.json", "/r.json", "/feed.atom", at + ".sh", at + ".ps1"} {
		if !said(path) {
			t.Errorf("%s does not say for which firmware it is not", path)
		}
	}
	if l := q.on(q.maintainer, "release-stops"); len(l) != 1 || !strings.HasPrefix(l[0].To, "/builds/releases/"+q.release+"/"+q.second) || len(q.on(q.reviewer, "release-stops")) != 0 {
		t.Errorf("%+v", l)
	}
	listed := get[items[struct {
		NotFor []struct{ BuildID, Version, Why string }
	}]](q.site, q.technician, "/api/v1/releases")
	if n := listed.Items[0].NotFor; len(n) != 1 || n[0].BuildID != q.second || n[0].Version != "22" {
		t.Errorf("%+v", listed)
	}
	// Nobody but who publishes lifts it, and not without a reason.
	lift := "/api/v1/releases/" + q.release + "/builds/" + q.second + "/lift"
	for _, c := range []struct {
		who    *http.Cookie
		why    string
		status int
	}{{q.reviewer, "x", 403}, {q.maintainer, "", 422}, {q.maintainer, "   ", 422}} {
		if a := q.do(c.who, "POST", lift, map[string]string{"why": c.why}); a.status != c.status {
			t.Errorf("lifted with %q: %d %s", c.why, a.status, a.body)
		}
	}
	if a := q.do(q.maintainer, "POST", "/api/v1/releases/"+q.release+"/builds/"+q.first+"/lift", map[string]string{"why": "x"}); a.status != 409 {
		t.Errorf("lifted where nothing stops: %d", a.status)
	}
	if a := q.do(q.maintainer, "POST", lift, map[string]string{"why": "Nobody reads on these."}); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if h := q.hold(q.release, q.second); h.Hold.StoppedAt != nil || h.Hold.Lifted != "Nobody reads on these." || h.Hold.LiftedBy != "the maintainer" || said(at) || said(at+".sh") {
		t.Errorf("after lifting: %+v", h.Hold)
	}
	if a := q.do(q.technician, "GET", "/api/v1/releases/"+q.first+"/builds/"+q.second, nil); a.status != 404 {
		t.Errorf("a release that is not there: %d", a.status)
	}
}

// TestRedraft makes the next release out of what a firmware changed.
func TestRedraft(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	h := q.hold(q.release, q.second)
	if len(h.Redraft.Drops) != 1 || h.Redraft.Drops[0].Package != "com.brannock.suite" || h.Revision == 0 {
		t.Fatalf("%+v", h.Redraft)
	}
	path := "/api/v1/releases/" + q.release + "/builds/" + q.second + "/draft"
	for what, c := range map[string]struct {
		who    *http.Cookie
		etag   string
		status int
	}{"a reviewer": {q.reviewer, q.etag(), 403}, "what is no longer so": {q.maintainer, `"99"`, 412}, "no revision": {q.maintainer, "", 422}} {
		var headers []string
		if c.etag != "" {
			headers = []string{"If-Match", c.etag}
		}
		if a := q.do(c.who, "POST", path, map[string]any{"want": true}, headers...); a.status != c.status {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	// Drawn anew, the suite stays; the games are what has to be tried there.
	made := decode[struct{ Profile, Wanted string }](q.site, q.do(q.maintainer, "POST", path, map[string]any{"want": true}, "If-Match", q.etag()), 200)
	if made.Profile != q.profile {
		t.Errorf("%+v", made)
	}
	p := get[struct {
		Composition struct {
			Rows []struct {
				Package string
				Goes    bool
			}
		}
	}](q.site, q.technician, "/api/v1/profiles/"+q.profile)
	for _, row := range p.Composition.Rows {
		if row.Goes != (row.Package == "com.brannock.games") {
			t.Errorf("%+v", row)
		}
	}
	w := get[struct {
		Packages, Left []string
		AskedBy        string
	}](q.site, q.technician, "/api/v1/wanted/"+made.Wanted)
	if w.AskedBy != "the maintainer" || len(w.Left) != len(w.Packages) || len(w.Packages) == 0 {
		t.Errorf("%+v", w)
	}
	if l := q.on(q.technician, "trials-wanted"); len(l) != 1 || !strings.HasPrefix(l[0].To, "/builds/wanted/"+made.Wanted) {
		t.Errorf("%+v", l)
	}
	if a := q.do(q.technician, "DELETE", "/api/v1/wanted/"+made.Wanted, nil); a.status != 403 {
		t.Errorf("closed by a technician: %d", a.status)
	}
	if a := q.do(q.maintainer, "DELETE", "/api/v1/wanted/"+made.Wanted, nil); a.status != 204 || len(q.on(q.technician, "trials-wanted")) != 0 {
		t.Errorf("%d", a.status)
	}
}

func TestComparison(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	const at = "/api/v1/comparison"
	ask := "?from=build:" + q.first + "&to=build:" + q.second
	type differing struct {
		Lane, Name string
		Means      []struct{ Code, Words string }
		Taken      []struct{ Edition string }
	}
	c := get[struct {
		From, To struct{ Version string }
		Packages []differing
		Same     int
	}](q.site, q.technician, at+ask)
	i := slices.IndexFunc(c.Packages, func(p differing) bool { return p.Name == "com.brannock.suite" })
	if c.From.Version != "11" || c.To.Version != "22" || i < 0 || c.Packages[i].Lane != "changed" || len(c.Packages[i].Taken) != 1 || len(c.Packages[i].Means) == 0 || c.Packages[i].Means[0].Code != "would-stop" {
		t.Errorf("%+v", c)
	}
	a := q.do(q.technician, "GET", at+"/export"+ask, nil)
	rows, err := csv.NewReader(strings.NewReader(string(a.body))).ReadAll()
	if err != nil || len(rows) != len(c.Packages)+1 || !strings.HasPrefix(a.header.Get("Content-Type"), "text/csv") || !strings.Contains(a.header.Get("Content-Disposition"), "attachment") {
		t.Errorf("%v %q %v", err, a.body, a.header)
	}
	for query, status := range map[string]int{"": 422, "?from=build:x&to=build:" + q.first: 422, "?from=phone:" + q.first + "&to=build:" + q.first: 422,
		"?from=build:01a20a1b-8bba-7502-b915-7c4613f015b8&to=build:" + q.first: 404, "?from=capture:" + q.first + "&to=build:" + q.first: 404} {
		if a := q.do(q.technician, "GET", at+query, nil); a.status != status {
			t.Errorf("%q: %d %s", query, a.status, a.body)
		}
	}
	line := get[struct {
		Builds []struct {
			ID, Version string
			Arrival     *struct{ SinceID, Words string }
		}
		Releases []struct {
			Holds []struct{ BuildID, State string }
		}
	}](q.site, q.technician, "/api/v1/makers/brannock/models/lyra-5/timeline")
	if len(line.Builds) != 2 || line.Builds[1].Arrival == nil || line.Builds[1].Arrival.SinceID != q.first || line.Builds[1].Arrival.Words == "" || len(line.Releases) != 1 || len(line.Releases[0].Holds) != 2 {
		t.Errorf("%+v", line)
	}
	steps := get[items[struct{ Version, Lane string }]](q.site, q.technician, "/api/v1/packages/com.brannock.reader/over-time?maker=brannock&model=lyra-5")
	if len(steps.Items) == 0 || steps.Items[0].Version != "22" {
		t.Errorf("%+v", steps)
	}
	if a := q.do(q.technician, "GET", "/api/v1/builds/"+q.second+"/carried/"+q.first, nil); a.status != 200 || !strings.Contains(string(a.body), "com.brannock.suite") {
		t.Errorf("%d %s", a.status, a.body)
	}
}

// TestDeskOverHTTP puts lines off, hands them over and reads them as a feed.
func TestDeskOverHTTP(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	stops := q.on(q.maintainer, "release-stops")[0]
	post := func(path string, body any, status int) {
		t.Helper()
		if a := q.do(q.maintainer, "POST", "/api/v1/desk/"+path, body); a.status != status {
			t.Errorf("%s: %d %s", path, a.status, a.body)
		}
	}
	post("put-off", map[string]any{"key": stops.Key, "until": time.Now().Add(-time.Hour)}, 422)
	post("put-off", map[string]any{"key": "nonsense", "until": time.Now().Add(time.Hour)}, 422)
	post("put-off", map[string]any{"key": stops.Key, "until": time.Now().Add(time.Hour)}, 204)
	d := get[deskAnswer](q.site, q.maintainer, "/api/v1/desk")
	if len(q.on(q.maintainer, "release-stops")) != 0 || len(d.Away) != 1 || d.Away[0].Key != stops.Key || d.Away[0].Until == nil {
		t.Errorf("%+v", d)
	}
	post("put-off", map[string]any{"key": stops.Key}, 204)
	people := get[items[struct{ ID, Name string }]](q.site, q.keeper, "/api/v1/people").Items
	reviewer := people[slices.IndexFunc(people, func(p struct{ ID, Name string }) bool { return p.Name == "the reviewer" })].ID
	me := people[slices.IndexFunc(people, func(p struct{ ID, Name string }) bool { return p.Name == "the maintainer" })].ID
	post("hand", map[string]any{"key": stops.Key, "to": me, "words": ""}, 403)
	post("hand", map[string]any{"key": stops.Key, "to": q.first, "words": ""}, 404)
	post("hand", map[string]any{"key": stops.Key, "to": reviewer, "words": "<b>Look</b> at this."}, 204)
	if l := q.on(q.reviewer, "release-stops"); len(l) != 1 || l[0].HandedBy != "the maintainer" || l[0].Words != "<b>Look</b> at this." || len(q.on(q.maintainer, "release-stops")) != 0 {
		t.Errorf("%+v", l)
	}

	path := decode[struct{ Path string }](q.site, q.do(q.keeper, "POST", "/api/v1/news/feed", nil), 200).Path
	a := q.do(nil, "GET", strings.Replace(path, "/news/", "/desk/", 1), nil)
	var feed struct {
		Title   string `xml:"title"`
		Entries []struct {
			ID    string `xml:"id"`
			Title string `xml:"title"`
			Link  struct {
				Href string `xml:"href,attr"`
			} `xml:"link"`
		} `xml:"entry"`
	}
	lines := get[deskAnswer](q.site, q.keeper, "/api/v1/desk").Items
	if err := xml.Unmarshal(a.body, &feed); err != nil || a.status != 200 || len(feed.Entries) != len(lines) || feed.Entries[0].Title != lines[0].Text || !strings.HasSuffix(feed.Entries[0].Link.Href, lines[0].To) {
		t.Errorf("%d %v %s", a.status, err, a.body)
	}
	if again := q.do(nil, "GET", strings.Replace(path, "/news/", "/desk/", 1), nil); string(again.body) != string(a.body) {
		t.Error("the same lines are another feed")
	}
	for _, bad := range []string{"/desk/x.atom", "/desk/" + strings.Repeat("A", 43) + ".atom"} {
		if a := q.do(nil, "GET", bad, nil); a.status != 404 {
			t.Errorf("%s: %d", bad, a.status)
		}
	}
	for ending, status := range map[string]int{"": 200, "?ending=2026-03-05": 200, "?ending=yesterday": 422} {
		if a := q.do(q.technician, "GET", "/api/v1/week"+ending, nil); a.status != status {
			t.Errorf("week %s: %d", ending, a.status)
		}
	}
}

// TestCoverageIsCounted waits for what is known to be counted, and asks for it
// as strangers do.
func TestCoverageIsCounted(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	type cover struct {
		Models []struct {
			ModelName                               string
			Builds, Captured, Graded, Tried, Wanted int
		}
		Builds, Helpful []struct {
			ID                      string
			Packages, Tried, Wanted int
		}
		Of   int
		Next string
	}
	q.until("coverage is counted", func() bool {
		c := get[cover](q.site, q.technician, "/api/v1/coverage")
		return len(c.Builds) == 2 && c.Builds[0].Packages == 3 && c.Builds[0].Tried == 2 && c.Builds[1].Wanted == 2
	})
	// Of another model there is nothing yet but its firmware.
	dump := strings.NewReplacer("%[1]s", "1", "%[2]s", "usesLibraries").Replace(linkedDump)
	other := strings.NewReplacer("lyra5", "other", "Lyra 5", "Other").Replace(props)
	decode[id](q.site, q.upload(q.technician, map[string]string{"p.txt": other, "dumpsys.txt": dump}), 201)
	first := get[cover](q.site, q.technician, "/api/v1/coverage?sort=wanted&limit=1")
	if first.Of != 2 || len(first.Models) != 1 || first.Models[0].ModelName != "Lyra 5" || len(first.Builds) != 2 || first.Next == "" {
		t.Fatalf("the first page is %+v", first)
	}
	second := get[cover](q.site, q.technician, "/api/v1/coverage?sort=wanted&limit=1&cursor="+first.Next)
	if len(second.Models) != 1 || second.Models[0].ModelName != "Other" || second.Next != "" {
		t.Errorf("the second page is %+v", second)
	}
	if r := q.do(q.technician, "GET", "/api/v1/coverage?cursor=eyJv", nil); r.status != http.StatusUnprocessableEntity {
		t.Errorf("a cursor of nowhere: %d %s", r.status, r.body)
	}
	c := get[cover](q.site, q.technician, "/api/v1/coverage?maker=brannock&model=lyra-5")
	if c.Of != 1 || c.Models[0].Builds != 2 || c.Models[0].Captured != 2 || c.Models[0].Wanted != 2 || len(c.Helpful) != 2 || c.Helpful[0].ID != q.second {
		t.Errorf("%+v", c)
	}
	q.until("the public page says so", func() bool {
		page := string(q.do(nil, "GET", "/coverage", nil).body)
		return strings.Contains(page, "Lyra 5") && strings.Contains(page, "2 apps that its lists take off were never tried there")
	})
	for path, status := range map[string]int{"/coverage.json": 200, "/coverage/brannock": 200, "/coverage/brannock.json": 200, "/coverage/nobody": 404, "/coverage/%3Cb%3E": 404} {
		if a := q.do(nil, "GET", path, nil); a.status != status || strings.Contains(string(a.body), "the technician") {
			t.Errorf("%s: %d %.300s", path, a.status, a.body)
		}
	}
}
