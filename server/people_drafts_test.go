package server_test

import (
	"encoding/json"
	"net/http"
	"testing"
)

// TestDecisionsDraft keeps what a reviewer has decided for them alone, until it is
// written.
func TestDecisionsDraft(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer, maintainer := s.signIn("technician"), s.signIn("reviewer"), s.signIn("maintainer")
	s.captured(technician)
	change := s.whole(technician, edit("com.brannock.tips", "description", "vague"), edit("com.brannock.tips", "aliases", []string{"Hints"}))
	other := s.whole(technician, edit("com.brannock.tips", "functions", []string{"help"}))
	edits := s.change(reviewer, change).Review
	path := "/api/v1/changes/" + change + "/draft"
	type draft struct {
		Revision  int
		Decisions []struct {
			Edit, Verdict, Words string
			Written              json.RawMessage
		}
	}
	if d := get[draft](s, reviewer, path); d.Revision != 0 || d.Decisions == nil || len(d.Decisions) != 0 {
		t.Errorf("nothing was decided: %+v", d)
	}
	save := func(want int, decisions ...any) {
		t.Helper()
		body := map[string]any{"revision": 1, "decisions": append([]any{}, decisions...)}
		if a := s.do(reviewer, "PUT", path, body); a.status != want {
			t.Errorf("%d, want %d: %s", a.status, want, a.body)
		}
	}
	save(204, verdict(edits[0].ID, "returned"), verdict(edits[1].ID, "accepted", "written", []string{"Hints", "Tips"}))
	kept := get[draft](s, reviewer, path)
	if len(kept.Decisions) != 2 || kept.Revision != 1 || kept.Decisions[0].Verdict != "returned" || string(kept.Decisions[1].Written) != `["Hints","Tips"]` {
		t.Errorf("%+v", kept)
	}
	if d := get[draft](s, maintainer, path); len(d.Decisions) != 0 {
		t.Errorf("somebody else's: %+v", d)
	}
	if list := get[items[struct{ Kind, SubjectID, Title string }]](s, reviewer, "/api/v1/drafts").Items; len(list) != 1 || list[0].Kind != "decisions" || list[0].SubjectID != change || list[0].Title != "a change" {
		t.Errorf("%+v", list)
	}
	save(404, verdict(s.change(reviewer, other).Review[0].ID, "accepted")) // an edit of another change
	save(422, verdict(edits[1].ID, "accepted", "written", 5))              // no value of the field
	save(422, verdict(edits[1].ID, "perhaps"))
	if d := get[draft](s, reviewer, path); len(d.Decisions) != 2 {
		t.Errorf("what was kept before is lost: %+v", d)
	}
	if a := s.decide(reviewer, change, verdict(edits[0].ID, "returned", "words", "Say more.")); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if d := get[draft](s, reviewer, path); len(d.Decisions) != 0 {
		t.Errorf("it was written: %+v", d)
	}
	save(204, verdict(edits[1].ID, "accepted"))
	save(204)
	if d := get[draft](s, reviewer, path); len(d.Decisions) != 0 {
		t.Errorf("it was let go: %+v", d)
	}
}

// TestRulesDraft does the same with rules of a profile.
func TestRulesDraft(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	path := "/api/v1/profiles/" + q.profile + "/draft"
	type draft struct {
		Revision int
		Rules    map[string]any
		Sisters  []string
	}
	of := func(person *http.Cookie) *draft {
		t.Helper()
		return get[struct{ Draft *draft }](q.site, person, path).Draft
	}
	if d := of(q.maintainer); d != nil {
		t.Errorf("nothing was changed: %+v", d)
	}
	rules := get[struct{ Rules map[string]any }](q.site, q.maintainer, "/api/v1/profiles/"+q.profile).Rules
	rules["highestCeiling"] = 0.77
	body := map[string]any{"revision": 3, "rules": rules, "sisters": []string{}}
	if a := q.do(q.maintainer, "PUT", path, body); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if d := of(q.maintainer); d == nil || d.Revision != 3 || d.Rules["highestCeiling"] != 0.77 || d.Sisters == nil {
		t.Errorf("%+v", d)
	}
	if d := of(q.keeper); d != nil {
		t.Errorf("somebody else's: %+v", d)
	}
	if a := q.do(q.maintainer, "PUT", path, map[string]any{"revision": 0, "rules": rules, "sisters": []string{}}); a.status != 422 {
		t.Errorf("over no revision: %d %s", a.status, a.body)
	}
	if a := q.do(q.maintainer, "PUT", "/api/v1/profiles/"+q.first+"/draft", body); a.status != 404 {
		t.Errorf("of no profile: %d %s", a.status, a.body)
	}
	q.rules("com.brannock.games") // keeps others
	if d := of(q.maintainer); d != nil {
		t.Errorf("it was kept: %+v", d)
	}
	q.do(q.maintainer, "PUT", path, body)
	if a := q.do(q.maintainer, "DELETE", path, nil); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if list := get[items[any]](q.site, q.maintainer, "/api/v1/drafts").Items; len(list) != 0 {
		t.Errorf("%+v", list)
	}
}
