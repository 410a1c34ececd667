package server_test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/phone"
	"roster/server"
	"roster/store"
)

// fitted is a site with a phone on its bench, captured, and a profile for it.
type fitted struct {
	*site
	cookie  *http.Cookie
	phone   *phone.Phone
	address string
	at      on
	capture string
	profile uuid.UUID
	// before is what the phone had, names what the profile takes off.
	before []string
	names  []string
}

// ran is a run as the API tells it.
type ran struct {
	Run struct {
		ID, State, Why, Phone string
		Number                int64
		Settled               bool
		Back                  map[string]string
		Checks                []struct {
			Number                 int
			Text, Function, Answer string
		}
		Hunts []hunted
	}
	Steps []ranStep
	Own   *struct {
		Phones, Harmed int
		Ceiling        float64
	}
}

type ranStep struct {
	Number                      int
	Kind, Package, State, Words string
	Again, Undoes               int
	Means                       *struct{ Try []string }
}

type hunted struct {
	Check    int
	Asking   []string
	Found    string
	Over     bool
	Suspects []struct{ Package string }
}

// removable are packages of the Lyra 5 on the desk that nothing keeps there.
var removable = []string{"app.basketree.shop", "com.brannock.tips", "com.fieldnote.appmanager", "com.fieldnote.chirrup", "com.fieldnote.services", "com.brannock.weather",
	"games.puzzleharbour.tiles", "news.morrow.reader", "com.brannock.voice", "com.brannock.voice.wake", "com.brannock.notes", "com.brannock.calendar"}

// fit captures a stand-in and makes a profile that takes names off it.
func fit(t *testing.T, change func(*phone.Scenario), rules func(*profile.Rules), names ...string) *fitted {
	t.Helper()
	s := withBench(t)
	f := &fitted{site: s}
	f.cookie = s.signIn("technician")
	f.phone, f.at = s.attach(f.cookie, func(c *phone.Scenario) {
		if change != nil {
			change(c)
		}
	}, func(p benchPhone) bool {
		f.address = p.Address
		return identified(p)
	})
	f.prepare(rules, names...)
	return f
}

// prepare captures the phone and makes a profile that takes names off it.
func (f *fitted) prepare(rules func(*profile.Rules), names ...string) {
	s, t := f.site, f.t
	t.Helper()
	f.before = f.there()
	f.capture = f.captured()
	r := profile.Rules{Method: evidence.RemoveForUser, HighestLoad: evidence.Loose, HighestCeiling: 0, LeastStanding: evidence.Firm, Unproven: profile.ByHand}
	for _, name := range names {
		if slices.Contains(f.before, name) {
			r.Pins = append(r.Pins, profile.Pin{Package: android.PackageName(name), Goes: true, Reason: "for this test"})
			f.names = append(f.names, name)
		}
	}
	if rules != nil {
		rules(&r)
	}
	sc, err := s.store.FindScope(t.Context(), "brannock", "lyra-5", "")
	if err != nil {
		t.Fatal(err)
	}
	person, err := s.store.AddPerson(t.Context(), "maintainer", "maintainer", "maintainer", "x")
	if err != nil {
		t.Fatal(err)
	}
	if f.profile, err = s.store.AddProfile(t.Context(), store.NewProfile{Model: sc.Model.ID, Name: "A test", Rules: r}, person.ID); err != nil {
		t.Fatal(err)
	}
	f.names = nil
	for _, row := range f.rehearsed(nil).Rows {
		if row.Would == "goes" {
			f.names = append(f.names, row.Package)
		}
	}
	if len(names) > 0 && len(f.names) < 6 {
		t.Fatalf("too few packages would go: %v", f.names)
	}
}

type rehearsal struct {
	Count     struct{ Goes, LeftOut, Absent, Already, Refuses int }
	Stops     []struct{ Code, Words string }
	Rows      []struct{ Kind, Package, Would, Why string }
	Questions []struct {
		Function, Asks string
		Packages       []string
	}
	Owners []struct{ Package string }
	Jobs   []struct{ Role, State string }
}

