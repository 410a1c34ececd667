package server_test

import (
	"bufio"
	"context"
	"encoding/json"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"roster/demo"
	"roster/phone"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// withBench is a site whose server watches a real adb server of its own.
func withBench(t *testing.T) *site {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := ln.Addr().String()
	ln.Close()
	_, port, _ := net.SplitHostPort(address)
	t.Cleanup(func() { exec.Command("adb", "-P", port, "kill-server").Run() })
	st, err := store.New(t.Context(), storetest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	if err := st.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	hash, err := server.HashPassword(password)
	if err != nil {
		t.Fatal(err)
	}
	for _, login := range []string{"technician", "another"} {
		if _, err := st.AddPerson(t.Context(), login, login, "technician", hash); err != nil {
			t.Fatal(err)
		}
	}
	secret, err := server.ReadSecret(filepath.Join(t.TempDir(), "secret"))
	if err != nil {
		t.Fatal(err)
	}
	s := &site{t: t, store: st, server: server.New(server.Config{Store: st, Secret: secret, Log: slog.New(slog.DiscardHandler), ADB: address, ADBProgram: "adb"})}
	s.http = httptest.NewServer(s.server)
	t.Cleanup(func() { s.server.Close(); s.http.Close() })
	return s
}

type benchPhone struct {
	Serial, State, Name, Version, Mark, Wrong, Next string
	Ready                                           bool
}

type benchState struct {
	Version     int
	Wrong, Next string
	Phones      []benchPhone
}

// attach runs a stand-in and has the server connect to it; it returns its
// serial once the bench says what is asked for.
func (s *site) attach(cookie *http.Cookie, change func(*phone.Scenario), wanted func(benchPhone) bool) (*phone.Phone, string) {
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
	serial, err := p.Listen(ctx, "127.0.0.1:0")
	if err != nil {
		s.t.Fatal(err)
	}
	s.until("the adb server runs", func() bool { return get[benchState](s, cookie, "/api/v1/bench").Version > 0 })
	if a := s.do(cookie, "POST", "/api/v1/bench/connect", map[string]string{"address": serial}); a.status != 200 {
		s.t.Fatalf("%d %s", a.status, a.body)
	}
	s.until("the phone is as wanted", func() bool {
		for _, seen := range get[benchState](s, cookie, "/api/v1/bench").Phones {
			if seen.Serial == serial && wanted(seen) {
				return true
			}
		}
		return false
	})
	return p, serial
}

func (s *site) until(what string, true func() bool) {
	s.t.Helper()
	for range 600 {
		if true() {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	s.t.Fatalf("never: %s", what)
}

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

func (s *site) startCapture(cookie *http.Cookie, serial string) string {
	s.t.Helper()
	return decode[id](s, s.do(cookie, "POST", "/api/v1/bench/phones/"+url.PathEscape(serial)+"/captures", nil), 202).ID
}

func TestCaptureOverTheAPI(t *testing.T) {
	s := withBench(t)
	cookie := s.signIn("technician")
	_, serial := s.attach(cookie, func(*phone.Scenario) {}, identified)
	last, events := s.follow(cookie, s.startCapture(cookie, serial))
	if last.State != "done" || last.Result == nil || last.Result.Packages != 153 || events < 2 {
		t.Fatalf("%+v after %d events", last, events)
	}
	c := get[struct {
		Complete             bool
		MakerName, ModelName string
	}](s, cookie, "/api/v1/captures/"+last.Result.ID)
	if !c.Complete || c.MakerName != "Brannock" || c.ModelName != "Lyra 5" {
		t.Errorf("%+v", c)
	}
	again, _ := s.follow(cookie, s.startCapture(cookie, serial))
	if again.Result == nil || !again.Result.Known || again.Result.ID != last.Result.ID {
		t.Errorf("the same capture twice: %+v", again)
	}
	// A late watcher gets the end at once.
	if late, events := s.follow(cookie, s.startCapture(cookie, serial)); late.State != "done" || events == 0 {
		t.Errorf("%+v", late)
	}
	if a := s.do(cookie, "POST", "/api/v1/bench/phones/192.0.2.1:5555/captures", nil); kind(a) != "phone-gone" {
		t.Errorf("a phone that is not there: %d %s", a.status, a.body)
	}
	if a := s.do(cookie, "POST", "/api/v1/bench/connect", map[string]string{"address": "no address"}); a.status != 422 {
		t.Errorf("%d %s", a.status, a.body)
	}
}

func TestCableFallsOut(t *testing.T) {
	s := withBench(t)
	cookie := s.signIn("technician")
	_, serial := s.attach(cookie, func(sc *phone.Scenario) {
		sc.Faults = []phone.Fault{{Command: "dumpsys package", AfterBytes: 50_000, Do: "unplug"}}
	}, identified)
	last, _ := s.follow(cookie, s.startCapture(cookie, serial))
	if last.State != "failed" || last.Result == nil || !strings.Contains(last.Problem, "marked incomplete") || !strings.Contains(last.Problem, "cable") {
		t.Fatalf("%+v", last)
	}
	c := get[struct {
		Complete bool
		Missing  string
		Packages int
	}](s, cookie, "/api/v1/captures/"+last.Result.ID)
	if c.Complete || c.Packages != 153 || !strings.Contains(c.Missing, "dumpsys package") {
		t.Errorf("%+v", c)
	}
}

func TestCancelCapture(t *testing.T) {
	s := withBench(t)
	cookie, other := s.signIn("technician"), s.signIn("another")
	_, serial := s.attach(cookie, func(sc *phone.Scenario) {
		sc.Faults = []phone.Fault{{Command: "dumpsys package", AfterBytes: 1000, Do: "hang"}}
	}, identified)
	job := s.startCapture(cookie, serial)
	s.until("it asks for the dump", func() bool { return get[jobState](s, cookie, "/api/v1/jobs/"+job).Progress.Step == 6 })
	if a := s.do(other, "DELETE", "/api/v1/jobs/"+job, nil); a.status != 403 {
		t.Errorf("somebody else cancels it: %d %s", a.status, a.body)
	}
	if a := s.do(cookie, "DELETE", "/api/v1/jobs/"+job, nil); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	last, _ := s.follow(cookie, job)
	if last.State != "cancelled" || !strings.Contains(last.Problem, "nothing was stored") {
		t.Errorf("%+v", last)
	}
	if list, err := s.store.Makers(t.Context(), ""); err != nil || len(list) != 0 {
		t.Errorf("a cancelled capture left %v, %v", list, err)
	}
}

func TestUnauthorised(t *testing.T) {
	s := withBench(t)
	cookie := s.signIn("technician")
	p, serial := s.attach(cookie, func(sc *phone.Scenario) { sc.Prompt = "ask" }, func(p benchPhone) bool { return p.State == "unauthorized" && p.Wrong != "" && p.Next != "" })
	if a := s.do(cookie, "POST", "/api/v1/bench/phones/"+url.PathEscape(serial)+"/captures", nil); kind(a) != "phone-not-ready" || !strings.Contains(string(a.body), "Allow") {
		t.Errorf("%d %s", a.status, a.body)
	}
	s.until("the owner is asked", func() bool { return p.Accept() > 0 })
	s.until("the phone is ready", func() bool {
		for _, seen := range get[benchState](s, cookie, "/api/v1/bench").Phones {
			if identified(seen) {
				return true
			}
		}
		return false
	})
}

// TestNoADB is a server without phones: it says so and works.
func TestNoADB(t *testing.T) {
	s := withPeople(t)
	cookie := s.signIn("technician")
	b := get[benchState](s, cookie, "/api/v1/bench")
	if b.Wrong == "" || b.Next == "" || len(b.Phones) != 0 {
		t.Errorf("%+v", b)
	}
	if a := s.do(cookie, "POST", "/api/v1/bench/phones/x/captures", nil); kind(a) != "phone-gone" {
		t.Errorf("%d %s", a.status, a.body)
	}
}
