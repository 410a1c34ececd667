package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
)

// reviewed is a change as the API tells it.
type reviewed struct {
	ID, State, Title, Words, ImportedFrom string
	Revision, Round, Edits, Half          int
	LookedAt                              string
	Own                                   bool
	Comments                              []struct{ Thread, Person, Text string }
	Asked                                 []struct{ Person, By string }
	Review                                []struct {
		ID, Package, Field, State, Verdict, Moved, Thread, Words string
		Needs, NowRevision                                       int
		Why, Approved                                            []string
		Value, Now, Base                                         json.RawMessage
	}
}

func (s *site) change(cookie *http.Cookie, id string) reviewed {
	s.t.Helper()
	return get[reviewed](s, cookie, "/api/v1/changes/"+id)
}

// whole sends a change at once.
func (s *site) whole(cookie *http.Cookie, edits ...any) string {
	s.t.Helper()
	return decode[struct{ ID string }](s, s.do(cookie, "POST", "/api/v1/changes/whole", map[string]any{"title": "a change", "edits": edits}), 201).ID
}

func (s *site) decide(cookie *http.Cookie, id string, decisions ...any) answer {
	s.t.Helper()
	return s.do(cookie, "POST", "/api/v1/changes/"+id+"/decisions", map[string]any{"decisions": decisions}, "If-Match", fmt.Sprint(s.change(cookie, id).Revision))
}

func verdict(edit, verdict string, more ...any) map[string]any {
	d := map[string]any{"edit": edit, "verdict": verdict}
	for i := 0; i+1 < len(more); i += 2 {
		d[more[i].(string)] = more[i+1]
	}
	return d
}

// TestReviewTalk goes through what people say and do around one change.
func TestReviewTalk(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer, maintainer := s.signIn("technician"), s.signIn("reviewer"), s.signIn("maintainer")
	s.captured(technician)
	id := s.whole(technician, edit("com.brannock.tips", "description", "vague"), edit("com.brannock.tips", "aliases", []string{"Hints"}))
	c := s.change(reviewer, id)
	if c.Own || c.Edits != 2 || c.Review[0].Verdict != "applies" || c.Review[0].Moved != "" || c.LookedAt != "" {
		t.Fatalf("%+v", c)
	}
	s.do(reviewer, "POST", "/api/v1/changes/"+id+"/look", map[string]string{"at": "2999-01-01T00:00:00Z"})
	hostile := "<img src=x onerror=alert(1)>"
	if a := s.do(technician, "POST", "/api/v1/changes/"+id+"/comments", map[string]any{"thread": c.Review[0].Thread, "text": hostile}); a.status != 201 {
		t.Fatalf("%s", a.body)
	}
	if a := s.do(technician, "POST", "/api/v1/changes/"+id+"/comments", map[string]any{"text": "  "}); a.status != 422 {
		t.Errorf("%d", a.status)
	}
	people := get[items[struct{ ID, Name string }]](s, technician, "/api/v1/people").Items
	for _, p := range people {
		if p.Name == "the maintainer" {
			if a := s.do(reviewer, "POST", "/api/v1/changes/"+id+"/asked", map[string]string{"person": p.ID, "words": "is it so?"}); a.status != 204 {
				t.Errorf("%s", a.body)
			}
		}
	}
	c = s.change(reviewer, id)
	if len(c.Comments) != 1 || c.Comments[0].Text != hostile || c.Review[0].Moved != "said" || c.Review[1].Moved != "" || len(c.Asked) != 1 || c.Asked[0].Person != "the maintainer" {
		t.Errorf("%+v", c)
	}
	if page := get[items[struct {
		ID      string
		AskedMe bool
	}]](s, maintainer, "/api/v1/changes?state=sent"); len(page.Items) != 1 || !page.Items[0].AskedMe {
		t.Errorf("%+v", page)
	}
	if a := s.decide(reviewer, id, verdict(c.Review[0].ID, "returned")); a.status != 422 {
		t.Errorf("returned without words: %d", a.status)
	}
	if a := s.decide(reviewer, id, verdict(c.Review[0].ID, "returned", "words", "say more"), verdict(c.Review[1].ID, "accepted")); a.status != 200 {
		t.Fatalf("%s", a.body)
	}
	if a := s.do(technician, "POST", "/api/v1/edits/"+c.Review[0].ID+"/reopen", nil); a.status != 204 {
		t.Fatalf("%s", a.body)
	}
	tray := get[items[struct{ ID string }]](s, technician, "/api/v1/tray").Items
	if a := s.do(technician, "PUT", "/api/v1/tray/edits/"+tray[0].ID+"/reason", map[string]string{"reason": "read it"}); a.status != 204 {
		t.Errorf("%s", a.body)
	}
	checked := get2[struct{ Revises int }](s, technician, "/api/v1/tray/check", map[string]any{})
	if checked.Revises == 0 {
		t.Error("the tray does not say that it revises")
	}
	s.do(technician, "POST", "/api/v1/changes", map[string]any{"title": "once more", "edits": []string{tray[0].ID}})
	c = s.change(reviewer, id)
	if c.State != "sent" || c.Round != 2 || len(c.Review) != 3 || c.Review[2].Thread != c.Review[0].Thread || c.Review[2].Moved == "" {
		t.Errorf("%+v", c)
	}
	s.decide(reviewer, id, verdict(c.Review[2].ID, "accepted"))
	if a := s.do(maintainer, "POST", "/api/v1/changes/"+id+"/revert", nil); a.status != 200 || !strings.Contains(string(a.body), `"edits":2`) {
		t.Errorf("%d %s", a.status, a.body)
	}
	if k := get2[struct{ Profiles []any }](s, maintainer, "/api/v1/tray/knock-on", map[string]any{}); k.Profiles == nil {
		t.Errorf("%+v", k)
	}
}

