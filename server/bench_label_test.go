package server_test

import (
	"net/http"
	"strings"
	"testing"

	"roster/demo"
	"roster/phone"
)

// factoryNumber gives a stand-in the number that many phones tell.
func factoryNumber(s *phone.Scenario) {
	s.Serial = "0123456789ABCDEF"
	s.Properties["ro.serialno"] = s.Serial
}

// nib is another model that tells the same number.
func nib(s *phone.Scenario) {
	other, err := phone.Of(demo.World, "models/nib-2.yaml", "Lakeline 11.3.1", "0123456789ABCDEF")
	if err != nil {
		panic(err)
	}
	*s = *other
}

func (s *site) label(cookie *http.Cookie, at on, text string) answer {
	s.t.Helper()
	return s.do(cookie, "POST", "/api/v1/benches/"+at.bench+"/requests", map[string]string{"kind": "label", "phone": at.phone, "with": text})
}

// address is where a phone on a bench is reached.
func (s *site) address(cookie *http.Cookie, at on) (address string) {
	s.t.Helper()
	for _, b := range s.benches(cookie) {
		for _, p := range b.View.Phones {
			if b.ID == at.bench && p.Handle == at.phone {
				address = p.Address
			}
		}
	}
	return address
}

// TestPhoneWithoutNumber labels a phone that tells no serial number of its own,
// captures it and runs on it, through a restart of the phone.
func TestPhoneWithoutNumber(t *testing.T) {
	t.Parallel()
	s := withBench(t)
	cookie := s.signIn("technician")
	nobody := func(p benchPhone) bool { return p.Ready && p.Version == "15.0.0" && p.Mark == "" && p.Unnumbered }
	one, at := s.attach(cookie, factoryNumber, nobody)
	_, other := s.attach(cookie, factoryNumber, nobody)
	if last, _ := s.follow(cookie, s.startCapture(cookie, at)); last.State != "done" {
		t.Fatalf("%+v", last)
	} else if c := get[struct{ Phone string }](s, cookie, "/api/v1/captures/"+last.Result.ID); c.Phone != "" {
		t.Errorf("a number that many phones tell was taken for one's own: %q", c.Phone)
	}
	for what, text := range map[string]string{"": "nothing", "two\nlines": "two lines", strings.Repeat("x", 41): "too much"} {
		if a := s.label(cookie, at, what); a.status != 422 {
			t.Errorf("%s: %d %s", text, a.status, a.body)
		}
	}
	if last, _ := s.follow(cookie, decode[id](s, s.label(cookie, at, "TW-014"), 202).ID); last.State != "done" {
		t.Fatalf("%+v", last)
	}
	labelled := func(p benchPhone) bool { return p.Ready && p.Label == "TW-014" && p.Mark != "" }
	address := s.address(cookie, at)
	if s.find(cookie, address, labelled) != at {
		t.Fatal("it is another phone now")
	}
	if a := s.label(cookie, other, " tw-014 "); kind(a) != "label-taken" {
		t.Errorf("a second phone with the label: %d %s", a.status, a.body)
	}
	f := &fitted{site: s, cookie: cookie, phone: one, at: at, address: address}
	f.prepare(nil, removable...)
	if c := get[struct{ Phone string }](s, cookie, "/api/v1/captures/"+f.capture); c.Phone == "" {
		t.Error("its capture is nobody's")
	}
	f.ended(f.start(map[string]any{"noRestart": false}), "finished") // with a restart
	// What it is called survives a restart that Roster wanted and a loose cable;
	// after any other restart it may be another one.
	s.find(cookie, address, labelled)
	one.Unplug()
	s.find(cookie, address, func(p benchPhone) bool { return !p.Ready })
	one.Plug()
	f.connect()
	s.find(cookie, address, labelled)
	one.Restart()
	f.connect()
	s.find(cookie, address, func(p benchPhone) bool { return p.Ready && p.Mark == "" && p.LabelBefore == "TW-014" })
	s.follow(cookie, decode[id](s, s.label(cookie, at, "TW-014"), 202).ID)
	s.find(cookie, address, labelled)
	if err := one.Do("update", ""); err != nil {
		t.Fatal(err)
	}
	f.connect()
	s.find(cookie, address, func(p benchPhone) bool {
		return p.Ready && p.Version == "15.0.1" && p.Mark == "" && p.LabelBefore == "TW-014"
	})
	if a := f.do(cookie, "POST", "/api/v1/runs", f.body(nil)); kind(a) != "no-label" {
		t.Errorf("a run on a phone without a label: %d %s", a.status, a.body)
	}
}

// TestLabelOfAnotherModel: a label stands for one phone, and no phone is of two
// models.
func TestLabelOfAnotherModel(t *testing.T) {
	t.Parallel()
	s := withBench(t)
	cookie := s.signIn("technician")
	_, at := s.attach(cookie, factoryNumber, func(p benchPhone) bool { return p.Ready && p.Unnumbered })
	s.follow(cookie, decode[id](s, s.label(cookie, at, "TW-1"), 202).ID)
	if last, _ := s.follow(cookie, s.startCapture(cookie, at)); last.State != "done" {
		t.Fatalf("%+v", last)
	}
	address := s.address(cookie, at)
	s.follow(cookie, s.ask(cookie, on{bench: at.bench}, map[string]string{"kind": "disconnect", "address": address}))
	_, another := s.attach(cookie, nib, func(p benchPhone) bool { return p.Ready && p.Unnumbered })
	if a := s.label(cookie, another, "TW-1"); kind(a) != "label-taken" || !strings.Contains(string(a.body), "Lyra 5") {
		t.Errorf("%d %s", a.status, a.body)
	}
	_, numbered := s.attach(cookie, func(s *phone.Scenario) {}, identified)
	if last, _ := s.follow(cookie, decode[id](s, s.label(cookie, numbered, "TW-2"), 202).ID); last.State != "failed" || !strings.Contains(last.Problem, "serial number of its own") {
		t.Errorf("%+v", last)
	}
}
