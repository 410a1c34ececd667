package server_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"aead.dev/minisign"

	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// get decodes a good answer into a fresh value.
func get[T any](s *site, cookie *http.Cookie, path string) T {
	s.t.Helper()
	return decode[T](s, s.do(cookie, "GET", path, nil), 200)
}

func decode[T any](s *site, a answer, status int) T {
	s.t.Helper()
	var v T
	if a.status != status {
		s.t.Fatalf("%d instead of %d: %s", a.status, status, a.body)
	}
	if err := json.Unmarshal(a.body, &v); err != nil {
		s.t.Fatalf("%v: %s", err, a.body)
	}
	return v
}

type id struct{ ID string }

type items[T any] struct{ Items []T }

// build is a site with one captured firmware of Lyra 5.
func (s *site) captured(cookie *http.Cookie) string {
	s.t.Helper()
	list := "package:/system/app/A/A.apk=com.android.systemui\npackage:/product/app/T/T.apk=com.brannock.tips\npackage:/product/app/F/F.apk=com.brannock.feed\n"
	a := s.upload(cookie, map[string]string{"p.txt": props, "l.txt": list})
	return decode[struct{ BuildID string }](s, a, 201).BuildID
}

// packageTrials are trials as the API lists them.
type packageTrials struct {
	Trials []struct {
		Phone       string
		At          time.Time
		Tried       []string
		Attachments []string
	}
	Attachments []struct{ ID string }
	Weighed     []struct{ Method string }
}

func trialEdit(pkg, build, phone, outcome string) map[string]any {
	value := map[string]any{"build": build, "phone": phone, "method": "remove-for-user", "outcome": outcome, "persistence": "held", "recovery": "not-tried", "watchedDays": 4}
	if outcome == "function-lost" {
		value["function"] = "weather"
	}
	return map[string]any{"package": pkg, "field": "trial", "scope": map[string]string{"kind": "everywhere"}, "value": value, "reason": ""}
}

// accepted puts edits of one person through the tray, a change and a reviewer.
func (s *site) accepted(author, reviewer *http.Cookie, edits ...any) {
	s.t.Helper()
	added := decode[items[string]](s, s.do(author, "POST", "/api/v1/tray/edits", map[string]any{"edits": edits}), 201)
	change := decode[id](s, s.do(author, "POST", "/api/v1/changes", map[string]any{"title": "x", "edits": added.Items}), 201)
	var decisions []any
	for _, e := range added.Items {
		decisions = append(decisions, map[string]string{"edit": e, "verdict": "accepted"})
	}
	a := s.do(reviewer, "POST", "/api/v1/changes/"+change.ID+"/decisions", map[string]any{"decisions": decisions}, "If-Match", `"1"`)
	if a.status != 200 || a.header.Get("ETag") != `"2"` {
		s.t.Fatalf("%d %s", a.status, a.body)
	}
}

// TestFromTrialToRelease goes the whole way over the API alone.
func TestFromTrialToRelease(t *testing.T) {
	t.Parallel()
	fromTrialToRelease(withPeople(t))
}

// TestByPooler goes the same way where each transaction may have another of few
// connections.
func TestByPooler(t *testing.T) {
	t.Parallel()
	direct := storetest.URL(t)
	s := newSiteOn(t, storetest.Pooler(t, direct, connections), store.Options{Direct: direct})
	s.addPeople()
	fromTrialToRelease(s)
}

