package server_test

import (
	"bufio"
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/bench/adb/adbtest"
	"roster/core/people"
	"roster/demo"
	"roster/phone"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// withBench is a site whose server watches a real adb server of its own.
func withBench(t *testing.T) *site {
	t.Helper()
	address, database := adbtest.Address(t), storetest.URL(t)
	st, err := store.NewWith(t.Context(), database, store.Options{Connections: connections})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	if err := st.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	hash, err := cheapPasswords.Hash(password)
	if err != nil {
		t.Fatal(err)
	}
	var person store.Person
	for login, role := range map[string]string{"technician": "technician", "another": "technician", "keeper": "keeper"} {
		if person, err = st.AddPerson(t.Context(), login, login, people.Role(role), hash); err != nil {
			t.Fatal(err)
		}
	}
	// Where the stand-ins are, technicians may have the bench connect.
	rules := store.InstallationRules{IdleHours: 1, BenchNetworks: []string{"127.0.0.0/8"}, BackupDays: 90}
	if err := st.SetInstallationRules(t.Context(), person.ID, 0, rules); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "secret")
	secret, err := server.ReadSecret(file)
	if err != nil {
		t.Fatal(err)
	}
	s := &site{t: t, store: st, database: database, secret: file, server: server.New(server.Config{Store: st, Secret: secret, Log: slog.New(slog.DiscardHandler), ADB: address, ADBProgram: "adb", Backups: t.TempDir()})}
	s.http = serve(t, s.server)
	return s
}

type benchPhone struct {
	Handle, Address, State, Name, Version, Mark, Wrong, Next, Label, LabelBefore string
	Ready, Unnumbered                                                            bool
}

type benchState struct {
	ID, Name  string
	Elsewhere bool
	Away      bool
	View      struct {
		Version     int
		Wrong, Next string
		Try         []string
		Phones      []benchPhone
		StandIns    []struct {
			Address string
			Plugged bool
			Asking  int
			Build   string
		}
	}
}

func (s *site) benches(cookie *http.Cookie) []benchState {
	s.t.Helper()
	return get[struct{ Items []benchState }](s, cookie, "/api/v1/benches").Items
}

// on is a phone on a bench, as a person chooses it.
type on struct{ bench, phone string }

// find waits until some bench shows the phone as wanted.
func (s *site) find(cookie *http.Cookie, address string, wanted func(benchPhone) bool) (found on) {
	s.t.Helper()
	s.until("the phone is as wanted", func() bool {
		for _, b := range s.benches(cookie) {
			for _, seen := range b.View.Phones {
				if seen.Address == address && wanted(seen) {
					found = on{b.ID, seen.Handle}
					return true
				}
			}
		}
		return false
	})
	return found
}

// standIn runs a stand-in phone.
func (s *site) standIn(change func(*phone.Scenario)) (*phone.Phone, string) {
	s.t.Helper()
	scenario, err := phone.Load(demo.World, "phones/lyra-5-desk.yaml")
	if err != nil {
		s.t.Fatal(err)
	}
	scenario.Prompt = "none"
	change(scenario)
	p := phone.New(scenario, slog.New(slog.DiscardHandler))
	ctx, cancel := context.WithCancel(context.Background())
	s.t.Cleanup(cancel)
	address, err := p.Listen(ctx, "127.0.0.1:0")
	if err != nil {
		s.t.Fatal(err)
	}
	return p, address
}

// attach runs a stand-in and has the bench connect to it.
func (s *site) attach(cookie *http.Cookie, change func(*phone.Scenario), wanted func(benchPhone) bool) (*phone.Phone, on) {
	s.t.Helper()
	p, address := s.standIn(change)
	s.until("the adb server runs", func() bool {
		list := s.benches(cookie)
		return len(list) > 0 && list[0].View.Version > 0
	})
	last, _ := s.follow(cookie, s.ask(cookie, on{bench: s.benches(cookie)[0].ID}, map[string]string{"kind": "connect", "address": address}))
	if last.State != "done" {
		s.t.Fatalf("%+v", last)
	}
	return p, s.find(cookie, address, wanted)
}

