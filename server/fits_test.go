package server_test

import (
	"strings"
	"testing"

	"roster/core/profile"
	"roster/server"
	"roster/store"
)

type fitting struct {
	Release, Profile, Title, Fit, Why string
	Number, Goes                      int
}

func (f *fitted) fits() []fitting {
	f.t.Helper()
	return get[items[fitting]](f.site, f.cookie, "/api/v1/benches/"+f.at.bench+"/phones/"+f.at.phone+"/fits").Items
}

// published publishes the profile, by two people.
func (f *fitted) published() (release string) {
	f.t.Helper()
	ctx := f.t.Context()
	people := []store.Person{}
	for _, login := range []string{"one", "two"} {
		p, err := f.store.AddPerson(ctx, login, login, "maintainer", "x")
		if err != nil {
			f.t.Fatal(err)
		}
		people = append(people, p)
	}
	secret, err := server.ReadSecret(f.secret)
	if err != nil {
		f.t.Fatal(err)
	}
	sign, err := server.Signer(ctx, f.store, secret)
	if err != nil {
		f.t.Fatal(err)
	}
	asked, err := f.store.AskPublication(ctx, f.profile, 1, []string{"The first."}, "", people[0].ID)
	if err != nil {
		f.t.Fatal(err)
	}
	if _, err := f.store.DecidePublication(ctx, asked, people[1], store.Verdict{State: "published"}, sign); err != nil {
		f.t.Fatal(err)
	}
	list, err := f.store.ReleasesOf(ctx, f.profile, 1)
	if err != nil || len(list) != 1 {
		f.t.Fatalf("%d releases, %v", len(list), err)
	}
	return list[0].ID.String()
}

// TestFits says what could be run on a phone: a draft, its release, and after
// an update under which the release would stop something, not that one.
func TestFits(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, func(r *profile.Rules) {
		r.Pins = append(r.Pins, profile.Pin{Package: "com.brannock.sharebeam", Goes: true, Reason: "for this test"})
	}, removable...)
	if list := f.fits(); len(list) != 1 || list[0].Number != 0 || list[0].Profile != f.profile.String() || !strings.Contains(list[0].Why, "a draft") {
		t.Fatalf("%+v", list)
	}
	release := f.published()
	list := f.fits()
	if len(list) == 0 || list[0].Release != release || list[0].Number != 1 || list[0].Fit == "not-made" || list[0].Goes != len(f.names) {
		t.Fatalf("%+v", list)
	}
	of := func() map[string]any {
		body := f.body(nil)
		body["release"] = release
		delete(body, "profile")
		return body
	}
	rehearse := func() rehearsal {
		t.Helper()
		return decode[rehearsal](f.site, f.do(f.cookie, "POST", "/api/v1/rehearsals", map[string]any{"release": release, "capture": f.capture, "choices": of()["choices"]}), 200)
	}
	if r := rehearse(); len(r.Stops) != 0 || r.Count.Goes != len(f.names) {
		t.Errorf("%+v", r)
	}

	// The update has something rest on what goes.
	if err := f.phone.Do("update", ""); err != nil {
		t.Fatal(err)
	}
	f.until("the phone is back", func() bool {
		for _, p := range f.benches(f.cookie)[0].View.Phones {
			if p.Address == f.address && p.Ready && p.Version == "15.0.1" && p.Mark != "" {
				f.at.phone = p.Handle
				return true
			}
		}
		return false
	})
	if list := f.fits(); list[0].Release != release || strings.Contains(list[0].Why, "marked") {
		t.Errorf("before anybody has captured it: %+v", list)
	}
	f.capture = f.captured()
	marked := func() (found fitting) {
		for _, one := range f.fits() {
			if one.Release == release {
				found = one
			}
		}
		return found
	}
	if m := marked(); m.Fit != "not-made" || !strings.Contains(m.Why, "it is marked as not for 15.0.1: ") || !strings.Contains(m.Why, "com.brannock.gallery") {
		t.Errorf("%+v", m)
	}
	if r := rehearse(); len(r.Stops) == 0 || r.Stops[len(r.Stops)-1].Code != "marked" || !strings.Contains(r.Stops[len(r.Stops)-1].Words, "marked as not for 15.0.1") {
		t.Errorf("%+v", r.Stops)
	}
	before := len(f.phone.TakenOff())
	body := of()
	body["choices"].(map[string]any)["anyway"] = true
	f.expect(409, f.cookie, "POST", "/api/v1/runs", body)
	if len(f.phone.TakenOff()) != before {
		t.Error("it was run all the same")
	}
}
