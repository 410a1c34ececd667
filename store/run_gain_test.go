package store_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/google/uuid"

	"roster/core/android"
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
			raw, err := json.Marshal(android.Measurement{MemTotal: 1000, MemAvailable: m, Uptime: 600, Missing: []string{}})
			w.must(err)
			_, err = w.Pool().Exec(w.ctx, `
				insert into run_measurements (run_id, number, measured) values ($1, $2, $3)`, id, numbers[i], raw)
			w.must(err)
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
	ran("phone 0", "finished", 100, 400) // the same phone: its median is 200
	ran("phone 7", "finished", 100)
	held := ran("phone 8", "held", 100, 900)
	g, err := w.GainOf(w.ctx, r.ID)
	w.must(err)
	if m := g.Memory; m.Phones != 6 || m.Low != 110 || m.High != 200 || m.Median != 135 || !m.Measurable || g.Processes.Measurable {
		t.Errorf("%+v", g)
	}
	one, err := w.RunGain(w.ctx, held)
	if err != nil || one.Memory != 800 || len(one.Doubts) != 0 {
		t.Errorf("%+v, %v", one, err)
	}
}