// get2 posts and decodes.
func get2[T any](s *site, cookie *http.Cookie, path string, body any) T {
	s.t.Helper()
	return decode[T](s, s.do(cookie, "POST", path, body), 200)
}

// TestRulesOverHTTP holds an edit until a second reviewer, and settles a
// conflict.
func TestRulesOverHTTP(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer, maintainer, keeper := s.signIn("technician"), s.signIn("reviewer"), s.signIn("maintainer"), s.signIn("keeper")
	s.captured(technician)
	rules := map[string]any{"lenient": 2, "lowering": 2, "newcomer": 1, "firstChanges": 0, "alone": false}
	if a := s.do(keeper, "PUT", "/api/v1/review-rules", rules, "If-Match", `"7"`); a.status != 412 {
		t.Errorf("%d %s", a.status, a.body)
	}
	rules["lenient"] = 5
	if a := s.do(keeper, "PUT", "/api/v1/review-rules", rules, "If-Match", `"1"`); a.status != 422 {
		t.Errorf("%d %s", a.status, a.body)
	}
	rules["lenient"] = 2
	if a := s.do(keeper, "PUT", "/api/v1/review-rules", rules, "If-Match", `"1"`); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	id := s.whole(technician, edit("com.brannock.tips", "load", map[string]string{"load": "loose"}), edit("com.brannock.tips", "description", "mine"))
	c := s.change(reviewer, id)
	if c.Review[0].Needs != 2 || len(c.Review[0].Why) != 1 || c.Review[1].Needs != 1 {
		t.Fatalf("%+v", c)
	}
	if a := s.decide(technician, id, verdict(c.Review[0].ID, "accepted")); a.status != 403 {
		t.Errorf("a technician decides: %d", a.status)
	}
	s.decide(reviewer, id, verdict(c.Review[0].ID, "accepted"))
	if c = s.change(maintainer, id); c.State != "sent" || c.Half != 1 || fmt.Sprint(c.Review[0].Approved) != "[the reviewer]" {
		t.Errorf("%+v", c)
	}
	other := s.whole(reviewer, edit("com.brannock.tips", "description", "theirs"))
	s.decide(maintainer, other, verdict(s.change(maintainer, other).Review[0].ID, "accepted"))
	c = s.change(maintainer, id)
	if c.Review[1].Verdict != "conflict" {
		t.Fatalf("%+v", c.Review[1])
	}
	if a := s.decide(maintainer, id, verdict(c.Review[1].ID, "accepted")); kind(a) != "conflict" {
		t.Errorf("%s", a.body)
	}
	if a := s.decide(maintainer, id, verdict(c.Review[1].ID, "accepted", "written", []int{1}, "over", c.Review[1].NowRevision)); a.status != 422 || !strings.Contains(string(a.body), "shape") {
		t.Errorf("%s", a.body)
	}
	if a := s.decide(maintainer, id, verdict(c.Review[0].ID, "accepted"), verdict(c.Review[1].ID, "accepted", "over", c.Review[1].NowRevision)); a.status != 200 {
		t.Errorf("%s", a.body)
	}
	if d := get[struct {
		Description string
		Grade       struct{ Load string }
	}](s, technician, "/api/v1/packages/com.brannock.tips"); d.Description != "mine" || d.Grade.Load != "loose" {
		t.Errorf("%+v", d)
	}
}

