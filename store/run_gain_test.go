package store_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/gain"
	"roster/core/profile"
	"roster/core/run"
	"roster/store"
)

// TestGainOf puts together what a release brought: each phone once, by the median of
// its runs, and nothing of runs that are not finished or were measured once.
func TestGainOf(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := w.linkedOn("one", "1", loose)
	_, r := w.edition("Quiet", "l.other", "l.lib")
	full, err := w.ReleaseByID(w.ctx, r.ID)
	w.must(err)
	d, err := profile.ParseDocument(full.Document)
	w.must(err)
	of, err := w.ProfileOf(w.ctx, r.ID)
	w.must(err)
	bench := uuid.NewSHA1(uuid.Nil, []byte("bench"))
	w.must(w.EnsureBench(w.ctx, bench, "bench"))
	ran := func(phone, state string, memory ...int64) uuid.UUID {
		id, err := w.StartRun(w.ctx, store.NewRun{
			Profile: of, Release: &r.ID, Document: d, Build: c.BuildID, Capture: c.ID, Phone: phone, Name: "Lyra 5", Form: "phone",
			Bench: bench, Person: w.people["tech"].ID, Choices: run.Choices{Measure: true},
		})
		w.must(err)
		var numbers []int
		rows, err := w.Pool().Query(w.ctx, `
			select number from run_steps where run_id = $1 and kind = 'measure' order by number`, id)
		w.must(err)
		for rows.Next() {
			var n int
			w.must(rows.Scan(&n))
			numbers = append(numbers, n)
		}
		if len(numbers) != 2 {
			t.Fatalf("a run that is measured has the steps %v", numbers)
		}
		for i, m := range memory {
			w.must(w.AddMeasurement(w.ctx, store.NewMeasurement{
				Phone: phone, Build: c.BuildID, Person: w.people["tech"].ID, Run: &id, Step: numbers[i],
				Measured: &android.Measurement{
					MemTotal: 1000, MemAvailable: m, Uptime: 600, Missing: []string{},
					Uses: map[android.PackageName]android.Use{"l.other": {Memory: m, Wakeups: 10}, "l.lib": {}, "not.known": {Memory: 5}},
				},
			}))
		}
		_, err = w.Pool().Exec(w.ctx, `update runs set state = $2 where id = $1`, id, state)
		w.must(err)
		return id
	}
	if g, err := w.GainOf(w.ctx, r.ID); err != nil || g != nil {
		t.Errorf("%+v, %v", g, err)
	}
	for i := range int64(6) {
		ran(fmt.Sprint("phone ", i), "finished", 100, 200+10*i)
	}
	ran("phone 0", "finished", 100, 400) // the same phone: between both it gained 200
	ran("phone 7", "finished", 100)
	held := ran("phone 8", "held", 100, 900)
	g, err := w.GainOf(w.ctx, r.ID)
	w.must(err)
	// One person measured all six, of which the k-th counts 1/√k.
	if m := g.Figures[gain.Memory]; m != (gain.Figure{Median: 140, Low: 110, High: 200, Phones: 6, People: 1, Verdict: gain.Gains}) || g.Figures[gain.Processes].Verdict != gain.None || len(g.Phones) != 6 {
		t.Errorf("%+v", g)
	}
	one, err := w.RunGain(w.ctx, held)
	if err != nil || one.Gained[gain.Memory].Gained != 800 || len(one.Doubts) != 0 {
		t.Errorf("%+v, %v", one, err)
	}
	// What was measured without a run, before it and until the next one, belongs to it.
	w.must(w.AddMeasurement(w.ctx, store.NewMeasurement{
		Phone: "phone 1", Build: c.BuildID, Person: w.people["tech"].ID, At: time.Now().Add(time.Hour),
		Measured: &android.Measurement{MemTotal: 1000, MemAvailable: 500, Uptime: 600, Missing: []string{}},
	}))
	g, err = w.GainOf(w.ctx, r.ID)
	w.must(err)
	if p := g.Phones[1]; p.Phone != "phone 1" || p.Measured != 3 || p.Gained[gain.Memory].Gained != 255 || *p.Gained[gain.Memory].Noise != 290 {
		t.Errorf("%+v", p)
	}
	w.must(w.CountMeasured(w.ctx, "phone 1"))
	uses, err := w.UsesOn(w.ctx, c.BuildID)
	w.must(err)
	if u := uses["l.other"]; len(uses) != 2 || u.Phones != 8 || u.Least != 100 || u.Most != 900 || u.Wakeups != 60 || !uses["l.lib"].Nothing() {
		t.Errorf("%+v", uses)
	}
	pkg, err := w.Package(w.ctx, "l.other")
	w.must(err)
	if list, err := w.UsesOf(w.ctx, pkg.ID); err != nil || len(list) != 1 || list[0].BuildID != c.BuildID || list[0].Phones != 8 {
		t.Errorf("%+v, %v", list, err)
	}
	if many, err := w.GainOnModel(w.ctx, modelOf(w, c.BuildID)); err != nil || len(many.Phones) != 6 || len(many.Memory) != 0 {
		t.Errorf("%+v, %v", many, err)
	}
}

// modelOf is the model that a build is of.
func modelOf(w *world, build uuid.UUID) (model uuid.UUID) {
	w.must(w.Pool().QueryRow(w.ctx, `select model_id from builds where id = $1`, build).Scan(&model))
	return model
}
