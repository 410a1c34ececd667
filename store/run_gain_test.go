package store_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/desk"
	"roster/core/filter"
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
	ran := func(phone, state string, memory ...int64) uuid.UUID {
		return w.measuredRun(c, r.ID, phone, state, memory...)
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
	want := gain.Figure{Median: 140, Low: 110, High: 200, Phones: 6, People: 1, Verdict: gain.Gains}
	if g.Figures[gain.Memory] != want || g.Figures[gain.Processes].Verdict != gain.None || len(g.Phones) != 6 {
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
	// In another state it does not.
	w.must(w.AddMeasurement(w.ctx, store.NewMeasurement{
		Phone: "phone 2", Build: c.BuildID, Person: w.people["tech"].ID, At: time.Now().Add(time.Hour),
		Measured: &android.Measurement{MemTotal: 1000, MemAvailable: 500, Uptime: 60_000, Missing: []string{}},
	}))
	g, err = w.GainOf(w.ctx, r.ID)
	w.must(err)
	if p := g.Phones[2]; p.Phone != "phone 2" || p.Measured != 2 || p.Gained[gain.Memory].Gained != 120 {
		t.Errorf("%+v", p)
	}
	w.must(w.CountMeasured(w.ctx, "phone 1"))
	uses, err := w.UsesOn(w.ctx, c.BuildID)
	w.must(err)
	if u := uses["l.other"]; len(uses) != 2 || u.Phones != 8 || u.Least != 100 || u.Most != 100 || u.Wakeups != 60 || !uses["l.lib"].Nothing() {
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

// measuredRun is a run of a release that was measured with so much memory to be had,
// and came to a state.
func (w *world) measuredRun(c store.CaptureSummary, release uuid.UUID, phone, state string, memory ...int64) uuid.UUID {
	w.t.Helper()
	full, err := w.ReleaseByID(w.ctx, release)
	w.must(err)
	d, err := profile.ParseDocument(full.Document)
	w.must(err)
	of, err := w.ProfileOf(w.ctx, release)
	w.must(err)
	bench := uuid.NewSHA1(uuid.Nil, []byte("bench"))
	w.must(w.EnsureBench(w.ctx, bench, "bench"))
	id, err := w.StartRun(w.ctx, store.NewRun{
		Profile: of, Release: &release, Document: d, Build: c.BuildID, Capture: c.ID, Phone: phone, Name: "Lyra 5", Form: "phone",
		Bench: bench, Person: w.people["tech"].ID, Choices: run.Choices{Measure: true},
	})
	w.must(err)
	rows, err := w.Pool().Query(w.ctx, `
		select number from run_steps where run_id = $1 and kind = 'measure' order by number`, id)
	w.must(err)
	numbers, err := pgx.CollectRows(rows, pgx.RowTo[int])
	w.must(err)
	if len(numbers) != 2 {
		w.t.Fatalf("a run that is measured has the steps %v", numbers)
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

// TestDeskOfGain has maintainers told of a release that brought nothing, until it
// does, and of a firmware on which a package takes much more, until it does not.
func TestDeskOfGain(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := w.linkedOn("one", "1", loose)
	_, r := w.edition("Quiet", "l.other", "l.lib")
	for i := range int64(6) {
		w.measuredRun(c, r.ID, fmt.Sprint("phone ", i), "put-back", 100, 97+i)
	}
	w.has(desk.GainedNothing)
	w.must(w.CountMeasured(w.ctx, "phone 0"))
	w.has(desk.GainedNothing, "main")
	if l := w.line("main", desk.GainedNothing); !strings.Contains(l.Text, "Quiet, no. 1, brought 6 phones nothing") || !strings.Contains(l.To, "sheet=gain") {
		t.Errorf("%+v", l)
	}
	for i := range int64(30) {
		w.measuredRun(c, r.ID, fmt.Sprint("more ", i), "finished", 100, 150+i)
	}
	w.must(w.CountMeasured(w.ctx, "more 0"))
	w.has(desk.GainedNothing)

	second := w.linked("2", loose)
	measured := func(phone string, build uuid.UUID, mb int64) {
		w.must(w.AddMeasurement(w.ctx, store.NewMeasurement{
			Phone: phone, Build: build, Person: w.people["tech"].ID,
			Measured: &android.Measurement{Uptime: 600, Missing: []string{}, Uses: map[android.PackageName]android.Use{"l.user": {Memory: mb * 1e6, Processes: 1}}},
		}))
		w.must(w.CountMeasured(w.ctx, phone))
	}
	for i := range int64(3) {
		measured(fmt.Sprint("later ", i), second, 60+i)
		measured(fmt.Sprint("earlier ", i), c.BuildID, 20+i)
		if i < 2 {
			w.has(desk.CostsMore)
		}
	}
	w.has(desk.CostsMore, "main")
	if l := w.line("main", desk.CostsMore); !strings.Contains(l.Text, "On Lyra 5 2, l.user began to use 61.0 MB of memory; on 1 it was 21.0 MB") {
		t.Errorf("%+v", l)
	}
	for i := range int64(4) {
		measured(fmt.Sprint("more later ", i), second, 21)
	}
	w.has(desk.CostsMore)
	// The Ledger finds it, and the Dossier opens what it is made of.
	n, err := filter.Parse("memory>20MB starts:yes not wakeups>1/h", time.Now())
	w.must(err)
	rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: w.scope(""), Method: "remove-for-user", Filter: n, Sort: "memory", Limit: 10})
	w.must(err)
	if len(rows) != 1 || rows[0].Name != "l.user" || rows[0].Measured != 10 || rows[0].Memory != 21e6 || !rows[0].Starts {
		t.Errorf("%+v", rows)
	}
	pkg, err := w.Package(w.ctx, "l.user")
	w.must(err)
	if list, err := w.PhoneUses(w.ctx, pkg.ID, second); err != nil || len(list) != 7 || list[0].Memory != 62e6 || list[0].Person != "tech" {
		t.Errorf("%+v, %v", list, err)
	}
}

// modelOf is the model that a build is of.
func modelOf(w *world, build uuid.UUID) (model uuid.UUID) {
	w.must(w.Pool().QueryRow(w.ctx, `select model_id from builds where id = $1`, build).Scan(&model))
	return model
}