// ask makes a job of a request.
func (s *site) ask(cookie *http.Cookie, at on, request map[string]string) string {
	s.t.Helper()
	if at.phone != "" {
		request["phone"] = at.phone
	}
	return decode[id](s, s.do(cookie, "POST", "/api/v1/benches/"+at.bench+"/requests", request), 202).ID
}

func (s *site) until(what string, true func() bool) {
	s.t.Helper()
	for end := time.Now().Add(3 * time.Minute); !true(); time.Sleep(25 * time.Millisecond) {
		if time.Now().After(end) {
			s.t.Fatalf("never: %s", what)
		}
	}
}

// wantPackages is how many the phone on the desk has.
const wantPackages = 160

func identified(p benchPhone) bool { return p.Ready && p.Version == "15.0.0" && p.Mark != "" }

type jobState struct {
	State, Problem string
	Progress       struct{ Step, Steps int }
	Result         *struct {
		ID       string
		Packages int
		Known    bool
	}
}

// follow reads a job's events to its end, as the browser does.
func (s *site) follow(cookie *http.Cookie, id string) (last jobState, events int) {
	s.t.Helper()
	r, err := http.NewRequest("GET", s.http.URL+"/api/v1/jobs/"+id+"/events", nil)
	if err != nil {
		s.t.Fatal(err)
	}
	r.AddCookie(cookie)
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		s.t.Fatal(err)
	}
	defer resp.Body.Close()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
			last, events = jobState{}, events+1
			if err := json.Unmarshal([]byte(data), &last); err != nil {
				s.t.Fatalf("%v: %s", err, data)
			}
		}
	}
	return last, events
}

func (s *site) startCapture(cookie *http.Cookie, at on) string {
	s.t.Helper()
	return s.ask(cookie, at, map[string]string{"kind": "capture"})
}

func TestCaptureOverTheAPI(t *testing.T) {
	t.Parallel()
	s := withBench(t)
	cookie := s.signIn("technician")
	_, at := s.attach(cookie, func(*phone.Scenario) {}, identified)
	last, events := s.follow(cookie, s.startCapture(cookie, at))
	if last.State != "done" || last.Result == nil || last.Result.Packages != wantPackages || events < 2 {
		t.Fatalf("%+v after %d events", last, events)
	}
	c := get[struct {
		Complete             bool
		MakerName, ModelName string
	}](s, cookie, "/api/v1/captures/"+last.Result.ID)
	if !c.Complete || c.MakerName != "Brannock" || c.ModelName != "Lyra 5" {
		t.Errorf("%+v", c)
	}
	again, _ := s.follow(cookie, s.startCapture(cookie, at))
	if again.Result == nil || !again.Result.Known || again.Result.ID != last.Result.ID {
		t.Errorf("the same capture twice: %+v", again)
	}
	// A late watcher gets the end at once.
	if late, events := s.follow(cookie, s.startCapture(cookie, at)); late.State != "done" || events == 0 {
		t.Errorf("%+v", late)
	}
	requests := "/api/v1/benches/" + at.bench + "/requests"
	if a := s.do(cookie, "POST", requests, map[string]string{"kind": "capture", "phone": "nobody"}); kind(a) != "phone-gone" {
		t.Errorf("a phone that is not there: %d %s", a.status, a.body)
	}
	if a := s.do(cookie, "POST", requests, map[string]string{"kind": "shell", "phone": at.phone}); a.status != 422 {
		t.Errorf("a request that there is not: %d %s", a.status, a.body)
	}
	for _, address := range []string{"no address", "localhost:5555", "192.0.2.7:5555", "[::1]:5555"} {
		if a := s.do(cookie, "POST", requests, map[string]string{"kind": "connect", "address": address}); kind(a) != "out-of-reach" {
			t.Errorf("a technician connects to %s: %d %s", address, a.status, a.body)
		}
	}
	if last, _ := s.follow(cookie, s.ask(s.signIn("keeper"), on{bench: at.bench}, map[string]string{"kind": "connect", "address": "no address"})); last.State != "failed" || !strings.Contains(last.Problem, "is not an address") {
		t.Errorf("%+v", last)
	}
	for want, request := range map[string]map[string]string{
		"can't pair": {"kind": "pair", "address": "127.0.0.1:1", "code": "123456"},
		"six digits": {"kind": "pair", "address": "127.0.0.1:1", "code": "12"},
		"stand-ins":  {"kind": "hand", "address": "127.0.0.1:1", "action": "accept"},
	} {
		if last, _ := s.follow(cookie, s.ask(cookie, on{bench: at.bench}, request)); last.State != "failed" || !strings.Contains(last.Problem, want) {
			t.Errorf("%s: %+v", want, last)
		}
	}
}