func fromTrialToRelease(s *site) {
	t := s.t
	technician, reviewer, maintainer, keeper := s.signIn("technician"), s.signIn("reviewer"), s.signIn("maintainer"), s.signIn("keeper")
	build := s.captured(technician)
	const scope = "?maker=brannock&model=lyra-5"
	for i := range 5 {
		for name, who := range map[string]*http.Cookie{"t": technician, "m": maintainer, "k": keeper} {
			s.accepted(who, reviewer, trialEdit("com.brannock.tips", build, fmt.Sprint("called:", name, i), "clean"))
		}
	}
	s.accepted(technician, reviewer, trialEdit("com.brannock.feed", build, "called:lost", "function-lost"),
		map[string]any{"package": "com.android.systemui", "field": "load", "scope": map[string]string{"kind": "everywhere"}, "value": map[string]string{"load": "load-bearing"}, "reason": "its face"},
		map[string]any{"package": "com.brannock.tips", "field": "labels", "scope": map[string]string{"kind": "everywhere"}, "value": map[string]string{"en": "Tips <b>"}, "reason": "seen"})

	type ledger struct {
		Rows []struct {
			Name, Label, Load, Standing, Strip, Presence string
			Ceiling                                      float64
			Phones, People                               int
		}
	}
	page := get[ledger](s, technician, "/api/v1/ledger"+scope)
	if len(page.Rows) != 3 {
		t.Fatalf("%+v", page)
	}
	byName := map[string]int{}
	for i, r := range page.Rows {
		byName[r.Name] = i
	}
	tips, feed, face := page.Rows[byName["com.brannock.tips"]], page.Rows[byName["com.brannock.feed"]], page.Rows[byName["com.android.systemui"]]
	if tips.Load != "loose" || tips.Phones != 15 || tips.People != 3 || tips.Label != "Tips <b>" || tips.Strip != "ccccccccccccccc" || tips.Presence != "F" {
		t.Errorf("%+v", tips)
	}
	if feed.Load != "leaned-on" || face.Load != "load-bearing" || face.Standing != "untried" {
		t.Errorf("%+v\n%+v", feed, face)
	}
	type dossier struct {
		Methods []struct {
			Method, Sentence string
			Ceiling          float64
		}
		Trials  int
		History []struct{ Field, Author, AcceptedBy string }
	}
	d := get[dossier](s, technician, "/api/v1/packages/com.brannock.tips"+scope)
	// What was removed for the user counts as evidence for disabling, too.
	if len(d.Methods) != 2 || d.Methods[0].Method != "disable" || d.Methods[1].Method != "remove-for-user" || len(d.History) != 16 {
		t.Fatalf("%+v", d)
	}
	if m := d.Methods[1]; m.Ceiling != tips.Ceiling || !strings.HasPrefix(m.Sentence, "15 phones, 3 people, none harmed: at most") {
		t.Errorf("%+v", m)
	}
	trials := get[packageTrials](s, technician, "/api/v1/packages/com.brannock.tips/trials"+scope)
	weighed := 0
	for _, w := range trials.Weighed {
		if w.Method == "remove-for-user" {
			weighed++
		}
	}
	if weighed != 15 || len(trials.Trials) != d.Trials {
		t.Errorf("%d of %d trials weigh, of %d", weighed, len(trials.Trials), d.Trials)
	}
	for _, x := range trials.Trials {
		if !regexp.MustCompile(`^[0-9a-f]{24}$`).MatchString(x.Phone) {
			t.Errorf("a phone is stored as %q", x.Phone)
		}
	}

	made := decode[id](s, s.do(maintainer, "POST", "/api/v1/profiles", map[string]string{"maker": "brannock", "model": "lyra-5", "name": "Lending desk", "purpose": "For tests."}), 201)
	if a := s.do(maintainer, "POST", "/api/v1/profiles", map[string]string{"maker": "brannock", "model": "lyra-5", "name": "Lending  Desk", "purpose": ""}); kind(a) != "taken" {
		t.Errorf("an edition twice: %d %s", a.status, a.body)
	}
	path := "/api/v1/profiles/" + made.ID
	rules := map[string]any{"method": "remove-for-user", "highestLoad": "leaned-on", "highestCeiling": 0.6, "pins": []any{}}
	composition := decode[struct {
		Goes, Cut int
		LineStops []float64
	}](s, s.do(technician, "POST", path+"/composition", rules), 200)
	if composition.Goes != 1 || len(composition.LineStops) != 3 {
		t.Errorf("%+v", composition)
	}
	put := map[string]any{"purpose": "For tests.", "rules": rules}
	if a := s.do(maintainer, "PUT", path+"/rules", put, "If-Match", `"9"`); kind(a) != "stale" || a.status != 412 {
		t.Errorf("a stale revision: %d %s", a.status, a.body)
	}
	if a := s.do(maintainer, "PUT", path+"/rules", put, "If-Match", `"1"`); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	bad := map[string]any{"purpose": "", "rules": map[string]any{"method": "remove-for-user", "highestLoad": "leaned-on", "highestCeiling": 0.6, "pins": []any{map[string]any{"package": "a;b", "goes": true, "reason": "x"}}}}
	if a := s.do(maintainer, "PUT", path+"/rules", bad, "If-Match", `"2"`); a.status != 422 {
		t.Errorf("a hostile pin: %d %s", a.status, a.body)
	}
	type released struct {
		Number int
		Path   string
	}
	asked := decode[id](s, s.do(maintainer, "POST", path+"/publications", map[string]any{"changes": []string{" First  of all. ", ""}, "words": "please"}, "If-Match", `"2"`), 201)
	if a := s.do(maintainer, "POST", "/api/v1/publications/"+asked.ID+"/decision", map[string]any{"verdict": "published"}); kind(a) != "own-change" {
		t.Errorf("published by the one who asked: %d %s", a.status, a.body)
	}
	keeper = s.signIn("keeper")
	if a := s.do(keeper, "POST", "/api/v1/publications/"+asked.ID+"/decision", map[string]any{"verdict": "returned"}); a.status != 422 {
		t.Errorf("returned without a word: %d %s", a.status, a.body)
	}
	release := decode[released](s, s.do(keeper, "POST", "/api/v1/publications/"+asked.ID+"/decision", map[string]any{"verdict": "published"}), 200)
	if release.Number != 1 || release.Path != "/r/brannock/lyra-5/lending-desk/1" {
		t.Fatalf("%+v", release)
	}
	s.checkRelease(release.Path)

	// The next one replaces it; the first stays as it was, byte by byte.
	first := s.do(nil, "GET", release.Path+".json", nil).body
	asked = decode[id](s, s.do(maintainer, "POST", path+"/publications", map[string]any{"changes": []string{"The same again."}, "words": ""}, "If-Match", `"3"`), 201)
	decode[released](s, s.do(keeper, "POST", "/api/v1/publications/"+asked.ID+"/decision", map[string]any{"verdict": "published"}), 200)
	if again := s.do(nil, "GET", release.Path+".json", nil).body; !bytes.Equal(first, again) {
		t.Error("a release has changed")
	}
	if a := s.do(nil, "GET", release.Path, nil); !strings.Contains(string(a.body), "There is a newer list.") {
		t.Error("the replaced release does not say so")
	}
	if a := s.do(nil, "GET", "/r/brannock/lyra-5/lending-desk.json", nil); !strings.Contains(string(a.body), `"number":2`) {
		t.Errorf("without a number the current one is meant: %.200s", a.body)
	}
}

