package server_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"roster/core/profile"
)

// TestRunHalving finds the guilty package through the API, answers only when
// the phone is ready to be tried, and drafts what was found.
func TestRunHalving(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, func(r *profile.Rules) { r.Checks = []string{"Look at the picture of the day"} }, removable...)
	id := f.start(nil)
	r := f.ended(id, "finished")
	check := r.Run.Checks[len(r.Run.Checks)-1].Number
	at := fmt.Sprintf("/api/v1/runs/%s/checks/%d", id, check)
	f.expect(409, f.cookie, "POST", at+"/halving", nil)
	f.expect(204, f.cookie, "PUT", at, map[string]any{"answer": "broken", "note": "It stays black."})
	f.expect(409, f.cookie, "POST", at+"/halving/answer", map[string]any{"works": true, "round": 0})
	guilty := f.names[len(f.names)-2]
	h := decode[hunted](f.site, f.do(f.cookie, "POST", at+"/halving", nil), 200)
	for round := range 8 {
		f.agrees(f.ended(id, "finished"))
		if h.Over {
			break
		}
		answer := map[string]any{"works": slices.Contains(f.there(), guilty), "round": round}
		if round == 0 { // what is asked about is not on the phone yet
			f.sql(`update runs set state = 'interrupted'`)
			f.expect(409, f.cookie, "POST", at+"/halving/answer", answer)
			f.sql(`update runs set state = 'finished'`)
		}
		h = decode[hunted](f.site, f.do(f.cookie, "POST", at+"/halving/answer", answer), 200)
		f.ended(id, "finished")
		f.expect(409, f.cookie, "POST", at+"/halving/answer", answer) // given twice, it counts once
	}
	if h.Found != guilty {
		t.Fatalf("%+v, want %s", h, guilty)
	}
	f.agrees(f.ended(id, "finished"))
	if there := f.there(); !slices.Contains(there, guilty) || slices.Contains(there, f.names[0]) {
		t.Error("not only the guilty package is back")
	}
	f.sql(`update runs set started_at = started_at - interval '3 days', ended_at = ended_at - interval '3 days'`)
	for _, c := range r.Run.Checks[:len(r.Run.Checks)-1] {
		f.expect(204, f.cookie, "PUT", fmt.Sprintf("/api/v1/runs/%s/checks/%d", id, c.Number), map[string]any{"answer": "works", "note": ""})
	}
	added := decode[struct{ Added int }](f.site, f.do(f.cookie, "POST", "/api/v1/runs/"+id+"/draft", nil), 200).Added
	if added != len(f.names) {
		t.Errorf("%d trials, want %d", added, len(f.names))
	}
	if again := decode[struct{ Added int }](f.site, f.do(f.cookie, "POST", "/api/v1/runs/"+id+"/draft", nil), 200).Added; again != 0 {
		t.Errorf("%d were drafted twice", again)
	}
	tray := get[struct {
		Items []struct {
			Package string
			Value   struct{ Outcome, Note, Run string }
		}
	}](f.site, f.cookie, "/api/v1/tray")
	for _, e := range tray.Items {
		if want := map[bool]string{true: "fault", false: "clean"}[e.Package == guilty]; e.Value.Outcome != want || e.Value.Run != id {
			t.Errorf("%s: %+v", e.Package, e.Value)
		}
		if e.Package == guilty && !strings.Contains(e.Value.Note, "So it rests on "+guilty) {
			t.Errorf("without its proof: %s", e.Value.Note)
		}
	}
}

// TestRunBadRequests: what can't be is refused, with nothing done.
func TestRunBadRequests(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, removable...)
	body := func(change map[string]any) map[string]any {
		b := f.body(nil)
		for k, v := range change {
			b[k] = v
		}
		return b
	}
	none := "00000000-0000-0000-0000-000000000001"
	for what, c := range map[string]struct {
		body   map[string]any
		status int
	}{
		"no such profile": {body(map[string]any{"profile": none}), 404},
		"no such capture": {body(map[string]any{"capture": none}), 404},
		"no such release": {body(map[string]any{"release": none}), 404},
		"no such bench":   {body(map[string]any{"bench": none}), 404},
		"no such phone":   {body(map[string]any{"phone": "nobody"}), 409},
		"nothing left":    {f.body(map[string]any{"leave": f.names}), 409},
	} {
		if a := f.do(f.cookie, "POST", "/api/v1/runs", c.body); a.status != c.status {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	f.expect(404, f.cookie, "GET", "/api/v1/runs/"+none, nil)
	f.expect(404, f.cookie, "POST", "/api/v1/runs/"+none+"/continue", nil)
	f.expect(422, f.cookie, "POST", "/api/v1/benches/"+f.at.bench+"/requests", map[string]string{"kind": "run", "phone": f.at.phone})
	f.expect(422, f.cookie, "POST", "/api/v1/benches/"+f.at.bench+"/phones/"+f.at.phone+"/backups", map[string]any{"packages": []string{"a.b; reboot"}, "settings": false})
	f.expect(404, nil, "GET", "/run/1", nil)
	// The phone of another capture is not run on.
	f.sql(`update captures set phone = 'another'`)
	f.expect(409, f.cookie, "POST", "/api/v1/runs", f.body(nil))
	if len(f.phone.TakenOff()) > 0 {
		t.Error("something was done all the same")
	}
}

// TestRunBackup saves through the API and installs again what was lost.
func TestRunBackup(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, removable...)
	path := "/api/v1/benches/" + f.at.bench + "/phones/" + f.at.phone + "/backups"
	made := decode[struct{ Backup, Job string }](f.site, f.do(f.cookie, "POST", path, map[string]any{"packages": f.names, "settings": true}), 202)
	if last, _ := f.follow(f.cookie, made.Job); last.State != "done" {
		t.Fatalf("%+v", last)
	}
	list := get[struct {
		Items []struct {
			ID, State  string
			VerifiedAt string
			Result     struct{ Packages, Files int }
		}
	}](f.site, f.cookie, path)
	if len(list.Items) != 1 || list.Items[0].State != "whole" || list.Items[0].Result.Packages != len(f.names) || list.Items[0].VerifiedAt != "" {
		t.Fatalf("%+v", list)
	}
	checked := decode[struct{ Job string }](f.site, f.do(f.cookie, "POST", "/api/v1/backups/"+made.Backup+"/verify", nil), 202)
	f.follow(f.cookie, checked.Job)
	id := f.start(nil)
	f.ended(id, "finished")
	restored := decode[struct{ Job string }](f.site, f.do(f.cookie, "POST", "/api/v1/backups/"+made.Backup+"/restore", map[string]any{"packages": f.names[:2]}), 202)
	if last, _ := f.follow(f.cookie, restored.Job); last.State != "done" {
		t.Fatalf("%+v", last)
	}
	if !slices.Contains(f.there(), f.names[0]) || slices.Contains(f.there(), f.names[2]) {
		t.Error("not what was asked for was installed")
	}
}
