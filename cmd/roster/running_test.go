package main

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// benchServer is a server with two phones and one release, whose runs go as a
// test says.
type benchServer struct {
	mu     sync.Mutex
	asked  []string // method and path of what was asked, with the body
	stops  string   // why the rehearsal stops, as a JSON list
	events []string // what the run's stream says, one after the other
	broken int      // how often the stream ends before it says anything
	t      *testing.T
}

func (b *benchServer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	raw, err := io.ReadAll(r.Body)
	if err != nil {
		return // whoever sent it broke off
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if r.Header.Get("Authorization") != "Bearer secret" {
		b.t.Errorf("%s without the token", r.URL)
	}
	if r.Method != "GET" {
		b.asked = append(b.asked, r.Method+" "+r.URL.Path+" "+string(raw))
	}
	step := `{"number":1,"kind":"remove","package":"com.a.b","state":"waiting","words":""}`
	switch path := strings.TrimPrefix(r.URL.Path, "/api/v1"); {
	case path == "/benches":
		io.WriteString(w, `{"items":[{"id":"b1","view":{"given":[{"package":"org.has.it"}],"phones":[
			{"handle":"h1","address":"192.0.2.7:5555","name":"Lyra 5","mark":"m1","ready":true},
			{"handle":"h2","address":"","name":"Nib 2","mark":"m2","ready":true},
			{"handle":"h3","name":"a phone","ready":false}]}}]}`)
	case path == "/releases":
		io.WriteString(w, `{"items":[{"id":"r3","edition":"short-loan","number":3,"state":"current"},{"id":"r2","edition":"short-loan","number":2,"state":"replaced"}]}`)
	case path == "/profiles":
		io.WriteString(w, `{"items":[{"id":"p1","slug":"short-loan"}]}`)
	case path == "/benches/b1/requests" && strings.Contains(string(raw), `"measure"`):
		io.WriteString(w, `{"id":"j3"}`)
	case path == "/jobs/j3/events":
		io.WriteString(w, "event: job\ndata: "+`{"state":"done","result":{"memAvailable":1500000000,"memTotal":4000000000,"uptime":3600,`+
			`"startTook":24.5,"wakeups":12,"processes":40,"services":1,"openings":{"camera":{"took":812}},`+
			`"screen":"off","plugged":"yes","missing":["dumpsys diskstats"]}}`+"\n\n")
	case path == "/benches/b1/requests":
		io.WriteString(w, `{"id":"j1"}`)
	case path == "/benches/b1/files":
		if !strings.Contains(string(raw), "filename=\"keys.apk\"") || !strings.Contains(string(raw), "what is in it") {
			b.t.Errorf("%s", raw)
		}
		w.WriteHeader(http.StatusAccepted)
		io.WriteString(w, `{"job":"j2"}`)
	case path == "/benches/b1/phones/h1/root":
		if string(raw) != `{"release":"r3"}` {
			b.t.Errorf("asked for root with %s", raw)
		}
		io.WriteString(w, `{"id":"j1"}`)
	case path == "/jobs/j2/events":
		io.WriteString(w, "event: job\ndata: "+
			`{"state":"done","result":{"packages":[{"package":"org.open.keys","versionName":"2"}],"wrong":["x.apk: no"]}}`+"\n\n")
	case path == "/jobs/j1/events":
		io.WriteString(w, "event: job\ndata: {\"state\":\"running\"}\n\nevent: job\ndata: {\"state\":\"done\",\"result\":{\"id\":\"c1\"}}\n\n")
	case path == "/rehearsals":
		fmt.Fprintf(w, `{"fitWhy":"proven","count":{"goes":2,"absent":1},"stops":%s,"rows":[{"number":1,"kind":"remove","package":"com.a.b","would":"goes"},{"number":2,"kind":"wait","text":"Wait 20 s","would":"does"}],"questions":[{"function":"payments","asks":"Do you pay by touch?"}]}`, b.stops)
	case path == "/runs" && r.Method == "POST":
		io.WriteString(w, `{"id":"u1"}`)
	case path == "/runs":
		if q := r.URL.Query(); q.Get("phone") != "m1" && q.Get("before") != "13" {
			io.WriteString(w, `{"items":[]}`)
			return
		}
		io.WriteString(w, `{"items":[{"id":"u1","number":12}]}`)
	case path == "/runs/u1":
		fmt.Fprintf(w, `{"run":{"id":"u1","state":"stopped","number":12},"steps":[%s]}`, strings.Replace(step, "waiting", "done", 1))
	case path == "/runs/u1/events":
		if b.broken > 0 {
			b.broken--
			return
		}
		for _, e := range b.events {
			fmt.Fprintf(w, "event: run\ndata: %s\n\n", e)
		}
	case strings.HasPrefix(path, "/runs/u1/"):
		w.WriteHeader(http.StatusNoContent)
	default:
		w.WriteHeader(http.StatusNotFound)
		io.WriteString(w, `{"detail":"That is not there."}`)
	}
}

func told(state string, counts string, steps ...string) string {
	return fmt.Sprintf(`{"run":{"id":"u1","number":12,"state":%q,"settled":true,"why":"The cable fell out.","counts":%s,"back":{"com.a.c":"back-after-restart"}},"steps":[%s]}`, state, counts, strings.Join(steps, ","))
}

func TestBenchRun(t *testing.T) {
	done := `{"number":1,"kind":"remove","package":"com.a.b","state":"done","words":"Success"}`
	refused := `{"number":2,"kind":"remove","package":"com.a.c","state":"refused","words":"Failure [X]","means":{"means":"The maker protects it.","try":["leave"]}}`
	file := filepath.Join(t.TempDir(), "keys.apk")
	if err := os.WriteFile(file, []byte("what is in it"), 0o600); err != nil {
		t.Fatal(err)
	}
	sent := `{"number":2,"kind":"remove","package":"com.a.c","state":"sent","words":""}`
	for what, c := range map[string]struct {
		args   []string
		stops  string
		events []string
		out    []string // parts of what is printed
		err    string   // part of the error, "" for none
		asked  string   // part of what was asked, "" for nothing more
	}{
		"a rehearsal":         {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "lyra 5", "--rehearse"}, `[]`, nil, []string{"  1  goes     com.a.b", "  2  does     Wait 20 s", "ask the owner: Do you pay by touch? (--keep payments)", "2 would go"}, "", `"release":"r3"`},
		"of another number":   {[]string{"run", "brannock/lyra-5/short-loan/2", "--phone", "h1", "--rehearse", "--json"}, `[]`, nil, []string{`"fitWhy": "proven"`}, "", `"release":"r2"`},
		"of a draft":          {[]string{"run", "brannock/lyra-5/short-loan", "--draft", "--phone", "h1", "--rehearse"}, `[]`, nil, []string{"2 would go"}, "", `"profile":"p1"`},
		"what stops":          {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1"}, `[{"code":"nobody-does","words":"nobody could be the phone's HOME any more"}]`, nil, nil, "nobody could be the phone's HOME", ""},
		"a run":               {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "192.0.2.7:5555", "--keep", "payments", "--leave", "com.a.d"}, `[]`, []string{told("going", "{}", done, sent), told("finished", `{"done":1}`, done)}, []string{"  1/2  done     com.a.b  Success", "run 12 is finished: 1 done", "came back: com.a.c"}, "", `"keep":["payments"]`},
		"a file of nothing":   {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1", "--file", file + "x"}, `[]`, nil, nil, "no such file", ""},
		"with a refusal":      {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1"}, `[]`, []string{told("finished", `{"done":1,"refused":1}`, done, refused)}, []string{"refused  com.a.c  Failure [X]", "com.a.c: The maker protects it."}, "not all of it went well", ""},
		"interrupted":         {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1"}, `[]`, []string{told("interrupted", `{"done":1,"unknown":1}`, done)}, []string{"1 unknown"}, "go on with: roster bench continue 12", ""},
		"gone on with":        {[]string{"continue", "12"}, `[]`, []string{told("finished", `{"done":2}`, done, strings.Replace(refused, "refused", "done", 1))}, []string{"2/2  done     com.a.c"}, "", "POST /api/v1/runs/u1/continue"},
		"by its phone":        {[]string{"continue", "--phone", "Lyra 5"}, `[]`, []string{told("finished", `{"done":1}`, done)}, []string{"run 12 is finished"}, "", "POST /api/v1/runs/u1/continue"},
		"put back by name":    {[]string{"put-back", "12", "--package", "com.a.b"}, `[]`, []string{told("put-back", `{"done":1}`, done)}, []string{"run 12 is put-back"}, "", `POST /api/v1/runs/u1/put-back {"packages":["com.a.b"]}`},
		"no such run":         {[]string{"continue", "99"}, `[]`, nil, nil, "no such run", ""},
		"no such release":     {[]string{"run", "brannock/lyra-5/other", "--phone", "h1"}, `[]`, nil, nil, "no such release", ""},
		"no such phone":       {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h3"}, `[]`, nil, nil, "no phone \"h3\" is ready", ""},
		"which phone":         {[]string{"run", "brannock/lyra-5/short-loan"}, `[]`, nil, nil, "Lyra 5 (h1), Nib 2 (h2)", ""},
		"no name":             {[]string{"run", "short-loan", "--phone", "h1"}, `[]`, nil, nil, "want MAKER/MODEL/EDITION", ""},
		"a number of nothing": {[]string{"put-back", "x"}, `[]`, nil, nil, "no number of a run", ""},

		"measured": {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1"}, `[]`,
			[]string{strings.Replace(told("finished", `{"done":1}`, done), `"steps"`, `"gain":{"gained":{`+
				`"memory":{"before":3.7e9,"after":3.9e9,"gained":2e8},"start":{"before":26.3,"after":23.9,"gained":2.4},"processes":{"before":5,"after":5,"gained":0}}},"steps"`, 1)},
			[]string{"memory to be had   3700.0 MB before, 3900.0 MB after", "start took         26.3 s before, 23.9 s after"}, "", `"measure":true`},
		"not measured": {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1", "--no-measure"}, `[]`,
			[]string{told("finished", `{"done":1}`, done)}, nil, "", `"noRestart":false,"anyway"`},
		"as it is": {[]string{"measure", "--phone", "h1"}, `[]`, nil, []string{
			"memory to be had   1500.0 MB of 4000.0 MB", "start took         24.5 s", "processes          40, and 1 service", "woken by alarms    12 times an hour",
			"opening camera     812 ms", "screen off, charger yes, up for 3600 s", "not told           dumpsys diskstats",
		}, "", `{"kind":"measure","phone":"h1"}`},
		"with a file": {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1", "--file", file, "--make-quiet", "com.a.e"}, `[]`,
			[]string{told("finished", `{"done":1}`, done)}, nil, "", `"given":["org.has.it","org.open.keys"]`},
		"with root": {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1", "--root", "--for-user", "com.a.e", "--with-data", "com.a.f"}, `[]`,
			[]string{told("finished", `{"done":1}`, done)}, nil, "", `"user":["com.a.e"],"withData":["com.a.f"],"given":["org.has.it"]`},
		"quiet": {[]string{"run", "brannock/lyra-5/short-loan", "--phone", "h1", "--make-quiet", "com.a.e"}, `[]`,
			[]string{told("finished", `{"done":1}`, done)}, nil, "", `"quiet":["com.a.e"],"given":["org.has.it"]`},
	} {
		b := &benchServer{t: t, stops: c.stops, events: c.events}
		if what == "a run" {
			b.broken = 1 // it comes back by itself
		}
		server := httptest.NewServer(b)
		out, _, err := call(t, "", append([]string{"bench"}, append(c.args, "--server", server.URL, "--token", "secret")...)...)
		server.Close()
		if (err == nil) != (c.err == "") || err != nil && !strings.Contains(err.Error(), c.err) {
			t.Errorf("%s: %v, want %q", what, err, c.err)
		}
		for _, part := range c.out {
			if !strings.Contains(out, part) {
				t.Errorf("%s: %q is not in\n%s", what, part, out)
			}
		}
		if all := strings.Join(b.asked, "\n"); !strings.Contains(all, c.asked) {
			t.Errorf("%s: %q was not asked:\n%s", what, c.asked, all)
		}
		for _, one := range b.asked {
			if _, body, ok := strings.Cut(one, " {"); ok && !json.Valid([]byte("{"+body)) {
				t.Errorf("%s: %s", what, one)
			}
		}
		if what == "gone on with" && strings.Contains(out, "com.a.b") {
			t.Errorf("what had ended before is printed again:\n%s", out)
		}
	}
}