func (f *fitted) rehearsed(choices map[string]any) rehearsal {
	f.t.Helper()
	return decode[rehearsal](f.site, f.do(f.cookie, "POST", "/api/v1/rehearsals", map[string]any{"profile": f.profile, "capture": f.capture, "choices": f.body(choices)["choices"]}), 200)
}

func (f *fitted) captured() string {
	f.t.Helper()
	last, _ := f.follow(f.cookie, f.startCapture(f.cookie, f.at))
	if last.State != "done" || last.Result == nil {
		f.t.Fatalf("%+v", last)
	}
	return last.Result.ID
}

func (f *fitted) body(choices map[string]any) map[string]any {
	c := map[string]any{"leave": []string{}, "off": []string{}, "keep": []string{}, "without": []int{}, "seen": []int{}, "noRestart": true, "anyway": false, "ownersData": "none"}
	for k, v := range choices {
		c[k] = v
	}
	return map[string]any{"profile": f.profile, "capture": f.capture, "choices": c, "bench": f.at.bench, "phone": f.at.phone}
}

func (f *fitted) start(choices map[string]any) string {
	f.t.Helper()
	return decode[struct{ ID string }](f.site, f.do(f.cookie, "POST", "/api/v1/runs", f.body(choices)), 201).ID
}

// expect asks for something that answers with a status.
func (f *fitted) expect(status int, cookie *http.Cookie, method, path string, body any) {
	f.t.Helper()
	if a := f.do(cookie, method, path, body); a.status != status {
		f.t.Fatalf("%s %s: %d, want %d: %s", method, path, a.status, status, a.body)
	}
}

// connect asks the bench to reach the phone again, as a person would.
func (f *fitted) connect() {
	f.t.Helper()
	for _, kind := range []string{"disconnect", "connect"} {
		f.follow(f.cookie, f.ask(f.cookie, on{bench: f.at.bench}, map[string]string{"kind": kind, "address": f.address}))
	}
}

func (f *fitted) run(id string) ran {
	f.t.Helper()
	return get[ran](f.site, f.cookie, "/api/v1/runs/"+id)
}

// ended waits until a run is in one of the states, and settled.
func (f *fitted) ended(id string, states ...string) (r ran) {
	f.t.Helper()
	f.until("the run is "+states[0], func() bool {
		r = f.run(id)
		return slices.Contains(states, r.Run.State) && r.Run.Settled
	})
	return r
}

// there is what the phone has, switched on.
func (f *fitted) there() []string {
	off := f.phone.OffNames()
	return slices.DeleteFunc(f.phone.InstalledNames(), func(name string) bool { return slices.Contains(off, name) })
}

// agrees holds the phone to the journal: exactly what the journal says is off,
// and nothing went twice.
func (f *fitted) agrees(r ran) {
	f.t.Helper()
	off := map[string]bool{}
	for _, st := range r.Steps {
		switch {
		case st.State == "unknown" || st.State == "sent":
			f.t.Errorf("step %d is %s", st.Number, st.State)
		case st.Kind == "remove" && st.State == "done":
			off[st.Package] = true
		case st.Kind == "put-back" && st.State == "done":
			delete(off, st.Package)
		}
	}
	now := f.there()
	for _, name := range f.before {
		if there := slices.Contains(now, name); there == off[name] {
			f.t.Errorf("%s: the journal says off %t, the phone has it %t", name, off[name], there)
		}
	}
}

