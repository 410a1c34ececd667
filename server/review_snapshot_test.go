package server_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"
)

// edit is an edit of a field that is the same everywhere.
func edit(pkg, field string, value any) map[string]any {
	return map[string]any{"package": pkg, "field": field, "scope": map[string]string{"kind": "everywhere"}, "value": value, "reason": "seen"}
}

func picture(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 8, 8))); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func (s *site) keep(cookie *http.Cookie, name string, content []byte) answer {
	s.t.Helper()
	return s.do(cookie, "POST", "/api/v1/attachments?name="+url.QueryEscape(name), content, "application/octet-stream")
}

func TestAttachments(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, keeper := s.signIn("technician"), s.signIn("keeper")
	build := s.captured(technician)
	for what, content := range map[string][]byte{
		"empty": nil, "a program": []byte("\x7fELF\x00\x01"), "text with NUL": []byte("a\x00b"), "too large": bytes.Repeat([]byte("x"), 4<<20+1), "half a picture": picture(t)[:20],
	} {
		if a := s.keep(technician, "x.png", content); a.status < 400 || a.status >= 500 {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	type file struct{ ID, Name, Type string }
	log := decode[file](s, s.keep(technician, `..\secret/<b>phone.log`, []byte("<script>alert(1)</script>\n")), 201)
	shot := decode[file](s, s.keep(technician, "shot.png", picture(t)), 201)
	if log.Type != "text/plain" || strings.ContainsAny(log.Name, `/\`) || shot.Type != "image/png" {
		t.Errorf("%+v %+v", log, shot)
	}
	if a := s.do(keeper, "GET", "/api/v1/attachments/"+log.ID, nil); a.status != 404 {
		t.Errorf("somebody else's before it is sent: %d", a.status)
	}
	a := s.do(technician, "GET", "/api/v1/attachments/"+log.ID, nil)
	if a.status != 200 || a.header.Get("Content-Type") != "text/plain; charset=utf-8" || !strings.Contains(a.header.Get("Content-Security-Policy"), "sandbox") || a.header.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("%d %v", a.status, a.header)
	}
	if a := s.do(technician, "GET", "/api/v1/attachments/"+shot.ID, nil); a.header.Get("Content-Type") != "image/png" || !bytes.Equal(a.body, picture(t)) {
		t.Errorf("%v", a.header)
	}
	if a := s.do(keeper, "GET", "/api/v1/attachments/none", nil); a.status != 404 {
		t.Errorf("%d", a.status)
	}
	// A file belongs to who brought it: nobody else's evidence can name it.
	trial := trialEdit("com.brannock.tips", build, "called:x", "clean")
	trial["value"].(map[string]any)["attachments"] = []string{log.ID, shot.ID}
	if a := s.do(keeper, "POST", "/api/v1/tray/edits", map[string]any{"edits": []any{trial}}); a.status != 404 {
		t.Errorf("somebody else's file: %d %s", a.status, a.body)
	}
	s.accepted(technician, s.signIn("reviewer"), trial)
	if a := s.do(keeper, "GET", "/api/v1/attachments/"+log.ID, nil); a.status != 200 {
		t.Errorf("somebody else's after it was sent: %d", a.status)
	}
	d := get[packageTrials](s, technician, "/api/v1/packages/com.brannock.tips/trials")
	if len(d.Trials) != 1 || len(d.Trials[0].Attachments) != 2 || len(d.Attachments) != 2 {
		t.Errorf("%+v", d)
	}
}

// TestWhatIsSaid brings every kind of word about a package and reads it back.
func TestWhatIsSaid(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer := s.signIn("technician"), s.signIn("reviewer")
	build := s.captured(technician)
	trial := trialEdit("com.brannock.tips", build, "called:x", "clean")
	value := trial["value"].(map[string]any)
	value["on"], value["tried"] = "2026-03-04", []string{"a call", "camera"}
	s.accepted(technician, reviewer, trial,
		edit("com.brannock.tips", "description", "Shows **hints**. <script>alert(1)</script>"),
		edit("com.brannock.tips", "functions", []string{"hints"}),
		edit("com.brannock.tips", "countries", []string{"NO"}),
		edit("com.brannock.tips", "substitutes", []any{map[string]string{"name": "nothing", "for": "hints"}}),
		map[string]any{"package": "com.brannock.tips", "field": "source", "scope": map[string]string{"kind": "build", "id": build}, "reason": "",
			"value": map[string]string{"title": "Note 4", "link": "https://notes.example/4", "claim": "fault", "quote": "Keep it."}},
	)
	d := get[struct {
		Prose       string
		Countries   []string
		Substitutes []struct{ Name, For string }
		Sources     []struct{ Title, Link, Quote, Claim, ScopeName string }
		Trials      int
		Ships       []struct {
			FirstSeen, LastSeen *time.Time
			Phones              int
		}
		History []struct{ Field, ScopeKind string }
	}](s, technician, "/api/v1/packages/com.brannock.tips?maker=brannock&model=lyra-5")
	if !strings.Contains(d.Prose, "<strong>hints</strong>") || strings.Contains(d.Prose, "<script") {
		t.Errorf("%q", d.Prose)
	}
	if len(d.Countries) != 1 || len(d.Substitutes) != 1 || d.Substitutes[0].For != "hints" || len(d.Sources) != 1 || d.Sources[0].ScopeName != "Lyra 5 14.1.0" || d.Sources[0].Claim != "fault" {
		t.Errorf("%+v", d)
	}
	trials := get[packageTrials](s, technician, "/api/v1/packages/com.brannock.tips/trials").Trials
	if d.Trials != 1 || len(trials) != 1 || trials[0].At.UTC().Format(time.DateOnly) != "2026-03-04" || len(trials[0].Tried) != 2 || len(d.History) != 6 {
		t.Errorf("%+v, %+v", d, trials)
	}
	if len(d.Ships) != 1 || d.Ships[0].FirstSeen == nil || d.Ships[0].LastSeen == nil {
		t.Errorf("%+v", d.Ships)
	}
	// A name is found by what people say that it does.
	if page := get[struct{ Found int }](s, technician, "/api/v1/ledger?q=hints"); page.Found != 1 {
		t.Errorf("found %d", page.Found)
	}
	value["on"] = time.Now().AddDate(0, 0, 3).Format(time.DateOnly)
	if a := s.do(technician, "POST", "/api/v1/tray/edits", map[string]any{"edits": []any{edit("com.brannock.tips", "functions", []string{"x"}), trial}}); a.status != 422 || !strings.Contains(string(a.body), "edit 2") || !strings.Contains(string(a.body), "future") {
		t.Errorf("a trial of tomorrow: %d %s", a.status, a.body)
	}
	if tray := get[items[any]](s, technician, "/api/v1/tray"); len(tray.Items) != 0 {
		t.Errorf("half of a refused list lies in the tray: %v", tray)
	}
}

func TestForeseen(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer, keeper := s.signIn("technician"), s.signIn("reviewer"), s.signIn("keeper")
	build := s.captured(technician)
	for i, who := range []*http.Cookie{technician, keeper, technician} {
		s.accepted(who, reviewer, trialEdit("com.brannock.tips", build, fmt.Sprint("called:", i), "clean"))
	}
	type side struct {
		Ceiling             float64
		Standing, Suggested string
	}
	type foreseen struct {
		Package        string
		Contradictions []string
		Before, After  side
	}
	ask := func(outcome string) []foreseen {
		body := map[string]any{"packages": []string{"com.brannock.tips", "com.brannock.feed"}, "build": build, "phone": "called:new", "method": "remove-for-user", "outcome": outcome}
		return decode[items[foreseen]](s, s.do(technician, "POST", "/api/v1/trials/foreseen", body), 200).Items
	}
	clean, fault := ask("clean"), ask("fault")
	if len(clean) != 2 || len(clean[0].Contradictions) != 0 || clean[0].After.Ceiling >= clean[0].Before.Ceiling || clean[1].Before.Standing != "untried" || clean[1].After.Standing != "thin" {
		t.Errorf("%+v", clean)
	}
	if len(fault[0].Contradictions) != 1 || fault[0].After.Standing != "contested" || fault[0].After.Suggested != "tied-in" || len(fault[1].Contradictions) != 0 {
		t.Errorf("%+v", fault)
	}
	// What was foreseen comes true.
	s.accepted(technician, reviewer, trialEdit("com.brannock.tips", build, "called:new", "fault"))
	row := get[struct {
		Rows []struct {
			Ceiling             float64
			Standing, Suggested string
		}
	}](s, technician, "/api/v1/ledger?q=name:tips&maker=brannock&model=lyra-5&build="+build).Rows[0]
	if row.Ceiling != fault[0].After.Ceiling || row.Standing != "contested" || row.Suggested != "tied-in" {
		t.Errorf("%+v, foreseen %+v", row, fault[0].After)
	}
}

// TestForeseenLoads tells what a load would mean before it is proposed, and a
// review then tells the same.
func TestForeseenLoads(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer := s.signIn("technician"), s.signIn("reviewer")
	build := s.captured(technician)
	s.accepted(technician, reviewer, trialEdit("com.brannock.tips", build, "called:a", "fault"))
	type seen struct {
		Package string
		Before  struct {
			Load         string
			BySuggestion bool
		}
		Suggested, Called string
		Needs             int
		Why               []string
		Questions         []struct{ Kind string }
	}
	everywhere := map[string]string{"kind": "everywhere"}
	ask := func(body map[string]any) answer { return s.do(technician, "POST", "/api/v1/loads/foreseen", body) }
	list := decode[items[seen]](s, ask(map[string]any{"packages": []string{"com.brannock.tips", "com.brannock.feed"}, "scope": everywhere, "load": "loose"}), 200).Items
	if len(list) != 2 || list[0].Package != "com.brannock.tips" || list[0].Before.Load != "tied-in" || !list[0].Before.BySuggestion || list[0].Suggested != "tied-in" || list[0].Needs != 1 || list[0].Questions[0].Kind != "more-lenient" {
		t.Errorf("%+v", list)
	}
	if len(list) != 2 || list[1].Before.Load != "unproven" || len(list[1].Questions) == 0 || list[1].Questions[0].Kind != "evidence-missing" {
		t.Errorf("%+v", list)
	}
	for what, body := range map[string]map[string]any{
		"an unknown package":  {"packages": []string{"no.such"}, "scope": everywhere, "load": "loose"},
		"an unknown load":     {"packages": []string{"com.brannock.tips"}, "scope": everywhere, "load": "heavy"},
		"a scope without id":  {"packages": []string{"com.brannock.tips"}, "scope": map[string]string{"kind": "model"}, "load": "loose"},
		"a scope that is not": {"packages": []string{"com.brannock.tips"}, "scope": map[string]string{"kind": "model", "id": "x"}, "load": "loose"},
	} {
		if a := ask(body); a.status != 404 && a.status != 422 {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	// The review says the same value, though none is set there; of two trials of one
	// package it tells one's own effect from that of both.
	edits := []any{edit("com.brannock.tips", "load", map[string]string{"load": "loose"}),
		trialEdit("com.brannock.tips", build, "called:b", "clean"), trialEdit("com.brannock.tips", build, "called:c", "clean")}
	added := decode[items[string]](s, s.do(technician, "POST", "/api/v1/tray/edits", map[string]any{"edits": edits}), 201)
	change := decode[id](s, s.do(technician, "POST", "/api/v1/changes", map[string]any{"title": "x", "edits": added.Items}), 201).ID
	review := get[struct {
		Review []struct {
			Field   string
			InForce *struct{ Load string }
			Before  struct{ Ceiling float64 }
			After   struct{ Ceiling float64 }
			Alone   *struct{ Ceiling float64 }
		}
	}](s, reviewer, "/api/v1/changes/"+change)
	for _, e := range review.Review {
		switch e.Field {
		case "load":
			if e.InForce == nil || e.InForce.Load != "tied-in" {
				t.Errorf("%+v", e)
			}
		case "trial":
			if e.Alone == nil || e.Alone.Ceiling <= e.After.Ceiling || e.Alone.Ceiling >= e.Before.Ceiling {
				t.Errorf("%+v", e)
			}
		}
	}
	// What worked can't have been lost.
	both := trialEdit("com.brannock.tips", build, "called:d", "function-lost")
	value := both["value"].(map[string]any)
	value["function"], value["tried"] = "mobile-payments", []string{"Mobile payments"}
	if a := s.do(technician, "POST", "/api/v1/tray/edits", map[string]any{"edits": []any{both}}); a.status != 422 || !strings.Contains(string(a.body), "it can be one of them") {
		t.Errorf("%d %s", a.status, a.body)
	}
}

func TestViewsAndExport(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer, keeper := s.signIn("technician"), s.signIn("reviewer"), s.signIn("keeper")
	build := s.captured(technician)
	s.accepted(technician, reviewer, trialEdit("com.brannock.tips", build, "called:x", "clean"), edit("com.brannock.tips", "labels", map[string]string{"en": `=HYPERLINK("x"), "Tips"`}))
	save := func(cookie *http.Cookie, name string, shared bool, q string) answer {
		return s.do(cookie, "POST", "/api/v1/views", map[string]any{"name": name, "shared": shared, "view": map[string]string{"q": q, "group": "load"}})
	}
	mine := decode[id](s, save(technician, "mine", false, "load:unproven"), 201)
	shared := decode[id](s, save(technician, "ours", true, "trials>0"), 201)
	if again := decode[id](s, save(technician, "mine", false, "load:loose"), 201); again != mine {
		t.Errorf("a view of the same name was added, not replaced")
	}
	if a := save(technician, "bad", false, "load:heavy"); a.status != 422 || kind(a) != "filter" {
		t.Errorf("%d %s", a.status, a.body)
	}
	type view struct {
		ID, Name string
		Own      bool
		View     struct{ Q, Group string }
	}
	own, others := get[items[view]](s, technician, "/api/v1/views").Items, get[items[view]](s, keeper, "/api/v1/views").Items
	if len(own) != 2 || own[0].View.Q != "load:loose" || len(others) != 1 || others[0].ID != shared.ID || others[0].Own {
		t.Errorf("%+v\n%+v", own, others)
	}
	if a := s.do(keeper, "DELETE", "/api/v1/views/"+shared.ID, nil); a.status != 404 {
		t.Errorf("somebody else's view was thrown away: %d", a.status)
	}
	if a := s.do(technician, "DELETE", "/api/v1/views/"+shared.ID, nil); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}

	const scope = "/api/v1/ledger/export?maker=brannock&model=lyra-5"
	a := s.do(keeper, "GET", scope, nil)
	rows, err := csv.NewReader(bytes.NewReader(a.body)).ReadAll()
	if err != nil || len(rows) != 4 || a.header.Get("Content-Disposition") != `attachment; filename="ledger-brannock-lyra-5.csv"` {
		t.Fatalf("%v %v %s", err, a.header, a.body)
	}
	head, tips := rows[0], rows[2]
	if head[0] != "package" || head[len(head)-1] != "14.1.0" || tips[0] != "com.brannock.tips" || tips[1] != `'=HYPERLINK("x"), "Tips"` || tips[len(tips)-1] != "ships it" {
		t.Errorf("%q\n%q", head, tips)
	}
	whole := get[struct {
		Builds []struct{ Version string }
		Rows   []struct{ Name string }
	}](s, keeper, scope+"&format=json&q=trials%3E0")
	if len(whole.Builds) != 1 || len(whole.Rows) != 1 || whole.Rows[0].Name != "com.brannock.tips" {
		t.Errorf("%+v", whole)
	}
	if a := s.do(keeper, "GET", scope+"&q=load:heavy", nil); a.status != 422 || kind(a) != "filter" {
		t.Errorf("%d %s", a.status, a.body)
	}
}

func TestYardstick(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer, keeper := s.signIn("technician"), s.signIn("reviewer"), s.signIn("keeper")
	build := s.captured(technician)
	for i := range 4 {
		for name, who := range map[string]*http.Cookie{"t": technician, "k": keeper} {
			s.accepted(who, reviewer, trialEdit("com.brannock.tips", build, fmt.Sprint("called:", name, i), "clean"))
		}
	}
	type yardstick struct {
		Transfer   map[string]float64 `json:"transfer"`
		Thresholds map[string]float64 `json:"thresholds"`
	}
	a := s.do(technician, "GET", "/api/v1/yardstick", nil)
	y, etag := decode[yardstick](s, a, 200), a.header.Get("ETag")
	if y.Transfer["sameModel"] != 0.5 || y.Thresholds["looseCeiling"] != 0.3 || etag != `"0"` {
		t.Fatalf("%+v %s", y, etag)
	}
	load := func() string {
		return get[struct{ Rows []struct{ Suggested string } }](s, technician, "/api/v1/ledger?q=name:tips&maker=brannock&model=lyra-5").Rows[0].Suggested
	}
	was := load()
	y.Thresholds["looseCeiling"] = 0.6
	type shifts struct {
		Figures, Of, Packages, Lenient int
		First                          []struct{ Package, Place, SuggestedBefore, SuggestedAfter string }
	}
	p := decode[shifts](s, s.do(technician, "POST", "/api/v1/yardstick/preview", y), 200)
	if p.Packages != 1 || p.Figures == 0 || p.Lenient != p.Figures || p.First[0].Package != "com.brannock.tips" || p.First[0].SuggestedAfter != "loose" || load() != was {
		t.Errorf("%+v", p)
	}
	if a := s.do(reviewer, "PUT", "/api/v1/yardstick", y, "If-Match", etag); a.status != 403 {
		t.Errorf("a reviewer changed the yardstick: %d", a.status)
	}
	if a := s.do(keeper, "PUT", "/api/v1/yardstick", y, "If-Match", etag); a.status != 200 || a.header.Get("ETag") != `"1"` {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if was != "unproven" || load() != "loose" {
		t.Errorf("from %s to %s", was, load())
	}
	if a := s.do(keeper, "PUT", "/api/v1/yardstick", y, "If-Match", etag); a.status != 412 {
		t.Errorf("a stale change: %d %s", a.status, a.body)
	}
	y.Transfer["sameBuild"] = 0.1
	for _, method := range []string{"PUT /api/v1/yardstick", "POST /api/v1/yardstick/preview"} {
		verb, path, _ := strings.Cut(method, " ")
		if a := s.do(keeper, verb, path, y, "If-Match", `"1"`); a.status != 422 || !strings.Contains(string(a.body), "farther") {
			t.Errorf("%s: %d %s", method, a.status, a.body)
		}
	}
}
