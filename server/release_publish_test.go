package server_test

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"

	"aead.dev/minisign"
)

// TestPublications goes the ways that a publication can go: returned, taken
// back, refused for what it lacks, overtaken.
func TestPublications(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	ask := func(cookie *http.Cookie, etag string, changes ...string) answer {
		t.Helper()
		return q.do(cookie, "POST", "/api/v1/profiles/"+q.profile+"/publications", map[string]any{"changes": append([]string{}, changes...), "words": ""}, "If-Match", etag)
	}
	decide := func(cookie *http.Cookie, publication string, body map[string]any) answer {
		t.Helper()
		return q.do(cookie, "POST", "/api/v1/publications/"+publication+"/decision", body)
	}
	q.rules("com.brannock.games")
	etag := q.etag()
	for what, a := range map[string]answer{
		"a line too long":   ask(q.maintainer, etag, strings.Repeat("x", 1001)),
		"a reviewer":        ask(q.reviewer, etag, "New."),
		"another revision":  ask(q.maintainer, `"1"`, "New."),
		"no revision":       q.do(q.maintainer, "POST", "/api/v1/profiles/"+q.profile+"/publications", map[string]any{"changes": []string{"New."}, "words": ""}),
		"no such profile":   q.do(q.maintainer, "POST", "/api/v1/profiles/"+q.first+"/publications", map[string]any{"changes": []string{"New."}, "words": ""}, "If-Match", `"1"`),
		"no such decision":  decide(q.keeper, q.first, map[string]any{"verdict": "published"}),
		"no such verdict":   decide(q.keeper, q.first, map[string]any{"verdict": "approved"}),
		"nobody is for all": q.do(nil, "POST", "/api/v1/publications/"+q.first+"/decision", map[string]any{"verdict": "published"}),
	} {
		want := map[string]int{"a reviewer": 403, "another revision": 412, "no such profile": 404, "no such decision": 404, "nobody is for all": 401}[what]
		if want == 0 {
			want = 422
		}
		if a.status != want {
			t.Errorf("%s: %d, want %d: %s", what, a.status, want, a.body)
		}
	}

	asked := decode[id](q.site, ask(q.maintainer, etag, "Leaves the suite on.", ""), 201).ID
	if a := decide(q.maintainer, asked, map[string]any{"verdict": "published"}); a.status != 403 {
		t.Errorf("by the one who asked: %d %s", a.status, a.body)
	}
	if a := decide(q.keeper, asked, map[string]any{"verdict": "returned", "answer": "  "}); a.status != 422 {
		t.Errorf("returned without words: %d %s", a.status, a.body)
	}
	if a := decide(q.keeper, asked, map[string]any{"verdict": "taken-back"}); a.status != 403 {
		t.Errorf("taken back by another: %d %s", a.status, a.body)
	}
	if a := decide(q.keeper, asked, map[string]any{"verdict": "returned", "answer": "Say for whom."}); a.status != 200 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := decide(q.keeper, asked, map[string]any{"verdict": "published"}); a.status != 409 {
		t.Errorf("decided twice: %d %s", a.status, a.body)
	}
	again := decode[id](q.site, ask(q.maintainer, etag, "Leaves the suite on."), 201).ID
	if a := decide(q.maintainer, again, map[string]any{"verdict": "taken-back"}); a.status != 200 {
		t.Errorf("%d %s", a.status, a.body)
	}
	// Words are for who has some: what differs is computed, and was when it was
	// asked.
	third := decode[id](q.site, ask(q.maintainer, etag, " ", "\t"), 201).ID
	type computed struct {
		Since       int
		Differences []string
		Changes     []string
	}
	waiting := get[struct{ Publications []computed }](q.site, q.keeper, "/api/v1/profiles/"+q.profile).Publications[0]
	if waiting.Since != 1 || !slices.Equal(waiting.Differences, []string{"Stays now: com.brannock.suite", "new firmware: 22"}) || len(waiting.Changes) != 0 {
		t.Errorf("%+v", waiting)
	}
	out := decode[struct {
		Number int
		Path   string
	}](q.site, decide(q.keeper, third, map[string]any{"verdict": "published", "changes": []string{"Leaves  the\nsuite on, which readers need."}}), 200)
	if out.Number != 2 || out.Path != "/r/brannock/lyra-5/quiet/2" {
		t.Errorf("%+v", out)
	}
	page := string(q.do(nil, "GET", out.Path, nil).body)
	if !strings.Contains(page, "Leaves the suite on, which readers need.") || strings.Contains(page, "Not for") {
		t.Errorf("%.3000s", page)
	}

	signed := get[computed](q.site, nil, out.Path+".json")
	if signed.Since != 1 || !slices.Equal(signed.Differences, waiting.Differences) || !strings.Contains(page, "Other than no. 1") {
		t.Errorf("%+v", signed)
	}

	// Withdrawn with words, once, by maintainers.
	for _, r := range get[items[struct {
		ID    string
		State string
	}]](q.site, q.keeper, "/api/v1/releases").Items {
		if r.State == "current" {
			q.release = r.ID
		}
	}
	withdraw := func(cookie *http.Cookie, reason string) int {
		return q.do(cookie, "POST", "/api/v1/releases/"+q.release+"/withdrawal", map[string]string{"reason": reason}).status
	}
	if codes := []int{withdraw(q.reviewer, "no"), withdraw(q.maintainer, " "), withdraw(q.maintainer, "<b>Calls</b> were lost."), withdraw(q.keeper, "again")}; !slices.Equal(codes, []int{403, 422, 204, 409}) {
		t.Errorf("withdrawals: %v", codes)
	}
	page = string(q.do(nil, "GET", out.Path, nil).body)
	if !strings.Contains(page, "&lt;b&gt;Calls&lt;/b&gt; were lost.") || strings.Contains(page, "<b>Calls") {
		t.Errorf("%.2000s", page)
	}
}

