package faults_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"roster/faults/sample"
	"roster/server"
)

var requests = flag.Int("requests", 0, "how many more requests with values by chance are made; 0 for none")

// oddTexts are texts that are none, or that mean something to somebody.
var oddTexts = []string{"\x00", "a\x00b", "\xff", "\xed\xa0\x80", "99999999999999999999999999", "-9223372036854775808", "urn:uuid:01900000-0000-7000-8000-000000000000", "{01900000000070008000000000000000}",
	"01900000-0000-7000-8000-00000000000G", "0000-01-01", "9999-12-31T23:59:00-14:00", "'; select pg_sleep(10); --", "../../etc/passwd", "%", "\u202e", strings.Repeat("é", 3000), ""}

// oddJSON are values of a body as they are written.
var oddJSON = []string{`"\u0000"`, `"\ud800"`, "\"\xff\"", `99999999999`, `-1`, `1e400`, `9223372036854775808`, `"0000-01-01T00:00:00Z"`, `"9999-12-31T23:59:00-14:00"`, `"urn:uuid:01900000-0000-7000-8000-000000000000"`,
	`null`, `[]`, `{}`, `[null]`, `{"":0}`, `true`, `"` + strings.Repeat("x", 5000) + `"`, `[[[[[[[[[[]]]]]]]]]]`}

// description is as much of the API's description as is walked.
type description struct {
	Paths map[string]map[string]struct {
		OperationID string `json:"operationId"`
		Parameters  []struct {
			Name, In string
		}
		RequestBody struct {
			Content map[string]struct{ Schema schema }
		} `json:"requestBody"`
	}
	Components struct{ Schemas map[string]schema }
}

type schema struct {
	Ref        string `json:"$ref"`
	Type       any
	Format     string
	Enum       []any
	Items      *schema
	Properties map[string]schema
	Required   []string
	Minimum    *float64
	MinLength  *int `json:"minLength"`
}

// walker asks every route of the description for what there is none of.
type walker struct {
	t       *testing.T
	d       description
	base    string
	cookie  *http.Cookie
	bench   string
	ids     map[string][]string // real ones, by what their path begins with
	known   map[string]any      // what members of bodies are, by name; nil leaves one out
	asked   int
	refused map[int]int // by status
}

// TestOddValues puts odd values into every place of every request that the API
// describes, and finds no answer that nobody foresaw: beside a newer program, which
// has more in every table.
func TestOddValues(t *testing.T) {
	t.Parallel()
	in := sample.Open(t)
	addToEveryTable(t, in.URL, "newer")
	s := server.New(server.Config{Store: in.Store, Secret: in.Secret, Log: slog.New(slog.DiscardHandler)})
	h := httptest.NewServer(s)
	t.Cleanup(func() { s.Close(); h.Close() })
	w := &walker{t: t, base: h.URL, refused: map[int]int{}}
	raw, err := server.Describe("test")
	if err == nil {
		err = json.Unmarshal(raw, &w.d)
	}
	if err != nil {
		t.Fatal(err)
	}
	w.prepare()
	for _, path := range slices.Sorted(maps.Keys(w.d.Paths)) {
		for _, method := range slices.Sorted(maps.Keys(w.d.Paths[path])) {
			w.walk(strings.ToUpper(method), path)
		}
	}
	for _, path := range []string{"/r", "/r/brannock/lyra-5/quiet-phone", "/coverage", "/keys/x", "/run/1", "/news/x", "/desk/x", "/api/v1/attachments/x", "/api/v1/packages/x/icon", "/assets/x", "/feed.atom"} {
		for _, odd := range oddTexts {
			w.ask("GET", path+"/"+escape(odd), nil, nil)
			w.ask("GET", path+"?x="+escape(odd), nil, nil)
			w.ask("GET", strings.TrimSuffix(path, "x")+escape(odd), nil, nil)
		}
	}
	chance := rand.New(rand.NewPCG(*seed, 1))
	w.byChance(chance, *requests)
	t.Logf("%d requests: %v", w.asked, w.refused)
	if w.asked < 5000 || w.refused[200]+w.refused[201]+w.refused[204] < 1000 || w.refused[422] == 0 {
		t.Errorf("the walk led nowhere: %d requests, %v", w.asked, w.refused)
	}
}

