package server_test

import (
	"net/http"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/phone"
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
		ID, State, Why string
		Number         int64
		Settled        bool
		Back           map[string]string
		Checks         []struct {
			Number                 int
			Text, Function, Answer string
		}
		Hunts []hunted
	}
	Steps []struct {
		Number        int
		Kind          string
		Package       string
		Method        string
		State, Words  string
		Again, Undoes int
		Took          int
	}
	Own *struct {
		Phones, Harmed int
		Ceiling        float64
	}
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
	return f
}

type rehearsal struct {
	Count     struct{ Goes, LeftOut, Absent, Already, Refuses int }
	Stops     []string
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
