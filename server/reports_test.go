package server_test

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"roster/server"
)

// tells fills a form in as a stranger's browser does, from an address.
func (s *site) tells(to, from string, fields ...string) answer {
	s.t.Helper()
	form := url.Values{}
	for i := 0; i+1 < len(fields); i += 2 {
		form.Set(fields[i], fields[i+1])
	}
	return s.do(nil, "POST", to, []byte(form.Encode()), "application/x-www-form-urlencoded", "X-Forwarded-For", from, "Sec-Fetch-Site", "cross-site")
}

type told struct {
	All   int
	Items []struct {
		ID, State, Release, BuildName, BuildID, Words, Log, Function, Phone, Reason string
		CaptureID                                                                   string
		ByHand                                                                      bool
		Capture                                                                     *struct{ Packages int }
		Packages                                                                    []string
		Notes                                                                       []struct{ By, Words string }
	}
}

func reportSite(t *testing.T) *quiet {
	q := &quiet{site: withPeople(t, behindProxy)}
	q.technician, q.reviewer, q.maintainer, q.keeper = q.signIn("technician"), q.signIn("reviewer"), q.signIn("maintainer"), q.signIn("keeper")
	q.first = q.linked(q.technician, "1", "usesOptionalLibraries")
	q.accepted(q.technician, q.maintainer, trialEdit("com.brannock.games", q.first, "called:a", "clean"))
	q.profile = decode[id](q.site, q.do(q.maintainer, "POST", "/api/v1/profiles", quietProfile), 201).ID
	q.rules("com.brannock.suite", "com.brannock.games")
	q.publish()
	return q
}

var quietProfile = map[string]any{"maker": "brannock", "model": "lyra-5", "name": "Quiet", "purpose": ""}

const quietOne = "/r/brannock/lyra-5/quiet/1"

// TestToldFromOutside goes from a stranger's form to a ceiling that has moved, and
// back to the stranger.
func TestToldFromOutside(t *testing.T) {
	t.Parallel()
	q := reportSite(t)
	page := string(q.do(nil, "GET", quietOne, nil).body)
	if !strings.Contains(page, quietOne+".tell.html") || !strings.Contains(string(q.do(nil, "GET", quietOne+".tell.html", nil).body), `action="/tell"`) {
		t.Fatalf("%.3000s", page)
	}
	fingerprint := decode[struct {
		Items []struct{ Fingerprint string }
	}](q.site, q.do(q.technician, "GET", "/api/v1/makers/brannock/models/lyra-5/builds", nil), 200).Items[0].Fingerprint
	hostile := "It's <b>gone</b>; $(reboot) https://x.example\r\n' or 1=1 --"
	a := q.tells("/tell", "198.51.100.1", "release", quietOne, "outcome", "missing", "function", "game scores", "packages", "com.brannock.games",
		"since", "2026-01-02", "words", hostile, "fingerprint", fingerprint, "phone", "abc123",
		"log", "# roster-log/1\ndone\tremove-for-user\tcom.brannock.games\t\n")
	if a.status != 200 || !strings.Contains(string(a.body), "&lt;b&gt;gone&lt;/b&gt;; $(reboot)") || strings.Contains(string(a.body), `href="https://x`) {
		t.Fatalf("%d %.3000s", a.status, a.body)
	}
	address := regexp.MustCompile(`action="(/told/[A-Za-z0-9_-]{32})\?in=en"`).FindStringSubmatch(string(a.body))
	if address == nil || a.header.Get("Cache-Control") != "no-store" {
		t.Fatalf("%.3000s", a.body)
	}
	for who, want := range map[string]int{"technician": 403, "reviewer": 200} {
		if a := q.do(q.signIn(who), "GET", "/api/v1/reports", nil); a.status != want {
			t.Errorf("%s: %d", who, a.status)
		}
	}
	list := get[told](q.site, q.reviewer, "/api/v1/reports")
	if list.All != 1 || list.Items[0].BuildID != q.first || list.Items[0].Release != "Brannock Lyra 5: Quiet, no. 1" || !strings.HasPrefix(list.Items[0].Words, "It's <b>") {
		t.Fatalf("%+v", list)
	}
	one := "/api/v1/reports/" + list.Items[0].ID
	if a := q.do(q.reviewer, "POST", one+"/notes", map[string]string{"words": "Since the update?"}); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if page := string(q.do(nil, "GET", address[1], nil).body); !strings.Contains(page, "Since the update?") || !strings.Contains(page, "Somebody asks you") {
		t.Errorf("%.3000s", page)
	}
	if a := q.tells(address[1], "198.51.100.1", "words", "Yes."); a.status != 200 || !strings.Contains(string(a.body), "Yes.") {
		t.Errorf("%d %.300s", a.status, a.body)
	}
	type dossier struct {
		Methods []struct {
			Method  string
			Ceiling float64
			Weight  float64
		}
	}
	at := "/api/v1/packages/com.brannock.games?maker=brannock&model=lyra-5&build=" + q.first
	before := get[dossier](q.site, q.technician, at)
	trial := map[string]any{
		"packages": []string{"com.brannock.games"}, "method": "remove-for-user", "outcome": "function-lost", "function": "game-scores",
		"watchedDays": 3, "build": q.first, "reason": "Thank you.",
	}
	if a := q.do(q.reviewer, "POST", one+"/trials", trial); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if a := q.do(q.reviewer, "POST", one+"/trials", trial); a.status != 409 {
		t.Errorf("taken twice: %d", a.status)
	}
	tray := get[struct{ Items []struct{ ID string } }](q.site, q.reviewer, "/api/v1/tray")
	if len(tray.Items) != 1 {
		t.Fatalf("%+v", tray)
	}
	change := decode[id](q.site, q.do(q.reviewer, "POST", "/api/v1/changes", map[string]any{"title": "told", "edits": []string{tray.Items[0].ID}}), 201)
	if a := q.decide(q.keeper, change.ID, verdict(tray.Items[0].ID, "accepted")); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	after := get[dossier](q.site, q.technician, at)
	n := len(before.Methods) - 1
	if m := after.Methods[n]; m.Ceiling <= before.Methods[n].Ceiling {
		t.Errorf("the ceiling was %v and is %v", before.Methods[n].Ceiling, m.Ceiling)
	}
	q.until("the release's page tells of it", func() bool {
		return strings.Contains(string(q.do(nil, "GET", quietOne, nil).body), "there was trouble on 1 phone")
	})
	if page := string(q.do(nil, "GET", address[1], nil).body); !strings.Contains(page, "Taken up") || !strings.Contains(page, "Thank you.") {
		t.Errorf("%.3000s", page)
	}
}