func TestRun(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, removable...)
	r := f.rehearsed(map[string]any{"leave": f.names[:1]})
	if r.Count.Goes != len(f.names)-1 || r.Count.LeftOut != 1 || len(r.Stops) > 0 {
		t.Fatalf("%+v", r)
	}
	id := f.start(map[string]any{"leave": f.names[:1]})
	done := f.ended(id, "finished")
	f.agrees(done)
	if slices.Contains(f.phone.InstalledNames(), f.names[1]) || !slices.Contains(f.phone.InstalledNames(), f.names[0]) {
		t.Error("what was left out went, or the rest did not")
	}
	for name, n := range f.phone.TakenOff() {
		if n != 1 {
			t.Errorf("%s went %d times", name, n)
		}
	}
	// Two by name, then all.
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{"packages": f.names[1:3]})
	f.agrees(f.ended(id, "finished"))
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{})
	f.agrees(f.ended(id, "put-back"))
	if !slices.Equal(f.before, f.there()) {
		t.Error("the phone is not as it was")
	}
}

func TestRunCableFallsOut(t *testing.T) {
	t.Parallel()
	f := fit(t, func(s *phone.Scenario) { s.RemovalTakes = 30 * time.Millisecond }, nil, removable...)
	if err := f.phone.Do("loosen", "18"); err != nil {
		t.Fatal(err)
	}
	id := f.start(nil)
	f.until("it is interrupted", func() bool { return f.run(id).Run.State == "interrupted" })
	f.phone.Plug()
	f.connect()
	r := f.ended(id, "interrupted")
	f.agrees(r)
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/continue", nil)
	f.agrees(f.ended(id, "finished"))
	for name, n := range f.phone.TakenOff() {
		if n != 1 {
			t.Errorf("%s went %d times", name, n)
		}
	}
}

// TestRunSettings sets two settings, and putting back gives each the value that
// it had: one of them had none.
func TestRunSettings(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, func(r *profile.Rules) {
		r.Extras = []profile.Extra{{Kind: profile.Setting, Namespace: "global", Key: "window_animation_scale", Value: "0.5"}, {Kind: profile.HoldUpdates}}
	}, removable...)
	get := func(key string) string {
		return strings.TrimSpace(string(f.phone.Ask(t.Context(), "settings get global "+key)))
	}
	id := f.start(nil)
	f.agrees(f.ended(id, "finished"))
	if a, b := get("window_animation_scale"), get(profile.HoldKey); a != "0.5" || b != "1" {
		t.Errorf("%s, %s", a, b)
	}
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{})
	f.agrees(f.ended(id, "put-back"))
	if a, b := get("window_animation_scale"), get(profile.HoldKey); a != "1.0" || b != "null" {
		t.Errorf("%s, %s: want them as they were", a, b)
	}
	f.expect(409, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{})
	f.expect(409, f.cookie, "POST", "/api/v1/runs/"+id+"/continue", nil)
}

// inTheMiddle is how long removals take where something is done between two of
// them, however slow the computer is; phone.TakeRemovals ends it.
const inTheMiddle = 3 * time.Second

// TestRunStopped stops a run in the middle; meanwhile nobody else runs on the
// phone, a step that waits is left out, and it goes on with the rest.
func TestRunStopped(t *testing.T) {
	t.Parallel()
	f := fit(t, func(s *phone.Scenario) { s.RemovalTakes = inTheMiddle }, nil, removable...)
	id := f.start(nil)
	f.expect(409, f.cookie, "POST", "/api/v1/runs", f.body(nil))
	f.until("something went", func() bool {
		return slices.ContainsFunc(f.run(id).Steps, func(s ranStep) bool { return s.State == "done" })
	})
	f.expect(409, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{})
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/stop", nil)
	r := f.ended(id, "stopped")
	f.phone.TakeRemovals(0)
	f.agrees(r)
	at := slices.IndexFunc(r.Steps, func(s ranStep) bool { return s.State == "waiting" && s.Kind == "remove" })
	if at < 0 {
		t.Fatalf("nothing was left to do: %+v", r.Steps)
	}
	left := r.Steps[at]
	f.expect(204, f.cookie, "POST", fmt.Sprintf("/api/v1/runs/%s/steps/%d/leave", id, left.Number), nil)
	f.expect(409, f.cookie, "POST", fmt.Sprintf("/api/v1/runs/%s/steps/%d/leave", id, left.Number), nil)
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/continue", nil)
	r = f.ended(id, "finished")
	f.agrees(r)
	if r.Steps[at].State != "skipped" || !slices.Contains(f.there(), left.Package) {
		t.Errorf("%+v", r.Steps[at])
	}
}

