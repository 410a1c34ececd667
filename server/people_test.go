package server_test

import (
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"strings"
	"testing"
	"time"
)

// byToken asks with a token instead of a cookie.
func (s *site) byToken(token, method, path string, body any) answer {
	s.t.Helper()
	return s.do(nil, method, path, body, "Authorization", "Bearer "+token)
}

type madeToken struct{ ID, Secret string }

func TestTokens(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("keeper")
	token := func(scopes ...string) madeToken {
		return decode[madeToken](s, s.do(keeper, "POST", "/api/v1/tokens", map[string]any{"name": "a script", "scopes": scopes, "days": 30}), 201)
	}
	read, send, all := token("read"), token("read", "send"), token("read", "send", "review", "publish")
	description := map[string]any{"edits": []any{edit("com.brannock.tips", "description", "x")}}
	s.captured(keeper)
	for _, c := range []struct {
		token        madeToken
		method, path string
		body         any
		want         int
	}{
		{read, "GET", "/api/v1/tray", nil, 200},
		{read, "GET", "/api/v1/audit", nil, 200},
		{read, "POST", "/api/v1/tray/edits", description, 403},
		{send, "POST", "/api/v1/tray/edits", description, 201},
		{send, "POST", "/api/v1/changes/00000000-0000-7000-8000-000000000000/decisions", map[string]any{"decisions": []any{}}, 403},
		{send, "PUT", "/api/v1/review-rules", nil, 403},
		// No token can do anything about the account itself.
		{all, "POST", "/api/v1/tokens", map[string]any{"name": "another", "scopes": []string{"read"}, "days": 1}, 403},
		{all, "POST", "/api/v1/session/password", map[string]string{"old": password, "new": "another long one"}, 403},
		{all, "DELETE", "/api/v1/sessions", nil, 403},
		{all, "GET", "/api/v1/invitations", nil, 200},
	} {
		if a := s.byToken(c.token.Secret, c.method, c.path, c.body); a.status != c.want {
			t.Errorf("%s %s: %d %s, want %d", c.method, c.path, a.status, a.body, c.want)
		}
	}
	list := get[items[struct {
		ID, Name, Secret string
		UsedAt           *time.Time
	}]](s, keeper, "/api/v1/tokens")
	if len(list.Items) != 3 || list.Items[0].Secret != "" || list.Items[2].UsedAt == nil {
		t.Errorf("%+v", list)
	}
	if a := s.do(s.signIn("technician"), "DELETE", "/api/v1/tokens/"+read.ID, nil); a.status != 404 {
		t.Errorf("somebody else's token: %d", a.status)
	}
	s.do(keeper, "DELETE", "/api/v1/tokens/"+read.ID, nil)
	for what, text := range map[string]string{"ended": read.Secret, "made up": "roster-token-" + strings.Repeat("A", 43), "empty": ""} {
		if a := s.byToken(text, "GET", "/api/v1/tray", nil); a.status != 401 {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
}

func TestSignIns(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	here, there := s.signIn("technician"), s.signIn("technician")
	if list := get[items[struct{ Here bool }]](s, here, "/api/v1/sessions"); len(list.Items) != 2 || list.Items[0].Here || !list.Items[1].Here {
		t.Errorf("%+v", list)
	}
	if a := s.do(here, "POST", "/api/v1/session/password", map[string]string{"old": "a wrong one", "new": "a better password"}); kind(a) != "wrong-password" {
		t.Errorf("%s", a.body)
	}
	if a := s.do(here, "POST", "/api/v1/session/password", map[string]string{"old": password, "new": "short"}); a.status != 422 {
		t.Errorf("%s", a.body)
	}
	if a := s.do(here, "POST", "/api/v1/session/password", map[string]string{"old": password, "new": "a better password"}); a.status != 204 {
		t.Fatalf("%s", a.body)
	}
	if a := s.do(there, "GET", "/api/v1/tray", nil); a.status != 401 {
		t.Error("the other sign-in goes on")
	}
	if a := s.do(here, "GET", "/api/v1/tray", nil); a.status != 200 {
		t.Error("this sign-in ended, too")
	}
	for pw, want := range map[string]int{password: 401, "a better password": 200} {
		if a := s.do(nil, "POST", "/api/v1/session", map[string]string{"login": "technician", "password": pw}); a.status != want {
			t.Errorf("%q: %d", pw, a.status)
		}
	}
	s.do(here, "DELETE", "/api/v1/sessions", nil)
	if list := get[items[any]](s, here, "/api/v1/sessions"); len(list.Items) != 1 {
		t.Errorf("%+v", list)
	}
}

func TestJoining(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("keeper")
	type invitation struct{ ID, Path string }
	invite := func(role string) (invitation, string) {
		i := decode[invitation](s, s.do(keeper, "POST", "/api/v1/invitations", map[string]string{"role": role, "note": "for Ada"}), 201)
		_, token, _ := strings.Cut(i.Path, "#")
		return i, token
	}
	first, token := invite("reviewer")
	if a := s.do(nil, "POST", "/api/v1/join/invitation", map[string]string{"token": token}); a.status != 200 || !strings.Contains(string(a.body), "reviewer") {
		t.Errorf("%s", a.body)
	}
	join := func(token, login, name, pw string) answer {
		return s.do(nil, "POST", "/api/v1/join", map[string]string{"token": token, "login": login, "name": name, "password": pw})
	}
	for what, a := range map[string]answer{
		"a taken login": join(token, "Keeper", "Ada", "a long password"), "a short password": join(token, "ada", "Ada", "short"), "no name": join(token, "ada", "  ", "a long password"),
		"a strange login": join(token, "ada<b>", "Ada", "a long password"), "another's token": join(strings.Repeat("A", 43), "ada", "Ada", "a long password"),
	} {
		if a.status < 400 || a.status >= 500 {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	if a := join(token, "Ada", "Ada", "a long password"); a.status != 200 || a.header.Get("Set-Cookie") == "" {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if a := join(token, "again", "Again", "a long password"); a.status != 404 {
		t.Errorf("an invitation worked twice: %d", a.status)
	}
	second, spent := invite("keeper")
	s.do(keeper, "DELETE", "/api/v1/invitations/"+second.ID, nil)
	if a := join(spent, "eve", "Eve", "a long password"); a.status != 404 {
		t.Errorf("an ended invitation works: %d", a.status)
	}
	if list := get[items[any]](s, keeper, "/api/v1/invitations"); len(list.Items) != 0 || first.ID == "" {
		t.Errorf("%+v", list)
	}
}

// TestLeaving removes somebody and finds their record under a pseudonym, and
// nothing of their name anywhere.
func TestLeaving(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper, technician, reviewer := s.signIn("keeper"), s.signIn("technician"), s.signIn("reviewer")
	build := s.captured(technician)
	s.accepted(technician, reviewer, trialEdit("com.brannock.tips", build, "called:x", "clean"), edit("com.brannock.tips", "description", "Shows hints."))
	id := get[struct{ Person struct{ ID string } }](s, technician, "/api/v1/session").Person.ID
	type person struct {
		Name                               string
		Changes, Decided, Accepted, Trials int
		Models                             []struct{ Trials, Phones int }
		Recent                             []any
		Myself                             bool
	}
	if p := get[person](s, technician, "/api/v1/people/"+id); p.Changes != 1 || p.Accepted != 2 || p.Trials != 1 || len(p.Models) != 1 || p.Models[0].Phones != 1 || len(p.Recent) != 1 || !p.Myself {
		t.Errorf("%+v", p)
	}
	if a := s.do(keeper, "PUT", "/api/v1/people/"+id+"/role", map[string]string{"role": "maintainer"}); a.status != 204 {
		t.Fatalf("%s", a.body)
	}
	if a := s.do(technician, "POST", "/api/v1/benches", map[string]string{"name": "x"}); a.status == 403 {
		t.Error("a new role holds at once")
	}
	me := get[struct{ Person struct{ ID string } }](s, keeper, "/api/v1/session").Person.ID
	for what, a := range map[string]answer{"the last keeper leaves": s.do(keeper, "DELETE", "/api/v1/people/"+me, nil), "the last keeper steps down": s.do(keeper, "PUT", "/api/v1/people/"+me+"/role", map[string]string{"role": "reviewer"})} {
		if a.status != 409 {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	if a := s.do(keeper, "DELETE", "/api/v1/people/"+id, nil); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if a := s.do(technician, "GET", "/api/v1/tray", nil); a.status != 401 {
		t.Error("who left is still signed in")
	}
	for _, path := range []string{"/api/v1/packages/com.brannock.tips", "/api/v1/changes", "/api/v1/people", "/api/v1/audit", "/api/v1/people/" + id} {
		a := s.do(keeper, "GET", path, nil)
		if a.status != 200 || strings.Contains(string(a.body), "the technician") {
			t.Errorf("%s: %d names who left: %s", path, a.status, a.body)
		}
	}
	d := s.do(keeper, "GET", "/api/v1/packages/com.brannock.tips", nil)
	if !strings.Contains(string(d.body), "somebody who left") || !strings.Contains(string(d.body), "Shows hints.") {
		t.Errorf("%s", d.body)
	}
}

// TestRecord reads the audit record in every form, and finds a change of it.
func TestRecord(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("keeper")
	technician := s.signIn("technician")
	build := s.captured(technician)
	s.accepted(technician, s.signIn("reviewer"), trialEdit("com.brannock.tips", build, "called:x", "clean"))
	type entry struct {
		Seq                         int64
		Action, Name, Subject, Hash string
		At                          time.Time
	}
	all := get[items[entry]](s, keeper, "/api/v1/audit").Items
	if len(all) < 8 || all[0].Action != "change.decided" || all[1].Action != "change.sent" || all[2].Action != "person.signed-in" || all[0].Subject != all[1].Subject {
		t.Fatalf("%+v", all)
	}
	if part := get[items[entry]](s, keeper, "/api/v1/audit?action=change").Items; len(part) != 2 {
		t.Errorf("%+v", part)
	}
	if page := get[items[entry]](s, keeper, fmt.Sprintf("/api/v1/audit?limit=2&before=%d", all[1].Seq)).Items; len(page) != 2 || page[0].Seq != all[2].Seq {
		t.Errorf("%+v", page)
	}
	today := time.Now().UTC().Format(time.DateOnly)
	if part := get[items[entry]](s, keeper, "/api/v1/audit?since="+today+"&until="+today).Items; len(part) != len(all) {
		t.Errorf("%d entries today, want %d", len(part), len(all))
	}
	if part := get[items[entry]](s, keeper, "/api/v1/audit?until=2020-01-01").Items; len(part) != 0 {
		t.Errorf("%+v", part)
	}
	rows, err := csv.NewReader(strings.NewReader(string(s.do(keeper, "GET", "/api/v1/audit/export", nil).body))).ReadAll()
	if err != nil || len(rows) != len(all)+1 {
		t.Errorf("%d rows, %v", len(rows), err)
	}
	if lines := strings.Split(strings.TrimSpace(string(s.do(keeper, "GET", "/api/v1/audit/export?form=jsonl&action=person", nil).body)), "\n"); !json.Valid([]byte(lines[0])) || len(lines) >= len(all) {
		t.Errorf("%d lines", len(lines))
	}
	type proof struct {
		Entries     int64
		Head, Wrong string
	}
	if p := get[proof](s, keeper, "/api/v1/audit/proof?head="+all[3].Hash); p.Wrong != "" || p.Entries != int64(len(all)) || p.Head != all[0].Hash {
		t.Errorf("%+v", p)
	}
	if p := get[proof](s, keeper, "/api/v1/audit/proof?head="+strings.Repeat("0", 64)); p.Wrong == "" {
		t.Error("a head that is not there was found")
	}
}

func TestNews(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer := s.signIn("technician"), s.signIn("reviewer")
	s.captured(technician)
	s.accepted(technician, reviewer, edit("com.brannock.tips", "description", "<b>x</b>"))
	type news struct {
		Unread int
		Items  []struct {
			Kind, Words string
			At          time.Time
		}
	}
	n := get[news](s, technician, "/api/v1/news")
	if n.Unread != 1 || n.Items[0].Kind != "decided" || n.Items[0].Words != "1 accepted" {
		t.Errorf("%+v", n)
	}
	path := decode[struct{ Path string }](s, s.do(technician, "POST", "/api/v1/news/feed", nil), 200).Path
	a := s.do(nil, "GET", path, nil)
	var feed struct {
		Entries []struct {
			Title string `xml:"title"`
			Link  struct {
				Href string `xml:"href,attr"`
			} `xml:"link"`
		} `xml:"entry"`
	}
	if err := xml.Unmarshal(a.body, &feed); err != nil || a.status != 200 || len(feed.Entries) != 1 || !strings.Contains(feed.Entries[0].Link.Href, "/review/") || a.header.Get("Content-Type") != "application/atom+xml; charset=utf-8" {
		t.Errorf("%d %v %s", a.status, err, a.body)
	}
	for _, bad := range []string{"/news/x.atom", "/news/" + strings.Repeat("A", 43) + ".atom"} {
		if a := s.do(nil, "GET", bad, nil); a.status != 404 {
			t.Errorf("%s: %d", bad, a.status)
		}
	}
	// A new address ends the old one.
	s.do(technician, "POST", "/api/v1/news/feed", nil)
	if a := s.do(nil, "GET", path, nil); a.status != 404 {
		t.Errorf("%d", a.status)
	}
	s.do(technician, "POST", "/api/v1/news/read", map[string]any{"until": time.Now()})
	if n := get[news](s, technician, "/api/v1/news"); n.Unread != 0 {
		t.Errorf("%+v", n)
	}
}

// TestReadingTokenWritesNothing goes through every route of the server with a
// keeper's token that is for reading alone.
func TestReadingTokenWritesNothing(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("keeper")
	token := decode[madeToken](s, s.do(keeper, "POST", "/api/v1/tokens", map[string]any{"name": "reads", "scopes": []string{"read"}, "days": 1}), 201).Secret
	for _, route := range s.server.Routes() {
		method, path, _ := strings.Cut(route, " ")
		need := needs[route]
		if need == "public" || need == "bench" || method == "GET" || method == "HEAD" {
			continue
		}
		path = parameter.ReplaceAllString(path, "00000000-0000-7000-8000-000000000000")
		if a := s.byToken(token, method, path, nil); a.status != 403 || !strings.Contains(string(a.body), "token") {
			t.Errorf("%s: %d %s", route, a.status, a.body)
		}
	}
}