// checkRelease looks at the public side of a release as a stranger.
func (s *site) checkRelease(path string) {
	t := s.t
	page := s.do(nil, "GET", path, nil)
	if page.status != 200 || strings.Contains(string(page.body), "Tips <b>") || !strings.Contains(string(page.body), "Tips &lt;b&gt;") {
		t.Errorf("%d: the label is not written as text", page.status)
	}
	document, signature := s.do(nil, "GET", path+".json", nil), s.do(nil, "GET", path+".json.minisig", nil)
	var public minisign.PublicKey
	_, key, _ := strings.Cut(string(s.do(nil, "GET", "/minisign.pub", nil).body), "\n")
	if err := public.UnmarshalText([]byte(strings.TrimSpace(key))); err != nil {
		t.Fatal(err)
	}
	if !minisign.Verify(public, document.body, signature.body) || minisign.Verify(public, append(document.body, ' '), signature.body) {
		t.Error("the signature does not hold")
	}
	if strings.Contains(string(signature.body), "\n\n") || !strings.Contains(string(signature.body), "brannock/lyra-5/lending-desk no. 1") {
		t.Errorf("%s", signature.body)
	}
	for ending, want := range map[string]string{".sh": "\nremove com.brannock.tips\n", ".undo.sh": "\nrestore com.brannock.tips\n", ".txt": "com.brannock.tips\n", ".json": `"com.brannock.tips"`} {
		a := s.do(nil, "GET", path+ending, nil)
		if a.status != 200 || !strings.Contains("\n"+string(a.body), want) || !strings.Contains(a.header.Get("Content-Disposition"), "lyra-5-lending-desk-1"+ending) {
			t.Errorf("%s: %d, %s\n%.300s", ending, a.status, a.header.Get("Content-Disposition"), a.body)
		}
		if again := s.do(nil, "GET", path+ending, nil, "If-None-Match", a.header.Get("ETag")); again.status != 304 {
			t.Errorf("%s: asked again with its tag: %d", ending, again.status)
		}
		if head := s.do(nil, "HEAD", path+ending, nil); head.status != 200 || len(head.body) != 0 {
			t.Errorf("%s: HEAD %d", ending, head.status)
		}
	}
	if a := s.do(nil, "GET", "/r", nil); !strings.Contains(string(a.body), strings.TrimSuffix(path, "/1")) {
		t.Error("the list does not lead to it")
	}
	if a := s.do(nil, "GET", "/schema/release.json", nil); a.status != 200 || !strings.Contains(a.header.Get("Content-Type"), "schema+json") {
		t.Errorf("the schema: %d %s", a.status, a.header.Get("Content-Type"))
	}
}

