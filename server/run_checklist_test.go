package server_test

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"

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

// stays holds that the rule would delete no backup now.
func (f *fitted) stays() {
	f.t.Helper()
	ended, err := f.store.EndedBackups(f.t.Context(), 90, []uuid.UUID{uuid.MustParse(f.at.bench)})
	if err != nil || len(ended) != 0 {
		f.t.Errorf("%+v, %v", ended, err)
	}
}

// TestBackupsEnd keeps, deletes and lets the rule delete what was saved, and nothing
// that a run may need.
func TestBackupsEnd(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, removable...)
	type kept struct {
		ID, EndsAt      string
		Kept            bool
		OpenRun, DueRun int
		Runs            []struct{ Number int }
		Result          struct {
			Bytes  int
			Folder string
		}
	}
	list := func() []kept { return get[items[kept]](f.site, f.cookie, "/api/v1/backups").Items }
	made := func() kept {
		path := "/api/v1/benches/" + f.at.bench + "/phones/" + f.at.phone + "/backups"
		asked := decode[struct{ Backup, Job string }](f.site, f.do(f.cookie, "POST", path, map[string]any{"packages": f.names, "settings": false}), 202)
		f.follow(f.cookie, asked.Job)
		one := list()[0]
		if _, err := os.Stat(one.Result.Folder); err != nil || one.ID != asked.Backup || one.EndsAt == "" {
			t.Fatalf("%+v, %v", one, err)
		}
		return one
	}
	gone := func(b kept) bool {
		_, err := os.Stat(b.Result.Folder)
		return errors.Is(err, fs.ErrNotExist)
	}
	late := func(b kept) {
		f.sql(`update backups set made_at = now() - interval '91 days' where id = '` + b.ID + `'`)
	}
	first := made()
	if first.Result.Bytes == 0 {
		t.Errorf("%+v", first)
	}
	id := f.start(nil)
	f.ended(id, "finished")
	f.sql(`update runs set state = 'held' where id = '` + id + `'`)
	if a := f.do(f.cookie, "DELETE", "/api/v1/backups/"+first.ID, nil); a.status != 409 || !strings.Contains(string(a.body), "is open") {
		t.Errorf("%d %s", a.status, a.body)
	}
	late(first)
	f.stays()
	if one := list()[0]; one.OpenRun == 0 || one.EndsAt != "" || len(one.Runs) != 1 || gone(first) {
		t.Errorf("%+v", one)
	}
	f.sql(`update runs set state = 'finished' where id = '` + id + `'`)
	f.sql(`insert into run_checks (run_id, number, text) values ('` + id + `', 77, 'Call somebody') on conflict do nothing`)
	f.stays()
	if one := list()[0]; one.DueRun == 0 || gone(first) {
		t.Errorf("%+v", one)
	}
	// It is kept before the rule may have it: the server looks from time to time.
	f.expect(204, f.cookie, "POST", "/api/v1/backups/"+first.ID+"/keep", map[string]bool{"keep": true})
	f.sql(`update run_checks set answer = 'works' where run_id = '` + id + `'`)
	f.expect(409, f.cookie, "DELETE", "/api/v1/backups/"+first.ID, nil)
	f.stays()
	if one := list()[0]; !one.Kept || one.EndsAt != "" || gone(first) {
		t.Errorf("%+v", one)
	}
	f.expect(204, f.cookie, "POST", "/api/v1/backups/"+first.ID+"/keep", map[string]bool{"keep": false})
	f.until("the rule has it deleted", func() bool { return len(list()) == 0 })
	if !gone(first) {
		t.Error("its files are there still")
	}
	f.until("whoever made it is told", func() bool {
		return strings.Contains(string(f.do(f.cookie, "GET", "/api/v1/desk", nil).body), "was kept for as long as the installation's rules say")
	})
	second := made()
	f.sql(`update backups set asked_at = now() where id = '` + second.ID + `'`)
	if a := f.do(f.cookie, "POST", "/api/v1/backups/"+second.ID+"/keep", map[string]bool{"keep": true}); a.status != 409 ||
		!strings.Contains(string(a.body), "asked to delete it") || list()[0].Kept {
		t.Errorf("kept too late: %d %s", a.status, a.body)
	}
	f.sql(`update backups set asked_at = null where id = '` + second.ID + `'`)
	stranger := f.signIn("another")
	f.expect(403, stranger, "DELETE", "/api/v1/backups/"+second.ID, nil)
	f.expect(403, stranger, "POST", "/api/v1/backups/"+second.ID+"/keep", map[string]bool{"keep": true})
	asked := decode[struct{ Job string }](f.site, f.do(f.cookie, "DELETE", "/api/v1/backups/"+second.ID, nil), 202)
	if last, _ := f.follow(f.cookie, asked.Job); last.State != "done" || len(list()) != 0 || !gone(second) {
		t.Errorf("%+v", last)
	}
	f.expect(404, f.cookie, "DELETE", "/api/v1/backups/"+second.ID, nil)
	f.expect(404, f.cookie, "POST", "/api/v1/backups/"+second.ID+"/verify", nil)
}