// sends is tells with files, as a browser sends a form that has some.
func (s *site) sends(from string, fields map[string]string, files map[string]string) answer {
	s.t.Helper()
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	for name, value := range fields {
		form.WriteField(name, value)
	}
	for name, text := range files {
		part, err := form.CreateFormFile("files", name)
		if err != nil {
			s.t.Fatal(err)
		}
		io.WriteString(part, text)
	}
	form.Close()
	return s.do(nil, "POST", "/tell", b.Bytes(), form.FormDataContentType(), "X-Forwarded-For", from, "Sec-Fetch-Site", "cross-site")
}

// TestToldWithCapture: what a phone has comes along as files or as a capture's text,
// its serial number is nowhere, and a reviewer takes it in as a capture.
func TestToldWithCapture(t *testing.T) {
	t.Parallel()
	q := reportSite(t)
	const serial = "SECRETSERIAL77"
	dump := strings.NewReplacer("%[1]s", "3", "%[2]s", "usesLibraries").Replace(linkedDump)
	own := strings.NewReplacer(":user/", "3:user/", "14.1.0", "3").Replace(props) + "[ro.serialno]: [" + serial + "]\n"
	a := q.sends("198.51.100.7", map[string]string{"outcome": "not-listed", "words": "The games, please."}, map[string]string{"p.txt": own, "dumpsys.txt": dump, "": ""})
	if a.status != 200 || !strings.Contains(string(a.body), "what the phone has: 3 apps") {
		t.Fatalf("%d %.2000s", a.status, a.body)
	}
	list := get[told](q.site, q.reviewer, "/api/v1/reports")
	r := list.Items[0]
	if list.All != 1 || r.Capture == nil || r.Capture.Packages != 3 || len(r.Phone) != 24 || r.BuildID != "" {
		t.Fatalf("%+v", list)
	}
	one := "/api/v1/reports/" + r.ID
	sum := decode[struct {
		ID       string
		NewBuild bool
		Packages int
	}](q.site, q.do(q.reviewer, "POST", one+"/capture", nil), 201)
	if sum.Packages != 3 || !sum.NewBuild {
		t.Errorf("%+v", sum)
	}
	if a := q.do(q.reviewer, "POST", one+"/capture", nil); a.status != 404 {
		t.Errorf("taken in twice: %d %s", a.status, a.body)
	}
	if r := get[told](q.site, q.reviewer, "/api/v1/reports").Items[0]; r.CaptureID != sum.ID || r.BuildID == "" {
		t.Errorf("%+v", r)
	}
	kept := get[struct{ Phone, Source string }](q.site, q.technician, "/api/v1/captures/"+sum.ID)
	if kept.Phone != r.Phone || kept.Source != "file" {
		t.Errorf("%+v", kept)
	}
	// The page sends the text of a capture file, and nothing that is none is kept.
	text := `{"format":"roster-capture/1","identity":{"fingerprint":"b/p/lyra5:14/I/14.1.9:user/k","manufacturer":"Brannock","device":"lyra5"},"phone":{},"complete":true,
		"packages":[{"name":"com.brannock.games","system":true,"installed":true,"enabled":"default"}],"reports":[]}`
	tell := func(capture string) answer {
		return q.do(nil, "POST", "/api/v1/reports", map[string]any{"outcome": "worked", "release": quietOne, "byHand": true, "phone": "abc", "capture": capture}, "X-Forwarded-For", "198.51.100.8")
	}
	for what, bad := range map[string]string{"no capture": "hello", "a hostile name": strings.Replace(text, "com.brannock.games", "com.x;reboot", 1), "no package": strings.Replace(text, `{"name":"com.brannock.games","system":true,"installed":true,"enabled":"default"}`, "", 1)} {
		if a := tell(bad); a.status != 422 || !strings.Contains(string(a.body), "what the phone has") {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	if a := tell(text); a.status != 201 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	list = get[told](q.site, q.reviewer, "/api/v1/reports")
	second := list.Items[1]
	if list.All != 2 || !second.ByHand || second.Phone != "abc" || second.Capture.Packages != 1 {
		t.Fatalf("%+v", list)
	}
	// Put away, it goes with the report.
	if a := q.do(q.reviewer, "POST", "/api/v1/reports/"+second.ID+"/put-away", map[string]string{"reason": "Thanks."}); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := q.do(q.reviewer, "POST", "/api/v1/reports/"+second.ID+"/capture", nil); a.status != 404 {
		t.Errorf("%d %s", a.status, a.body)
	}
}

// TestToldBadly: what can't be taken is told with words, and nothing is kept of it.
func TestToldBadly(t *testing.T) {
	t.Parallel()
	q := reportSite(t)
	for what, c := range map[string]struct {
		fields []string
		status int
		words  string
	}{
		"no outcome":       {[]string{"outcome", ""}, 422, "say what happened"},
		"no such release":  {[]string{"outcome", "worked", "release", "/r/a/b/c"}, 422, "there is none at"},
		"an API address":   {[]string{"outcome", "worked", "release", "/api/v1/people"}, 422, "there is none at"},
		"a hostile name":   {[]string{"outcome", "broken", "packages", "com.x;reboot"}, 422, "packages:"},
		"no day":           {[]string{"outcome", "broken", "since", "9999-12-31"}, 422, "since:"},
		"a serial number":  {[]string{"outcome", "broken", "phone", "BRNLY5A0417"}, 422, "no hash"},
		"a long text":      {[]string{"outcome", "broken", "words", strings.Repeat("x", 5000)}, 422, "at most"},
		"megabytes":        {[]string{"outcome", "broken", "words", strings.Repeat("x", 10<<20)}, 413, "too much"},
		"a wrong firmware": {[]string{"outcome", "broken", "fingerprint", "a b"}, 422, "fingerprint:"},
	} {
		// Each from an address of its own: tries count, too.
		a := q.tells("/tell", fmt.Sprintf("198.51.100.%d", len(what)), c.fields...)
		if a.status != c.status || !strings.Contains(string(a.body), c.words) {
			t.Errorf("%s: %d %.600s", what, a.status, a.body)
		}
	}
	if list := get[told](q.site, q.reviewer, "/api/v1/reports"); list.All != 0 {
		t.Errorf("%+v", list)
	}
	for i := range 6 {
		a := q.tells("/tell", "203.0.113.9", "outcome", "worked", "release", quietOne)
		if want := map[bool]int{true: 200, false: 429}[i < 5]; a.status != want {
			t.Errorf("report %d of one address: %d", i+1, a.status)
		}
	}
	if a := q.do(nil, "GET", "/told/nothing", nil); a.status != 404 {
		t.Errorf("%d", a.status)
	}
	list := get[told](q.site, q.reviewer, "/api/v1/reports")
	if a := q.do(q.reviewer, "POST", "/api/v1/reports/"+list.Items[0].ID+"/put-away", map[string]string{"reason": "It says nothing."}); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if ended := get[told](q.site, q.reviewer, "/api/v1/reports?show=ended"); ended.All != 1 || ended.Items[0].Reason != "It says nothing." {
		t.Errorf("%+v", ended)
	}
}

// TestNoReports: an installation that wants none has nothing to tell with.
func TestNoReports(t *testing.T) {
	t.Parallel()
	s := withPeople(t, func(c *server.Config) { c.NoReports = true })
	for method, path := range map[string]string{"GET": "/tell", "POST": "/api/v1/reports"} {
		if a := s.do(nil, method, path, map[string]string{"outcome": "worked"}); method == "POST" && a.status != 404 || strings.Contains(string(a.body), "<form") {
			t.Errorf("%s %s: %d %.200s", method, path, a.status, a.body)
		}
	}
}

// TestPagesInLanguages: a browser's wish is followed once, a choice for good, and
// every page leads to itself in the other languages.
func TestPagesInLanguages(t *testing.T) {
	t.Parallel()
	q := reportSite(t)
	ask := func(path string, headers ...string) (to, body string) {
		r, err := http.NewRequest("GET", q.http.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		a, err := http.DefaultTransport.RoundTrip(r)
		if err != nil {
			t.Fatal(err)
		}
		defer a.Body.Close()
		raw, err := io.ReadAll(a.Body)
		if err != nil {
			t.Fatal(err)
		}
		return a.Header.Get("Location"), string(raw)
	}
	for range 2 { // the second time it is ready
		for wish, want := range map[string]string{
			"de-AT,de;q=0.9,en;q=0.5": "/de" + quietOne, "zh-CN": "/zh" + quietOne, "ar-EG": "/ar" + quietOne,
			"en-GB,de;q=0.9": "", "fi": "", "": "", "nonsense;;": "",
		} {
			if to, _ := ask(quietOne, "Accept-Language", wish); to != want {
				t.Errorf("%q leads to %q, want %q", wish, to, want)
			}
		}
	}
	for what, to := range map[string][]string{
		"chosen": {quietOne + "?in=en"}, "a script": {quietOne + ".sh"},
		"from a page of ours": {quietOne, "Referer", q.http.URL + "/r"},
	} {
		if to, _ := ask(to[0], append(to[1:], "Accept-Language", "de")...); to != "" {
			t.Errorf("%s: it leads to %s", what, to)
		}
	}
	_, page := ask("/ar" + quietOne)
	for _, want := range []string{
		`lang="ar" dir="rtl"`, `hreflang="en" href="`, quietOne + `?in=en"`, `hreflang="de"`,
		`href="/ar/r/brannock"`, `href="/ar` + quietOne + `.sh"`, `href="` + quietOne + `.json"`,
	} {
		if !strings.Contains(page, want) {
			t.Errorf("the page in Arabic has no %s: %.3000s", want, page)
		}
	}
	for _, path := range []string{"/de/keys.json", "/de" + quietOne + ".json", "/xx/r", "/en/r"} {
		if _, page := ask(path); strings.Contains(page, "Quiet") {
			t.Errorf("%s: %.300s", path, page)
		}
	}
	for path, words := range map[string]string{
		"/de/keys": "In Gebrauch", "/de/coverage": "Wo ein weiteres Telefon", "/de/coverage/brannock": "Was von Brannock bekannt ist",
		"/de" + quietOne + ".sh": "Nichts wurde getan", "/de" + quietOne + ".ps1": "Nichts wurde getan", quietOne + ".sh": "Nothing was done",
		"/de/r/nobody": "An dieser Adresse ist nichts",
	} {
		if _, page := ask(path); !strings.Contains(page, words) {
			t.Errorf("%s does not say %q: %.3000s", path, words, page)
		}
	}
}

// TestManyLargeReports: large reports that stand still hold up no small ones, and are
// bounded before anything of them is read.
func TestManyLargeReports(t *testing.T) {
	t.Parallel()
	q := reportSite(t)
	address := strings.TrimPrefix(q.http.URL, "http://")
	for range 8 {
		c, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		fmt.Fprintf(c, "POST /api/v1/reports HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\n"+
			"Content-Length: 300000\r\nExpect: 100-continue\r\n\r\n", address)
		// A server says so when it begins to read the body.
		if line, err := bufio.NewReader(c).ReadString('\n'); err != nil || !strings.Contains(line, " 100 ") {
			t.Fatal(line, err)
		}
	}
	large := map[string]any{"outcome": "worked", "release": quietOne, "words": strings.Repeat("x", 300<<10)}
	if a := q.do(nil, "POST", "/api/v1/reports", large); a.status != 503 || !strings.Contains(string(a.body), "send it again in a moment") {
		t.Errorf("%d %s", a.status, a.body)
	}
	small := map[string]any{"outcome": "worked", "release": quietOne}
	if a := q.do(nil, "POST", "/api/v1/reports", small); a.status != 201 {
		t.Errorf("%d %s", a.status, a.body)
	}
}