// TestSentOnce retries a sending, as a client does whose network failed.
func TestSentOnce(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician := s.signIn("technician")
	build := s.captured(technician)
	added := decode[items[string]](s, s.do(technician, "POST", "/api/v1/tray/edits", map[string]any{"edits": []any{trialEdit("com.brannock.tips", build, "called:x", "clean")}}), 201)
	send := func(key string) answer {
		return s.do(technician, "POST", "/api/v1/changes", map[string]any{"title": "once", "edits": added.Items}, "Idempotency-Key", key)
	}
	first, again := decode[id](s, send("a"), 201), decode[id](s, send("a"), 201)
	if first != again {
		t.Errorf("%v, then %v", first, again)
	}
	if a := send("b"); kind(a) != "taken" {
		t.Errorf("%d %s", a.status, a.body)
	}
	if list := get[items[id]](s, technician, "/api/v1/changes?mine=true"); len(list.Items) != 1 {
		t.Errorf("%d changes", len(list.Items))
	}
	if session := get[struct{ Tray int }](s, technician, "/api/v1/session"); session.Tray != 0 {
		t.Errorf("%d edits left in the tray", session.Tray)
	}
}

// TestDecisions holds what a reviewer may say.
func TestDecisions(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer := s.signIn("technician"), s.signIn("reviewer")
	build := s.captured(technician)
	added := decode[items[string]](s, s.do(technician, "POST", "/api/v1/tray/edits", map[string]any{"edits": []any{trialEdit("com.brannock.tips", build, "called:x", "clean")}}), 201)
	change := decode[id](s, s.do(technician, "POST", "/api/v1/changes", map[string]any{"title": "x", "edits": added.Items}), 201)
	decide := func(cookie *http.Cookie, edit, verdict, words, match string) answer {
		return s.do(cookie, "POST", "/api/v1/changes/"+change.ID+"/decisions", map[string]any{"decisions": []any{map[string]string{"edit": edit, "verdict": verdict, "words": words}}}, "If-Match", match)
	}
	for _, c := range []struct {
		what string
		a    answer
		want string
	}{
		{"a technician", decide(technician, added.Items[0], "accepted", "", `"1"`), "refused"},
		{"without words", decide(reviewer, added.Items[0], "returned", "", `"1"`), "bad-request"},
		{"an unknown verdict", decide(reviewer, added.Items[0], "maybe", "", `"1"`), "bad-request"},
		{"no revision", decide(reviewer, added.Items[0], "accepted", "", "x"), "bad-request"},
		{"a stale one", decide(reviewer, added.Items[0], "accepted", "", `"4"`), "stale"},
		{"another edit", decide(reviewer, change.ID, "accepted", "", `"1"`), "not-found"},
	} {
		if got := kind(c.a); got != c.want && !(c.want == "refused" && c.a.status == 403) {
			t.Errorf("%s: %d %s", c.what, c.a.status, c.a.body)
		}
	}
	if a := decide(reviewer, added.Items[0], "returned", "which phone?", `"1"`); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if a := s.do(technician, "POST", "/api/v1/edits/"+added.Items[0]+"/reopen", nil); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}
	tray := get[items[struct{ Words, Package string }]](s, technician, "/api/v1/tray")
	if len(tray.Items) != 1 || tray.Items[0].Words != "which phone?" {
		t.Errorf("%+v", tray)
	}
}