func TestCableFallsOut(t *testing.T) {
	t.Parallel()
	s := withBench(t)
	cookie := s.signIn("technician")
	_, at := s.attach(cookie, func(sc *phone.Scenario) {
		sc.Faults = []phone.Fault{{Command: "dumpsys package", AfterBytes: 50_000, Do: "unplug"}}
	}, identified)
	last, _ := s.follow(cookie, s.startCapture(cookie, at))
	if last.State != "failed" || last.Result == nil || !strings.Contains(last.Problem, "marked incomplete") || !strings.Contains(last.Problem, "cable") {
		t.Fatalf("%+v", last)
	}
	c := get[struct {
		Complete bool
		Missing  string
		Packages int
	}](s, cookie, "/api/v1/captures/"+last.Result.ID)
	if c.Complete || c.Packages != wantPackages || !strings.Contains(c.Missing, "dumpsys package") {
		t.Errorf("%+v", c)
	}
}

func TestCancelCapture(t *testing.T) {
	t.Parallel()
	s := withBench(t)
	cookie, other := s.signIn("technician"), s.signIn("another")
	_, at := s.attach(cookie, func(sc *phone.Scenario) {
		sc.Faults = []phone.Fault{{Command: "dumpsys package", AfterBytes: 1000, Do: "hang"}}
	}, identified)
	job := s.startCapture(cookie, at)
	s.until("it asks for the dump", func() bool { return get[jobState](s, cookie, "/api/v1/jobs/"+job).Progress.Step == 4 })
	if a := s.do(other, "DELETE", "/api/v1/jobs/"+job, nil); a.status != 403 {
		t.Errorf("somebody else cancels it: %d %s", a.status, a.body)
	}
	if a := s.do(cookie, "DELETE", "/api/v1/jobs/"+job, nil); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	last, _ := s.follow(cookie, job)
	if last.State != "cancelled" || !strings.Contains(last.Problem, "stopped") {
		t.Errorf("%+v", last)
	}
	if list, err := s.store.Makers(t.Context(), ""); err != nil || len(list) != 0 {
		t.Errorf("a cancelled capture left %v, %v", list, err)
	}
}

func TestUnauthorised(t *testing.T) {
	t.Parallel()
	s := withBench(t)
	cookie := s.signIn("technician")
	p, at := s.attach(cookie, func(sc *phone.Scenario) { sc.Prompt = "ask" }, func(p benchPhone) bool { return p.State == "unauthorized" && p.Wrong != "" && p.Next != "" })
	if a := s.do(cookie, "POST", "/api/v1/benches/"+at.bench+"/requests", map[string]string{"kind": "capture", "phone": at.phone}); kind(a) != "phone-not-ready" || !strings.Contains(string(a.body), "Allow") {
		t.Errorf("%d %s", a.status, a.body)
	}
	s.until("the owner is asked", func() bool { return p.Accept() > 0 })
	s.until("the phone is ready", func() bool { return identified(s.benches(cookie)[0].View.Phones[0]) })
}

// TestNoADB is a server without phones: it says so and works.
func TestNoADB(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	if list := s.benches(cookie); len(list) != 0 {
		t.Errorf("%+v", list)
	}
	a := s.do(cookie, "POST", "/api/v1/benches/"+uuid.NewString()+"/requests", map[string]string{"kind": "capture", "phone": "x"})
	if a.status != 404 {
		t.Errorf("%d %s", a.status, a.body)
	}
}