// TestRunRefused: what the maker protects is refused in the phone's own words,
// explained, and can be tried another way.
func TestRunRefused(t *testing.T) {
	t.Parallel()
	f := fit(t, func(s *phone.Scenario) { s.Protected = []string{"app.basketree.shop"} }, nil, removable...)
	id := f.start(nil)
	r := f.ended(id, "finished")
	at := slices.IndexFunc(r.Steps, func(s ranStep) bool { return s.Package == "app.basketree.shop" })
	refused := r.Steps[at]
	if refused.State != "refused" || !strings.Contains(refused.Words, "DELETE_FAILED_INTERNAL_ERROR") || refused.Means == nil || !slices.Contains(refused.Means.Try, "switch-off") {
		t.Fatalf("%+v", refused)
	}
	f.expect(204, f.cookie, "POST", fmt.Sprintf("/api/v1/runs/%s/steps/%d/instead", id, refused.Number), nil)
	f.until("it was tried another way", func() bool {
		last := f.run(id).Steps
		return last[len(last)-1].Again == refused.Number && last[len(last)-1].State == "refused"
	})
	f.expect(409, f.cookie, "POST", fmt.Sprintf("/api/v1/runs/%s/steps/%d/instead", id, refused.Number), nil)
	draft := get[struct {
		Drafts []struct {
			Package string
			Value   struct{ Outcome, Note, Method string }
		}
		Withheld []struct{ Package, Why string }
	}](f.site, f.cookie, "/api/v1/runs/"+id+"/draft")
	for _, d := range draft.Drafts {
		if d.Package != "app.basketree.shop" || d.Value.Outcome != "refused" || d.Value.Note == "" {
			t.Errorf("before anything was tried: %+v", d)
		}
	}
	if len(draft.Drafts) != 2 || len(draft.Withheld) == 0 {
		t.Errorf("%+v", draft)
	}
}

// TestRunSeenFromBoth: two servers share a database; who looks at the other one
// sees the run as it happens, from its beginning.
func TestRunSeenFromBoth(t *testing.T) {
	t.Parallel()
	f := fit(t, func(s *phone.Scenario) { s.RemovalTakes = 80 * time.Millisecond }, nil, removable...)
	second := f.secondServer()
	id := f.start(nil)
	last, events := ran{}, 0
	seen := map[int]string{}
	r, err := http.NewRequestWithContext(t.Context(), "GET", second.URL+"/api/v1/runs/"+id+"/events", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.AddCookie(f.cookie)
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 1<<22)
	for lines.Scan() {
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		last = ran{}
		if err := json.Unmarshal([]byte(data), &last); err != nil {
			t.Fatal(err)
		}
		events++
		for _, s := range last.Steps {
			seen[s.Number] = s.State
		}
		if last.Run.State == "finished" {
			break
		}
	}
	whole := f.run(id)
	for _, s := range whole.Steps {
		if seen[s.Number] != s.State {
			t.Errorf("step %d is %s, and was told to be %s", s.Number, s.State, seen[s.Number])
		}
	}
	if events < 4 {
		t.Errorf("%d events: it was not followed as it happened", events)
	}
}