// escape writes every byte of a text so that an address can carry it.
func escape(text string) string {
	var b strings.Builder
	for i := range len(text) {
		fmt.Fprintf(&b, "%%%02X", text[i])
	}
	return b.String()
}

// prepare signs in and finds things that are there, so that requests get
// further than to a thing that is not.
func (w *walker) prepare() {
	w.signIn()
	var made struct{ Token string }
	if _, raw := w.ask("POST", "/api/v1/benches", []byte(`{"name":"odd"}`), nil); json.Unmarshal(raw, &made) != nil || made.Token == "" {
		w.t.Fatal("no bench")
	}
	w.bench = made.Token
	w.ids = map[string][]string{}
	for prefix, list := range map[string]string{"changes": "/changes?state=sent", "profiles": "/profiles", "people": "/people", "releases": "/releases", "runs": "/runs", "benches": "/benches", "builds": "/makers/brannock/models/lyra-5/builds"} {
		_, raw := w.ask("GET", "/api/v1"+list, nil, nil)
		var items struct{ Items []struct{ ID string } }
		if err := json.Unmarshal(raw, &items); err != nil || len(items.Items) == 0 {
			w.t.Fatalf("%s: %v: %.200s", list, err, raw)
		}
		for _, one := range items.Items {
			w.ids[prefix] = append(w.ids[prefix], one.ID)
		}
	}
	w.name()
}

// name finds out what members of bodies are called that have to be something
// that is there, so that bodies are good but for what is made odd.
func (w *walker) name() {
	var change struct{ Review []struct{ ID, Thread string } }
	_, raw := w.ask("GET", "/api/v1/changes/"+w.ids["changes"][0], nil, nil)
	if err := json.Unmarshal(raw, &change); err != nil || len(change.Review) == 0 {
		w.t.Fatalf("%v: %.300s", err, raw)
	}
	var phones struct {
		Items []struct{ Phone, CaptureID string }
	}
	_, raw = w.ask("GET", "/api/v1/builds/"+w.ids["builds"][0]+"/phones", nil, nil)
	if err := json.Unmarshal(raw, &phones); err != nil || len(phones.Items) == 0 {
		w.t.Fatalf("%v: %.300s", err, raw)
	}
	var tray struct{ Items []string }
	_, raw = w.ask("POST", "/api/v1/tray/edits", []byte(`{"edits":[{"package":"com.brannock.tips","field":"description","value":"Hints."},{"package":"com.brannock.tips","field":"source","value":{"title":"A note","link":"https://notes.example/1","claim":"about"}}]}`), nil)
	if err := json.Unmarshal(raw, &tray); err != nil || len(tray.Items) != 2 {
		w.t.Fatalf("%v: %.300s", err, raw)
	}
	w.ids["tray"], w.ids["changes"] = tray.Items, w.ids["changes"][:1]
	// The bench is there, has a phone and does something.
	w.ask("POST", "/api/v1/link/view", []byte(`{"running":[],"view":{"address":"a","version":41,"wrong":"","next":"","try":[],"standIns":[],"phones":[{"handle":"x","address":"","state":"device","name":"Lyra 5","maker":"Brannock","version":"1","release":"15","carrier":"","device":"lyra5","fingerprint":"","hardware":"S1","mark":"","ready":true,"wrong":"","next":"","standIn":false}]}}`), nil)
	var job struct{ ID string }
	if _, raw = w.ask("POST", "/api/v1/benches/"+w.ids["benches"][0]+"/requests", []byte(`{"kind":"capture","phone":"x"}`), nil); json.Unmarshal(raw, &job) != nil || job.ID == "" {
		w.t.Fatalf("no job: %.300s", raw)
	}
	w.ids["jobs"], w.ids["link"] = []string{job.ID}, []string{job.ID}
	w.ids["captures"] = []string{phones.Items[0].CaptureID}
	trial := map[string]any{"build": w.ids["builds"][0], "phone": phones.Items[0].Phone, "method": "remove-for-user", "outcome": "clean", "persistence": "held", "recovery": "not-tried", "watchedDays": 3, "on": "2026-10-01", "note": "x", "tried": []any{"a call"}, "attachments": []any{}}
	var desk struct{ Items []struct{ Key string } }
	if _, raw = w.ask("GET", "/api/v1/desk", nil, nil); json.Unmarshal(raw, &desk) != nil || len(desk.Items) == 0 {
		w.t.Fatalf("nothing on the Desk: %.300s", raw)
	}
	w.known = map[string]any{
		"maker": "brannock", "model": "lyra-5", "build": w.ids["builds"][0], "capture": phones.Items[0].CaptureID, "phone": phones.Items[0].Phone,
		"profile": w.ids["profiles"][0], "release": w.ids["releases"][0], "person": w.ids["people"][0], "to": w.ids["people"][0], "bench": w.ids["benches"][0],
		"edit": change.Review[0].ID, "thread": change.Review[0].Thread, "from": nil, "sisters": nil, "at": nil, "scope": map[string]any{"kind": "everywhere"}, "field": "trial", "value": trial,
		"origins": nil, "keep": nil, "off": nil, "leave": nil, "seen": nil, "without": nil, "extras": nil, "checks": []any{"Look at the torch"}, "pins": nil, "until": "2030-01-01T00:00:00Z", "written": nil, "resume": nil,
		"text": "id,grade\ncom.brannock.tips,fine\n", "grade": "grade", "grades": map[string]any{"fine": "loose"}, "link": "https://lists.example/1", "label": nil, "words": nil, "linkColumn": nil,
		"group": "origin", "sort": "name", "q": "load:loose", "function": "", "key": desk.Items[0].Key, "running": []any{}, "icon": nil, "labels": map[string]any{"en": "Tips"}, "days": 3, "new": "three words together", "attachments": nil, "code": nil, "run": nil, "backup": nil,
	}
}