// TestSerialNumbersAreNotStored refuses a trial that names its phone by
// anything that was not hashed.
func TestSerialNumbersAreNotStored(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician := s.signIn("technician")
	build := s.captured(technician)
	for phone, want := range map[string]int{"BRNLY5A0417": 422, "0123456789abcdef0123456789": 422, "0123456789abcdef01234567": 201, "called:BRNLY5A0417": 201} {
		a := s.do(technician, "POST", "/api/v1/tray/edits", map[string]any{"edits": []any{trialEdit("com.brannock.tips", build, phone, "clean")}})
		if a.status != want {
			t.Errorf("%s: %d %s", phone, a.status, a.body)
		}
	}
	if a := s.do(technician, "GET", "/api/v1/tray", nil); strings.Contains(string(a.body), "BRNLY5A0417") {
		t.Error("a serial number reached the tray")
	}
}

// TestTooLarge sends more than is taken, and a form that is none.
func TestTooLarge(t *testing.T) {
	t.Parallel()
	s := withPeople(t, impatient(server.Pace{Stall: time.Hour, Grace: time.Hour, Rate: 1}))
	technician := s.signIn("technician")
	// Whoever announces more is told before sending it.
	conn, err := net.Dial("tcp", s.http.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	fmt.Fprintf(conn, "POST /api/v1/captures HTTP/1.1\r\nHost: x\r\nCookie: %s\r\nContent-Type: multipart/form-data; boundary=x\r\nContent-Length: %d\r\n\r\n", technician.String(), 1<<30)
	conn.SetReadDeadline(time.Now().Add(3 * time.Minute))
	if line, err := bufio.NewReader(conn).ReadString('\n'); err != nil || !strings.Contains(line, "413") {
		t.Errorf("%q, %v", line, err)
	}
	// A text that is long and fits is read as it comes.
	if a := s.upload(technician, map[string]string{"p.txt": props, "big.txt": strings.Repeat("package:com.example.a"+strings.Repeat(" ", 200)+"\n", 50_000)}); a.status != 201 {
		t.Errorf("%d %.200s", a.status, a.body)
	}
	if a := s.do(technician, "POST", "/api/v1/captures", []byte("no form"), "multipart/form-data; boundary=x"); a.status/100 != 4 {
		t.Errorf("%d %s", a.status, a.body)
	}
	many := map[string]string{}
	for i := range 101 {
		many[fmt.Sprintf("%d.apk", i)] = "x"
	}
	keeper := s.signIn("maintainer")
	made := decode[struct{ ID string }](s, s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": "one"}), 201)
	for _, path := range []string{"/api/v1/captures", "/api/v1/package-files", "/api/v1/benches/" + made.ID + "/files"} {
		if a := s.form(keeper, path, many); a.status != 422 || !strings.Contains(string(a.body), "more than 100 files") {
			t.Errorf("%s: %d %s", path, a.status, a.body)
		}
	}
	var z bytes.Buffer
	w := zip.NewWriter(&z)
	w.Close()
	if a := s.upload(technician, map[string]string{"x.zip": z.String()}); a.status != 422 || !strings.Contains(string(a.body), "x.zip") {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := s.do(technician, "POST", "/api/v1/tray/edits", []byte(`{"edits": [`), "application/json"); a.status/100 != 4 || kind(a) == "internal" {
		t.Errorf("%d %s", a.status, a.body)
	}
}