// TestRunClockSetBack: a lease that lies in a future that no lease reaches has
// lapsed, and times in the journal order nothing.
func TestRunClockSetBack(t *testing.T) {
	t.Parallel()
	f := fit(t, func(s *phone.Scenario) { s.RemovalTakes = inTheMiddle }, nil, removable...)
	id := f.start(nil)
	f.until("something went", func() bool {
		return slices.ContainsFunc(f.run(id).Steps, func(s ranStep) bool { return s.State == "done" })
	})
	f.phone.Unplug()
	f.phone.TakeRemovals(0)
	f.until("it is interrupted", func() bool { return f.run(id).Run.State == "interrupted" })
	// As after a clock that was an hour ahead was set right.
	f.sql(`update runs set state = 'going', lease = now() + interval '1 hour', settled = true`)
	if r := f.run(id); r.Run.State != "interrupted" {
		t.Errorf("it counts as %s for an hour", r.Run.State)
	}
	f.phone.Plug()
	f.connect()
	f.agrees(f.ended(id, "interrupted"))
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/continue", nil)
	f.agrees(f.ended(id, "finished"))
}

// TestRunDatabaseAway: while the journal can't be written nothing is sent, and
// the run goes on by itself when it can again.
func TestRunDatabaseAway(t *testing.T) {
	t.Parallel()
	f := fit(t, func(s *phone.Scenario) { s.RemovalTakes = inTheMiddle }, nil, removable...)
	id := f.start(nil)
	f.until("something went", func() bool {
		return slices.ContainsFunc(f.run(id).Steps, func(s ranStep) bool { return s.State == "done" })
	})
	// As when PostgreSQL restarts: every connection ends, and for a while none
	// can write.
	f.sql(`alter table run_steps rename to run_steps_away`)
	f.sql(`
		select pg_terminate_backend(pid)
		from pg_stat_activity
		where datname = current_database() and pid <> pg_backend_pid()`)
	f.until("the connections that had begun are gone", func() bool {
		return f.count(`
			select count(*)
			from pg_stat_activity
			where datname = current_database() and pid <> pg_backend_pid() and xact_start is not null`) == 0
	})
	written := f.count(`select count(*) from run_steps_away where kind = 'remove' and state <> 'waiting'`)
	for range 10 { // however long one looks
		if now := len(f.phone.TakenOff()); now > written {
			t.Errorf("%d steps were sent that are written down nowhere", now-written)
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	f.sql(`alter table run_steps_away rename to run_steps`)
	f.phone.TakeRemovals(0)
	// A connection that ended is found out by whoever uses it first.
	f.until("the run can be read again", func() bool { return f.do(f.cookie, "GET", "/api/v1/runs/"+id, nil).status == 200 })
	f.agrees(f.ended(id, "finished"))
	for name, n := range f.phone.TakenOff() {
		if n != 1 {
			t.Errorf("%s went %d times", name, n)
		}
	}
}

// secondServer is another server on the same database, without phones.
func (f *fitted) secondServer() *httptest.Server {
	f.t.Helper()
	secret, err := server.ReadSecret(f.secret)
	if err != nil {
		f.t.Fatal(err)
	}
	s := server.New(server.Config{Store: f.store, Secret: secret, Log: slog.New(slog.DiscardHandler)})
	return serve(f.t, s)
}

// count is the number that a query gives.
func (f *fitted) count(query string) (n int) {
	f.t.Helper()
	conn, err := pgx.Connect(f.t.Context(), f.database)
	if err != nil {
		f.t.Fatal(err)
	}
	defer conn.Close(f.t.Context())
	if err := conn.QueryRow(f.t.Context(), query).Scan(&n); err != nil {
		f.t.Fatal(err)
	}
	return n
}

// sql does to the database what no request can: lets days go by, or a table
// go away.
func (f *fitted) sql(statement string) {
	f.t.Helper()
	conn, err := pgx.Connect(f.t.Context(), f.database)
	if err != nil {
		f.t.Fatal(err)
	}
	defer conn.Close(f.t.Context())
	if _, err := conn.Exec(f.t.Context(), statement); err != nil {
		f.t.Fatal(err)
	}
}