func (w *walker) signIn() {
	answer, err := http.Post(w.base+"/api/v1/session", "application/json", strings.NewReader(`{"login":"keeper","password":"`+sample.Password+`"}`))
	if err != nil {
		w.t.Fatal(err)
	}
	answer.Body.Close()
	if len(answer.Cookies()) == 0 {
		w.t.Fatalf("signing in: %s", answer.Status)
	}
	w.cookie = answer.Cookies()[0]
}

// ask makes a request and holds its answer to being foreseen.
func (w *walker) ask(method, address string, body []byte, header map[string]string) (int, []byte) {
	w.t.Helper()
	r, err := http.NewRequestWithContext(w.t.Context(), method, w.base+address, bytes.NewReader(body))
	if err != nil {
		return 0, nil // no client can send it
	}
	r.Header.Set("Content-Type", "application/json")
	for name, value := range header {
		r.Header[name] = []string{value}
	}
	if strings.HasPrefix(address, "/api/v1/link/") {
		r.Header.Set("Authorization", "Bearer "+w.bench)
	} else if w.cookie != nil {
		r.AddCookie(w.cookie)
	}
	client := http.Client{Timeout: 2 * time.Minute, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	answer, err := client.Do(r)
	if err != nil {
		if !strings.Contains(err.Error(), "invalid header field value") {
			w.t.Errorf("%s %.200s %.300s: %v", method, address, body, err)
		}
		return 0, nil
	}
	defer answer.Body.Close()
	var raw []byte
	if !strings.HasPrefix(answer.Header.Get("Content-Type"), "text/event-stream") {
		raw, _ = io.ReadAll(answer.Body)
	}
	w.asked++
	w.refused[answer.StatusCode]++
	if answer.StatusCode >= 500 {
		w.t.Errorf("%s %.200s %.300s: %d %.300s", method, address, body, answer.StatusCode, raw)
	}
	if answer.StatusCode == http.StatusUnauthorized && strings.HasPrefix(address, "/api/v1/") && !strings.HasPrefix(address, "/api/v1/session") && !strings.HasPrefix(address, "/api/v1/link") {
		w.signIn() // it signed itself out
	}
	return answer.StatusCode, raw
}

// spared are routes that would end the walk, not a thing's life.
var spared = []string{"removePerson", "signOut", "setRole", "revokeBench"}

// walk puts each odd value into each place of one operation, everything else
// being as it should.
func (w *walker) walk(method, path string) {
	op := w.d.Paths[path][strings.ToLower(method)]
	if slices.Contains(spared, op.OperationID) || strings.HasSuffix(path, "/events") || strings.HasSuffix(path, "/link/requests") {
		path = strings.Replace(path, "{id}", "01900000-0000-7000-8000-00000000000a", 1)
	}
	body := w.body(method, path)
	for _, p := range op.Parameters {
		for _, odd := range oddTexts {
			switch p.In {
			case "path":
				w.ask(method, w.address(strings.Replace(path, "{"+p.Name+"}", escape(odd), 1)), body, nil)
			case "query":
				w.ask(method, w.address(path)+"?"+p.Name+"="+escape(odd), body, nil)
			case "header":
				w.ask(method, w.address(path), body, map[string]string{p.Name: odd})
			}
		}
	}
	w.ask(method, w.address(path), body, map[string]string{"If-Match": `"1"`})
	for _, variant := range w.variants(method, path) {
		w.ask(method, w.address(path), variant, map[string]string{"If-Match": `"1"`})
	}
}

// address fills a path's parameters in with things that are there.
func (w *walker) address(path string) string {
	first := strings.Split(strings.TrimPrefix(path, "/api/v1/"), "/")[0]
	for name, value := range map[string]string{"maker": "brannock", "model": "lyra-5", "name": "com.brannock.tips", "number": "1", "kind": "package", "handle": "x", "build": w.ids["builds"][0], "against": "01900000-0000-7000-8000-00000000000a"} {
		path = strings.ReplaceAll(path, "{"+name+"}", value)
	}
	id := "01900000-0000-7000-8000-00000000000a"
	if list := w.ids[first]; len(list) > 0 {
		id = list[w.asked%len(list)]
	}
	return strings.ReplaceAll(path, "{id}", id)
}

// body is a plain body for an operation, nil where it takes none.
func (w *walker) body(method, path string) []byte {
	op := w.d.Paths[path][strings.ToLower(method)]
	content, ok := op.RequestBody.Content["application/json"]
	if !ok {
		return nil
	}
	raw, err := json.Marshal(w.plain(content.Schema, 0))
	if err != nil {
		w.t.Fatal(err)
	}
	return raw
}

// variants are an operation's body with one thing odd in each: every value,
// every key in another case and every key twice.
func (w *walker) variants(method, path string) (list [][]byte) {
	plain := w.body(method, path)
	if plain == nil {
		return nil
	}
	const here = "\x01" // marks one place; JSON has it nowhere
	var tree any
	if err := json.Unmarshal(plain, &tree); err != nil {
		w.t.Fatal(err)
	}
	each(tree, func(set func(any), was any) {
		set(here)
		marked, _ := json.Marshal(tree)
		set(was)
		for _, odd := range oddJSON {
			list = append(list, bytes.Replace(marked, []byte(`"\u0001"`), []byte(odd), 1))
		}
	})
	for _, part := range bytes.SplitAfter(plain, []byte(`":`)) {
		if at := bytes.LastIndexByte(bytes.TrimSuffix(part, []byte(`":`)), '"'); at >= 0 && bytes.HasSuffix(part, []byte(`":`)) {
			key := part[at:]
			list = append(list, bytes.Replace(plain, key, bytes.ToUpper(key), 1), bytes.Replace(plain, key, slices.Concat(key, []byte("null,"), bytes.ToUpper(key), []byte("0,"), key), 1))
		}
	}
	return append(list, plain[:len(plain)/2], bytes.Repeat([]byte("["), 100_000), []byte("\x00"))
}

// each calls do for every value in a tree, with what puts another in its place.
func each(node any, do func(set func(any), was any)) {
	switch v := node.(type) {
	case map[string]any:
		for _, key := range slices.Sorted(maps.Keys(v)) {
			do(func(x any) { v[key] = x }, v[key])
			each(v[key], do)
		}
	case []any:
		for i := range v {
			do(func(x any) { v[i] = x }, v[i])
			each(v[i], do)
		}
	}
}

// plain is a value that a schema allows.
func (w *walker) plain(s schema, depth int) any {
	if name := strings.TrimPrefix(s.Ref, "#/components/schemas/"); name != "" {
		s = w.d.Components.Schemas[name]
	}
	if len(s.Enum) > 0 {
		return s.Enum[0]
	}
	kind, _ := s.Type.(string)
	if list, ok := s.Type.([]any); ok && len(list) > 0 {
		kind, _ = list[0].(string)
	}
	switch {
	case depth > 6:
		return nil
	case kind == "object" || len(s.Properties) > 0:
		members := map[string]any{}
		for name, p := range s.Properties {
			switch value, ok := w.known[name]; {
			case !ok:
				members[name] = w.plain(p, depth+1)
			case value != nil:
				members[name] = value
			case slices.Contains(s.Required, name) && p.Items != nil:
				members[name] = []any{}
			case slices.Contains(s.Required, name) && p.Format == "":
				members[name] = ""
			case slices.Contains(s.Required, name):
				members[name] = w.plain(p, depth+1)
			}
		}
		if _, list := s.Properties["name"]; list && s.Properties["link"].Type != nil {
			members["name"] = "id" // of a list's column
		}
		return members
	case kind == "array" && s.Items != nil:
		return []any{w.plain(*s.Items, depth+1)}
	case kind == "integer", kind == "number":
		if s.Minimum != nil {
			return *s.Minimum
		}
		return 1
	case kind == "boolean":
		return true
	case s.Format == "uuid":
		return "01900000-0000-7000-8000-00000000000a"
	case s.Format == "date-time":
		return "2026-11-01T12:00:00Z"
	case kind == "string":
		return "com.brannock.tips"
	}
	return nil
}

// byChance makes requests in which several things are odd at once.
func (w *walker) byChance(chance *rand.Rand, n int) {
	paths := slices.Sorted(maps.Keys(w.d.Paths))
	for range n {
		path := paths[chance.IntN(len(paths))]
		methods := slices.Sorted(maps.Keys(w.d.Paths[path]))
		method := strings.ToUpper(methods[chance.IntN(len(methods))])
		op := w.d.Paths[path][strings.ToLower(method)]
		if slices.Contains(spared, op.OperationID) || strings.HasSuffix(path, "/events") || strings.HasSuffix(path, "/link/requests") {
			continue
		}
		address, query := path, []string{}
		header := map[string]string{}
		for _, p := range op.Parameters {
			odd := oddTexts[chance.IntN(len(oddTexts))]
			if raw := make([]byte, chance.IntN(12)); chance.IntN(2) == 0 {
				for i := range raw {
					raw[i] = byte(chance.IntN(256))
				}
				odd = string(raw)
			}
			switch {
			case p.In == "path" && chance.IntN(3) == 0:
				address = strings.Replace(address, "{"+p.Name+"}", escape(odd), 1)
			case p.In == "query" && chance.IntN(2) == 0:
				query = append(query, p.Name+"="+escape(odd))
			case p.In == "header":
				header[p.Name] = odd
			}
		}
		body := w.body(method, path)
		if variants := w.variants(method, path); len(variants) > 0 {
			body = variants[chance.IntN(len(variants))]
			if i := chance.IntN(len(body) + 1); i < len(body) && chance.IntN(4) == 0 {
				body = slices.Clone(body)
				body[i] = byte(chance.IntN(256))
			}
		}
		w.ask(method, w.address(address)+"?"+strings.Join(query, "&"), body, header)
	}
}
