package server_test

import (
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/faults/sample"
	"roster/phone"
	"roster/store"
)

// rootRow is a row of a rehearsal of what goes from the image.
type rootRow struct{ Package, Method, Would, Code, Why string }

// TestRunWithRoot rehearses, runs and puts back what is taken out of the image: the
// phone is asked for root first, what was saved is listed, and what nobody may ask
// is refused.
func TestRunWithRoot(t *testing.T) {
	t.Parallel()
	var out []string
	f := fit(t, func(c *phone.Scenario) {
		c.Root, c.Image = "su", "writable"
		c.Properties["ro.boot.verifiedbootstate"], c.Properties["ro.boot.veritymode"] = "orange", "disabled"
	}, nil, removable...)
	for _, name := range f.names {
		if len(out) < 2 && strings.HasPrefix(name, "com.brannock.") {
			out = append(out, name)
		}
	}
	sc, err := f.store.FindScope(t.Context(), "brannock", "lyra-5", "")
	if err != nil {
		t.Fatal(err)
	}
	builds, err := f.store.Builds(t.Context(), "brannock", "lyra-5")
	if err != nil || len(builds) == 0 {
		t.Fatal(err)
	}
	sample.Shown(t, f.store, builds[0].ID, evidence.RemoveFromImage, out...)
	rules := profile.DefaultRules
	rules.HighestCeiling, rules.LeastStanding = 0, evidence.Firm
	for _, name := range f.names {
		pin := profile.Pin{Package: android.PackageName(name), Goes: true, Reason: "for this test", Method: evidence.RemoveFromImage}
		rules.Pins = append(rules.Pins, pin)
	}
	person, err := f.store.AddPerson(t.Context(), "root-maintainer", "m", "maintainer", "x")
	if err != nil {
		t.Fatal(err)
	}
	if f.profile, err = f.store.AddProfile(t.Context(), store.NewProfile{Model: sc.Model.ID, Name: "With root", Rules: rules}, person.ID); err != nil {
		t.Fatal(err)
	}
	rehearse := func(root string) (rows []rootRow, stops string) {
		t.Helper()
		body := f.body(nil)
		delete(body, "bench")
		delete(body, "phone")
		if root != "" {
			body["root"] = root
		}
		r := decode[struct {
			Rows  []rootRow
			Stops []struct{ Code, Words string }
		}](f.site, f.do(f.cookie, "POST", "/api/v1/rehearsals", body), 200)
		for _, s := range r.Stops {
			stops += s.Code + " "
		}
		return slices.DeleteFunc(r.Rows, func(r rootRow) bool { return r.Method != "remove-from-image" }), stops
	}
	rows, stops := rehearse("")
	if len(rows) != 2 || rows[0].Code != "image-not-asked" || stops != "root-first " {
		t.Fatalf("%+v, %s", rows, stops)
	}
	if a := f.do(f.cookie, "POST", "/api/v1/runs", f.body(nil)); a.status != 409 || !strings.Contains(string(a.body), "ask the phone for it") {
		t.Errorf("%d %s", a.status, a.body)
	}
	path := "/api/v1/benches/" + f.at.bench + "/phones/" + f.at.phone + "/root"
	by := map[string]any{"kind": "root", "phone": f.at.phone, "keys": []any{map[string]string{"namespace": "image", "key": "a.b"}}}
	f.expect(422, f.cookie, "POST", "/api/v1/benches/"+f.at.bench+"/requests", by)
	ask := func() string {
		t.Helper()
		asked := decode[struct{ ID string }](f.site, f.do(f.cookie, "POST", path, map[string]any{"profile": f.profile}), 202)
		if last, _ := f.follow(f.cookie, asked.ID); last.State != "done" {
			t.Fatalf("%+v", last)
		}
		return asked.ID
	}
	f.phone.AllowRoot(false)
	if rows, stops := rehearse(ask()); rows[0].Code != "image-no-root" || stops != "root-first " {
		t.Errorf("%+v, %s", rows, stops)
	}
	f.phone.AllowRoot(true)
	root := ask()
	rows, stops = rehearse(root)
	if len(rows) != 2 || rows[0].Code != "image-erased" || stops != "" {
		t.Fatalf("%+v, %s", rows, stops)
	}
	// Of another phone nothing is believed that this one told.
	f.sql(`update jobs set request = request || '{"with":"another"}' where id = '` + root + `'`)
	body := f.body(nil)
	body["root"] = root
	f.expect(409, f.cookie, "POST", "/api/v1/runs", body)
	body = f.body(nil)
	body["root"] = ask()
	id := decode[struct{ ID string }](f.site, f.do(f.cookie, "POST", "/api/v1/runs", body), 201).ID
	f.ended(id, "finished")
	for _, name := range out {
		if _, known := f.phone.Installed(name); known {
			t.Errorf("the phone knows %s", name)
		}
	}
	type saved struct {
		ID       string
		Kept     bool
		State    string
		Packages []string
		Result   struct{ Files, Bytes int }
	}
	list := get[items[saved]](f.site, f.cookie, "/api/v1/backups").Items
	if len(list) != 1 || list[0].ID != id || !list[0].Kept || list[0].State != "whole" || len(list[0].Packages) != 2 ||
		list[0].Result.Files < 4 || list[0].Result.Bytes == 0 {
		t.Errorf("%+v", list)
	}
	verified := decode[struct{ Job string }](f.site, f.do(f.cookie, "POST", "/api/v1/backups/"+id+"/verify", nil), 202)
	if last, _ := f.follow(f.cookie, verified.Job); last.State != "done" || last.Result == nil || last.Result.Packages != 2 {
		t.Errorf("%+v", last)
	}
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{})
	f.ended(id, "put-back")
	if now := f.there(); !slices.Equal(now, f.before) {
		t.Errorf("it is not as it was: %v, of %v", now, f.before)
	}
}

// TestNoRootNeeded asks for root for what takes nothing out of the image.
func TestNoRootNeeded(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, removable...)
	path := "/api/v1/benches/" + f.at.bench + "/phones/" + f.at.phone + "/root"
	f.expect(409, f.cookie, "POST", path, map[string]any{"profile": f.profile})
}