type compared struct {
	With           string
	Added, Removed []struct{ Package string }
	Same           int
	Log            []string
}

func (c compared) String() string {
	raw, _ := json.Marshal(c)
	return string(raw)
}

// TestComparedProfiles sets a profile against its releases and another profile.
func TestComparedProfiles(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	with := func(query string) compared {
		t.Helper()
		return get[compared](q.site, q.technician, "/api/v1/profiles/"+q.profile+"/comparison"+query)
	}
	if c := with(""); c.With != "no. 1" || len(c.Added) != 0 || len(c.Removed) != 1 || c.Removed[0].Package != "com.brannock.suite" || c.Same != 1 || len(c.Log) != 2 {
		t.Errorf("as the new firmware has it: %v", c)
	}
	q.rules()
	if c := with("?release=1"); c.With != "no. 1" || len(c.Removed) != 2 || c.Same != 0 {
		t.Errorf("without pins: %v", c)
	}
	other := decode[id](q.site, q.do(q.maintainer, "POST", "/api/v1/profiles", map[string]any{"maker": "brannock", "model": "lyra-5", "name": "Loud", "purpose": " for noise ", "from": q.profile}), 201).ID
	q.rules("com.brannock.games")
	if c := with("?profile=" + other); c.With != "Lyra 5: Loud" || len(c.Added) != 1 || c.Added[0].Package != "com.brannock.games" {
		t.Errorf("with another profile: %v", c)
	}
	if c := get[compared](q.site, q.technician, "/api/v1/profiles/"+other+"/comparison"); c.With != "" || len(c.Log) != 1 || c.Log[0] != "The first release." {
		t.Errorf("before the first: %v", c)
	}
	for path, status := range map[string]int{q.profile + "/comparison?release=9": 404, q.profile + "/comparison?release=-1": 422, q.profile + "/comparison?profile=" + q.first: 404, q.first + "/comparison": 404} {
		if a := q.do(q.technician, "GET", "/api/v1/profiles/"+path, nil); a.status != status {
			t.Errorf("%s: %d, want %d", path, a.status, status)
		}
	}
	for what, body := range map[string]map[string]any{
		"no name":      {"maker": "brannock", "model": "lyra-5", "name": " ", "purpose": ""},
		"the same":     {"maker": "brannock", "model": "lyra-5", "name": "Quiet", "purpose": ""},
		"no model":     {"maker": "brannock", "model": "nothing", "name": "x", "purpose": ""},
		"from nowhere": {"maker": "brannock", "model": "lyra-5", "name": "x", "purpose": "", "from": q.first},
	} {
		if a := q.do(q.maintainer, "POST", "/api/v1/profiles", body); a.status/100 != 4 {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
}

// TestRotatedKey retires the signing key: what it signed stays good, the new
// one is vouched for, and maintainers hear what to publish anew.
func TestRotatedKey(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	rotate := func(cookie *http.Cookie, why string) answer {
		return q.do(cookie, "POST", "/api/v1/keys", map[string]string{"why": why})
	}
	type key struct {
		ID, PublicKey, Endorsement, EndorsedBy string
		RetiredAt                              *string
	}
	before := get[items[key]](q.site, q.technician, "/api/v1/keys").Items
	if len(before) != 1 || len(q.on(q.maintainer, "key-retired")) != 0 {
		t.Fatalf("%+v", before)
	}
	if a := rotate(q.maintainer, "Its holder left."); a.status != 403 {
		t.Errorf("a maintainer rotates: %d", a.status)
	}
	if a := rotate(q.keeper, " \t"); a.status != 422 {
		t.Errorf("without a reason: %d", a.status)
	}
	fresh := decode[key](q.site, rotate(q.keeper, "Its holder left."), 201)
	keys := get[items[key]](q.site, q.technician, "/api/v1/keys").Items
	if len(keys) != 2 || fresh.ID == before[0].ID || keys[0].ID != fresh.ID || keys[0].EndorsedBy != before[0].ID || keys[0].RetiredAt != nil || keys[1].RetiredAt == nil {
		t.Errorf("%+v", keys)
	}
	lines := q.on(q.maintainer, "key-retired")
	if len(lines) != 1 || !strings.Contains(lines[0].Text, "1 current release is signed with a key that is retired: Lyra 5: Quiet.") {
		t.Errorf("%+v", lines)
	}

	verify := func(public string) bool {
		t.Helper()
		var k minisign.PublicKey
		if err := k.UnmarshalText([]byte(public)); err != nil {
			t.Fatalf("%q: %v", public, err)
		}
		document, signature := q.do(nil, "GET", "/r/brannock/lyra-5/quiet.json", nil), q.do(nil, "GET", "/r/brannock/lyra-5/quiet.json.minisig", nil)
		return minisign.Verify(k, document.body, signature.body)
	}
	if !verify(before[0].PublicKey) || verify(fresh.PublicKey) {
		t.Error("what the old key signed is not good any more")
	}
	history := string(q.do(nil, "GET", "/keys", nil).body)
	for _, k := range keys {
		if !strings.Contains(history, k.ID) {
			t.Errorf("%s is not in the history of keys", k.ID)
		}
	}
	if !strings.Contains(history, "Its holder left.") {
		t.Error("nobody is told why")
	}
	// The old one vouches for the new one's file.
	var old minisign.PublicKey
	if err := old.UnmarshalText([]byte(before[0].PublicKey)); err != nil {
		t.Fatal(err)
	}
	public, vouched := q.do(nil, "GET", "/keys/"+fresh.ID+".pub", nil), q.do(nil, "GET", "/keys/"+fresh.ID+".pub.minisig", nil)
	if !minisign.Verify(old, public.body, vouched.body) || !strings.Contains(string(public.body), fresh.PublicKey) || fresh.Endorsement != string(vouched.body) {
		t.Errorf("%s\n%s", public.body, vouched.body)
	}
	// The next release is signed with the new one, and the line is gone.
	q.rules("com.brannock.games")
	q.publish()
	if !verify(fresh.PublicKey) || verify(before[0].PublicKey) || len(q.on(q.maintainer, "key-retired")) != 0 {
		t.Error("the next release is not signed with the new key alone")
	}
}

// TestPublicLists looks at the lists of releases as strangers do.
func TestPublicLists(t *testing.T) {
	t.Parallel()
	q := withQuiet(t)
	for _, path := range []string{"/r", "/r/brannock", "/r/brannock/lyra-5"} {
		page := string(q.do(nil, "GET", path, nil).body)
		if !strings.Contains(page, "Quiet") || !strings.Contains(strings.ToLower(page), "not for") {
			t.Errorf("%s: %.2000s", path, page)
		}
	}
	feed := string(q.do(nil, "GET", "/feed.atom", nil).body)
	if !strings.Contains(feed, "Not for") || strings.Count(feed, "<entry>") != 2 {
		t.Errorf("%s", feed)
	}
	for _, path := range []string{"/r/nobody", "/r/brannock/nothing", "/r/brannock/lyra-5/loud", "/r/brannock/lyra-5/quiet/7", "/r/..%2f..", "/r/brannock/lyra-5/quiet.exe"} {
		if a := q.do(nil, "GET", path, nil); a.status != 404 {
			t.Errorf("%s: %d", path, a.status)
		}
	}
	// A lifted mark is a mark no more.
	if a := q.do(q.maintainer, "POST", "/api/v1/releases/"+q.release+"/builds/"+q.second+"/lift", map[string]string{"why": "Nobody reads here."}); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if page := string(q.do(nil, "GET", "/r/brannock/lyra-5", nil).body); strings.Contains(page, "Not for") {
		t.Errorf("%.2000s", page)
	}
}
