package server_test

import (
	"strings"
	"testing"

	"roster/phone"
)

// TestRunMeasured runs with a measurement before and after: the run says what it
// brought, by what the phone attributed to what has gone, and its steps hold no
// owner's app.
func TestRunMeasured(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, append(removable, "com.brannock.feed.daily")...)
	id := f.start(map[string]any{"measure": true})
	f.ended(id, "finished")
	type part struct {
		Package string
		Memory  float64
	}
	got := get[struct {
		Run   struct{ Restarted bool }
		Steps []struct{ Kind, State, Words string }
		Gain  *struct {
			Before, After []struct {
				MemAvailable float64
				Uses         map[string]any
			}
			Gained  map[string]struct{ Gained float64 }
			Parts   []part
			Nothing []string
			Doubts  []string
		}
		Brings map[string]any
	}](f.site, f.cookie, "/api/v1/runs/"+id)
	g := got.Gain
	if g == nil || len(g.Before) != 1 || len(g.After) != 1 || len(g.Before[0].Uses) != 0 || g.Gained["processes"].Gained < 3 ||
		g.Gained["memory"].Gained != g.After[0].MemAvailable-g.Before[0].MemAvailable || g.Gained["memory"].Gained < 40<<20 || g.Gained["start"].Gained <= 0 {
		t.Fatalf("%+v", g)
	}
	if len(g.Parts) < 3 || g.Parts[0].Package != "com.brannock.feed.daily" || g.Parts[0].Memory < 40<<20 || len(g.Nothing) == 0 {
		t.Errorf("%+v, nothing of %v", g.Parts, g.Nothing)
	}
	if got.Brings != nil {
		t.Error("a draft brings what a release does")
	}
	measured := 0
	for _, s := range got.Steps {
		if s.Kind == "measure" && s.State == "done" && strings.Contains(s.Words, "processes") {
			measured++
		}
	}
	if measured != 2 || got.Steps[0].Kind != "restart" || !got.Run.Restarted {
		t.Errorf("%d were measured: %+v", measured, got.Steps)
	}
	// Another one without: nothing is said of what it brought.
	f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/put-back", map[string]any{})
	f.ended(id, "put-back")
	again := f.start(nil)
	f.ended(again, "finished")
	if body := string(f.do(f.cookie, "GET", "/api/v1/runs/"+again, nil).body); strings.Contains(body, `"gain"`) {
		t.Error("it was not measured, and says what it brought")
	}
}

// TestMeasureNow measures a phone without a run: it is listed, its packages are found
// by what they take, and each figure opens to its phones. A firmware that nobody has
// captured is not measured.
func TestMeasureNow(t *testing.T) {
	t.Parallel()
	f := fit(t, nil, nil, removable...)
	job, _ := f.follow(f.cookie, f.ask(f.cookie, f.at, map[string]string{"kind": "measure"}))
	if job.State != "done" {
		t.Fatalf("%+v", job)
	}
	mark := f.ended(f.start(map[string]any{"leave": removable[1:]}), "finished").Run.Phone
	list := get[items[struct {
		Person   string
		Run      int
		Measured struct {
			MemAvailable float64
			Openings     map[string]any
			Uses         map[string]any
		}
	}]](f.site, f.cookie, "/api/v1/measurements?phone="+mark).Items
	if len(list) != 1 || list[0].Run != 0 || list[0].Measured.MemAvailable == 0 || len(list[0].Measured.Openings) != 4 || len(list[0].Measured.Uses) != 0 {
		t.Fatalf("%+v", list)
	}
	rows := get[struct {
		Found int
		Rows  []struct {
			Name     string
			Measured int
			Memory   float64
		}
	}](f.site, f.cookie, "/api/v1/ledger?maker=brannock&model=lyra-5&sort=memory&group=none&q=memory%3E30MB")
	if rows.Found < 4 || rows.Rows[0].Name != "com.brannock.feed.daily" || rows.Rows[0].Measured != 1 {
		t.Errorf("%+v", rows)
	}
	uses := get[struct{ Uses []struct{ BuildID string } }](f.site, f.cookie, "/api/v1/packages/com.brannock.feed.daily").Uses
	if len(uses) != 1 {
		t.Fatalf("%+v", uses)
	}
	phones := get[items[struct {
		Memory float64
		Phone  string
	}]](f.site, f.cookie, "/api/v1/packages/com.brannock.feed.daily/uses?build="+uses[0].BuildID).Items
	if len(phones) != 1 || phones[0].Phone != mark || phones[0].Memory != rows.Rows[0].Memory {
		t.Errorf("%+v", phones)
	}
	model := get[struct{ Phones []any }](f.site, f.cookie, "/api/v1/makers/brannock/models/lyra-5/gain")
	if len(model.Phones) != 0 {
		t.Errorf("nothing was run and measured: %+v", model)
	}
	f.expect(404, f.cookie, "GET", "/api/v1/makers/brannock/models/nothing/gain", nil)
	f.expect(404, f.cookie, "GET", "/api/v1/releases/"+f.profile.String()+"/gain", nil)
	// On a firmware that nobody has captured.
	f.sql(`update builds set fingerprint = fingerprint || '/x'`)
	job, _ = f.follow(f.cookie, f.ask(f.cookie, f.at, map[string]string{"kind": "measure"}))
	if job.State != "failed" || !strings.Contains(job.Problem, "capture the phone, then measure it") {
		t.Errorf("%+v", job)
	}
}

// TestMeasureBroken has the cable fall out while a run measures, before and after: it
// goes on with measuring once more, and both are kept once.
func TestMeasureBroken(t *testing.T) {
	t.Parallel()
	f := fit(t, func(s *phone.Scenario) {
		s.Faults = []phone.Fault{{Command: "dumpsys meminfo", Do: "unplug", Times: 1}, {Command: "dumpsys jobscheduler", After: 1, Do: "unplug", Times: 1}}
	}, nil, removable...)
	id := f.start(map[string]any{"measure": true, "leave": []string{"com.fieldnote.appmanager", "com.fieldnote.services"}}) // which come back
	for range 2 {
		// A bench that is slow can be taken for one that is gone: the cable tells.
		f.until("the cable is out", func() bool { return !f.phone.Condition().Plugged })
		f.until("it is interrupted", func() bool { return f.run(id).Run.State == "interrupted" })
		f.phone.Plug()
		f.connect()
		f.ended(id, "interrupted")
		f.expect(204, f.cookie, "POST", "/api/v1/runs/"+id+"/continue", nil)
	}
	r := f.ended(id, "finished")
	f.agrees(r)
	got := get[struct {
		Gain *struct {
			Before, After []struct{ MemAvailable float64 }
			Gained        map[string]struct{ Gained float64 }
		}
	}](f.site, f.cookie, "/api/v1/runs/"+id).Gain
	if got == nil || len(got.Before) != 1 || len(got.After) != 1 || got.After[0].MemAvailable == 0 || got.Gained["processes"].Gained < 1 {
		t.Errorf("%+v", got)
	}
	if n := f.count(`select count(*)::int from measurements`); n != 2 {
		t.Errorf("%d measurements are kept", n)
	}
}