// TestWholeChange sends a file's worth by names instead of ids, twice with one
// key.
func TestWholeChange(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician := s.signIn("technician")
	build := s.captured(technician)
	fingerprint := get[items[struct{ ID, Fingerprint string }]](s, technician, "/api/v1/makers/brannock/models/lyra-5/builds").Items[0].Fingerprint
	load := map[string]any{"package": "com.brannock.tips", "field": "load", "at": map[string]string{"maker": "brannock", "model": "lyra-5"}, "value": map[string]string{"load": "loose"}}
	trial := trialEdit("com.brannock.tips", fingerprint, "called:mine", "clean")
	delete(trial, "scope")
	body := map[string]any{"format": "roster-edits/1", "title": "from a file", "words": "all of it", "edits": []any{load, trial}}
	first := decode[struct{ ID string }](s, s.do(technician, "POST", "/api/v1/changes/whole", body, "Idempotency-Key", "k"), 201)
	again := decode[struct{ ID string }](s, s.do(technician, "POST", "/api/v1/changes/whole", body, "Idempotency-Key", "k"), 201)
	body["words"] = "something else"
	if a := s.do(technician, "POST", "/api/v1/changes/whole", body, "Idempotency-Key", "k"); a.status != 422 || !strings.Contains(string(a.body), "Idempotency-Key") {
		t.Errorf("the same key with something else: %d %s", a.status, a.body)
	}
	body["words"] = "all of it"
	c := s.change(technician, first.ID)
	if first != again || c.Words != "all of it" || len(c.Review) != 2 || !strings.Contains(string(c.Review[1].Value), build) {
		t.Errorf("%v %v %+v", first, again, c)
	}
	for what, change := range map[string]func(){
		"no such model": func() { load["at"] = map[string]string{"maker": "brannock", "model": "nope"} },
		"no such scope": func() {
			load["at"] = nil
			load["scope"] = map[string]string{"kind": "model", "id": "00000000-0000-7000-8000-000000000009"}
		},
		"no such fingerprint": func() { load["at"] = nil; trial["value"].(map[string]any)["build"] = "no/such/build" },
		"no such package":     func() { trial["package"] = "com.nobody.knows" },
	} {
		change()
		if a := s.do(technician, "POST", "/api/v1/changes/whole", body); a.status != 404 && a.status != 422 || !strings.Contains(string(a.body), "edit ") && what != "no such scope" {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	if page := get[items[any]](s, technician, "/api/v1/changes?mine=true"); len(page.Items) != 1 {
		t.Errorf("%d changes", len(page.Items))
	}
}

// TestImportOfAList maps a foreign list and sends it.
func TestImportOfAList(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer := s.signIn("technician"), s.signIn("reviewer")
	build := s.captured(technician)
	s.accepted(technician, reviewer, trialEdit("com.brannock.feed", build, "called:x", "fault"), edit("com.brannock.feed", "load", map[string]any{"load": "tied-in", "conditions": []string{"c"}}))
	text := "id,ok,why,called\ncom.brannock.tips,yes,adverts,Tips and more\ncom.brannock.feed,yes,,\ncom.other.thing,no,,\n1bad,yes,,\n"
	type table struct {
		Columns []string
		Values  [][]string
		Of      int
		Mapping *struct{ Title, Name string }
	}
	read := func() table {
		return decode[table](s, s.do(technician, "POST", "/api/v1/imports/read", []byte(text), "application/octet-stream"), 200)
	}
	if got := read(); len(got.Columns) != 4 || got.Of != 4 || len(got.Values[1]) != 2 || got.Mapping != nil {
		t.Fatalf("%+v", got)
	}
	mapping := map[string]any{"title": "A list", "link": "https://lists.example/7", "name": "id", "grade": "ok", "words": "why", "label": "called", "grades": map[string]string{"yes": "loose"}}
	body := map[string]any{"text": text, "mapping": mapping, "maker": "brannock", "model": "lyra-5"}
	type preview struct {
		Rows     []struct{ Name, Group, Theirs, Ours, Why string }
		Problems []struct{ Place, Words string }
	}
	groups := func() string {
		p := get2[preview](s, technician, "/api/v1/imports/preview", body)
		list := ""
		for _, r := range p.Rows {
			list += r.Name[len(r.Name)-4:] + " " + r.Group + ", "
		}
		return fmt.Sprint(list, len(p.Problems))
	}
	if got := groups(); got != "tips new, feed contradicts, hing unknown, 1" {
		t.Errorf("%s", got)
	}
	id := decode[struct{ ID string }](s, s.do(technician, "POST", "/api/v1/imports", body, "Idempotency-Key", "i"), 201).ID
	if again := decode[struct{ ID string }](s, s.do(technician, "POST", "/api/v1/imports", body, "Idempotency-Key", "i"), 201).ID; again != id {
		t.Error("a retry sent it twice")
	}
	c := s.change(reviewer, id)
	if c.ImportedFrom != "A list" || len(c.Review) != 2 || c.Review[0].Field != "source" || c.Review[1].Field != "aliases" || !strings.Contains(string(c.Review[0].Value), `"load": "loose"`) && !strings.Contains(string(c.Review[0].Value), `"load":"loose"`) {
		t.Errorf("%+v", c)
	}
	if got := groups(); !strings.HasPrefix(got, "tips known") {
		t.Errorf("what waits already is known: %s", got)
	}
	if got := read(); got.Mapping == nil || got.Mapping.Title != "A list" || got.Mapping.Name != "id" {
		t.Errorf("the mapping was not remembered: %+v", got)
	}
	s.decide(reviewer, id, verdict(c.Review[0].ID, "accepted"), verdict(c.Review[1].ID, "accepted"))
	d := get[struct {
		Trials  int
		Grade   struct{ Load string }
		Sources []struct{ Title, Load, Quote string }
		Aliases []string
	}](s, technician, "/api/v1/packages/com.brannock.tips?maker=brannock&model=lyra-5")
	if d.Trials != 0 || d.Grade.Load != "unproven" || len(d.Aliases) != 1 ||
		len(d.Sources) != 1 || d.Sources[0].Load != "loose" || d.Sources[0].Quote != "yes: adverts" {
		t.Errorf("an imported grade is a source and nothing else: %+v", d)
	}
	mapping["grades"] = map[string]string{"yes": "wonderful"}
	if a := s.do(technician, "POST", "/api/v1/imports/preview", body); a.status != 422 {
		t.Errorf("%d", a.status)
	}
	if a := s.do(technician, "POST", "/api/v1/imports/read", []byte("\x00"), "application/octet-stream"); a.status != 422 {
		t.Errorf("%d", a.status)
	}
}
