package store_test

import (
	"fmt"
	"runtime"
	"sync"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/change"
	"roster/core/profile"
	"roster/store"
)

// BenchmarkAddCapture stores captures of 420 packages, each of a phone not
// seen before; compare BenchmarkBareCopy.
func BenchmarkAddCapture(b *testing.B) {
	w := newWorld(b)
	w.capture("15.0.0", "first", 420)
	n := 0
	for b.Loop() {
		n++
		w.shown("15.0.0", fmt.Sprint("phone", n))
	}
	b.ReportMetric(float64(420*n)/b.Elapsed().Seconds(), "sightings/s")
}

// shown captures 420 packages, of which every third has an icon, as on phones.
func (w *world) shown(version, phone string) {
	w.t.Helper()
	c := capture(version, 420)
	for i := 0; i < len(c.Packages); i += 3 {
		c.Phone.Icons = append(c.Phone.Icons, c.Packages[i].Name)
	}
	w.take(c, phone)
}

// BenchmarkBulkIntake takes in 1,000 captures of 420 packages each, of 50
// builds, by as many goroutines as a server has for it, on one server and on two of
// one database, and reports sightings a second and how far memory grew.
func BenchmarkBulkIntake(b *testing.B) {
	for _, servers := range []int{1, 2} {
		b.Run(fmt.Sprint("servers=", servers), func(b *testing.B) {
			w := newWorld(b)
			stores := []*store.Store{w.Store}
			if servers == 2 {
				second, err := store.New(w.ctx, w.Pool().Config().ConnString())
				w.must(err)
				b.Cleanup(second.Close)
				stores = append(stores, second)
			}
			var before, after runtime.MemStats
			round := 0
			for b.Loop() {
				round++
				runtime.GC()
				runtime.ReadMemStats(&before)
				w.takeMany(stores, round)
				runtime.GC()
				runtime.ReadMemStats(&after)
			}
			b.ReportMetric(float64(420*1000*round)/b.Elapsed().Seconds(), "sightings/s")
			b.ReportMetric(float64(int64(after.HeapAlloc)-int64(before.HeapAlloc))/1e6, "MB-grown")
		})
	}
}

// takeMany takes in 1,000 captures of 50 builds that no other round has, three at a
// time on each of some servers.
func (w *world) takeMany(stores []*store.Store, round int) {
	next := make(chan int)
	var wait sync.WaitGroup
	for i := range 3 * len(stores) {
		wait.Go(func() {
			for n := range next {
				c := capture(fmt.Sprintf("%d.%d.0", 20+round, n%50), 420)
				if _, err := stores[i%len(stores)].AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: fmt.Sprint("bulk ", round, n), Person: w.people["tech"].ID, Source: "file"}); err != nil {
					w.t.Error(err)
				}
			}
		})
	}
	for i := range 1000 {
		next <- i
	}
	close(next)
	wait.Wait()
}

// BenchmarkAddFirstCapture stores captures of 420 packages of a firmware and
// of versions that were not seen before.
func BenchmarkAddFirstCapture(b *testing.B) {
	w := newWorld(b)
	n := 0
	for b.Loop() {
		n++
		w.shown(fmt.Sprintf("15.%d.0", n), "first")
	}
}

// BenchmarkBareCopy copies a row for each package of one capture into a table with
// such references and keys as rows that stand by themselves need, and does nothing
// else.
func BenchmarkBareCopy(b *testing.B) {
	w := newWorld(b)
	first := w.capture("15.0.0", "first", 420)
	_, err := w.Pool().Exec(w.ctx, `
		create table bare (capture_id uuid not null references captures, package_id uuid not null,
			facts_id uuid not null references facts, installed boolean not null, enabled text not null,
			installer text not null, app_bytes bigint not null, data_bytes bigint not null, cache_bytes bigint not null,
			updated boolean not null default false, primary key (capture_id, package_id));
		create index on bare (package_id, capture_id)`)
	if err != nil {
		b.Fatal(err)
	}
	rows, err := w.Pool().Query(w.ctx, `
		select package_id, facts_id, installed, enabled from sightings where capture_id = $1`, first.ID)
	if err != nil {
		b.Fatal(err)
	}
	type sighting struct {
		Package, Facts uuid.UUID
		Installed      bool
		Enabled        string
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[sighting])
	if err != nil || len(list) != 420 {
		b.Fatal(err, len(list))
	}
	n := 0
	for b.Loop() {
		n++
		id := store.NewID()
		err := pgx.BeginFunc(w.ctx, w.Pool(), func(tx pgx.Tx) error {
			columns := []string{"id", "build_id", "phone", "person_id", "source", "complete", "missing", "reports", "digest", "inventory_id"}
			_, err := tx.CopyFrom(w.ctx, pgx.Identifier{"captures"}, columns,
				pgx.CopyFromRows([][]any{{id, first.BuildID, "p", w.people["tech"].ID, "bench", true, "", []byte("[]"), id[:], first.ID}}))
			if err != nil {
				return err
			}
			columns = []string{"capture_id", "package_id", "facts_id", "installed", "enabled", "installer", "app_bytes", "data_bytes", "cache_bytes"}
			_, err = tx.CopyFrom(w.ctx, pgx.Identifier{"bare"}, columns,
				pgx.CopyFromSlice(len(list), func(i int) ([]any, error) {
					s := list[i]
					return []any{id, s.Package, s.Facts, s.Installed, s.Enabled, "", int64(0), int64(0), int64(0)}, nil
				}))
			return err
		})
		if err != nil {
			b.Fatal(err)
		}
	}
}

// reviewWorld is a model of 420 packages with some trials each, and forty
// profiles of it.
func reviewWorld(b *testing.B) *world {
	w := newWorld(b)
	w.capture("15.0.0", "first", 420)
	var edits []store.NewEdit
	for i := range 420 {
		for phone := range 6 {
			edits = append(edits, w.trial(fmt.Sprintf("com.brannock.p%03d", i), fmt.Sprint("phone ", phone), "clean"))
		}
	}
	w.accept("other", edits...)
	for n := range 40 {
		if _, err := w.AddProfile(w.ctx, store.NewProfile{Model: w.scope("").Model.ID, Name: fmt.Sprint("Edition ", n), Rules: profile.DefaultRules}, w.people["main"].ID); err != nil {
			b.Fatal(err)
		}
	}
	return w
}

// some are n edits: a trial, a load and a description in turn.
func (w *world) some(n int, mark string) (edits []store.NewEdit) {
	for i := range n {
		name := fmt.Sprintf("com.brannock.p%03d", i%419)
		edits = append(edits, []store.NewEdit{
			w.trial(name, fmt.Sprint(mark, i), "clean"),
			w.edit(name, change.Load, everywhere, `{"load":"loose"}`), w.edit(name, change.Description, everywhere, fmt.Sprintf("%q", mark)),
		}[i%3])
	}
	return edits
}

// BenchmarkKnockOn works out what 50 edits do to 40 profiles of 420 packages.
func BenchmarkKnockOn(b *testing.B) {
	w := reviewWorld(b)
	id, _ := w.send("tech", w.some(50, "bench")...)
	c, edits := w.state(id)
	for b.Loop() {
		k, err := w.KnockOn(w.ctx, c.AuthorID, edits)
		if err != nil || len(k.Profiles)+k.Untouched != 40 {
			b.Fatal(len(k.Profiles), k.Untouched, err)
		}
	}
}

// BenchmarkDecide accepts changes of 500 edits.
func BenchmarkDecide(b *testing.B) {
	w := reviewWorld(b)
	n := 0
	for b.Loop() {
		b.StopTimer()
		n++
		id, ids := w.send("tech", w.some(500, fmt.Sprint("round ", n))...)
		b.StartTimer()
		if err := w.Decide(w.ctx, w.people["rev"].ID, id, 1, verdicts(ids, "accepted")); err != nil {
			b.Fatal(err)
		}
	}
}

// measure keeps a measurement of a phone with 420 packages of the catalogue.
func (w *world) measure(sum store.CaptureSummary, phone string) {
	w.t.Helper()
	m := android.Measurement{Uptime: 600, Missing: []string{}, Uses: map[android.PackageName]android.Use{}}
	for i, p := range capture("15.0.0", 420).Packages {
		m.Uses[p.Name] = android.Use{Memory: int64(i) << 20, Processes: 1, Wakeups: i % 7}
	}
	w.must(w.AddMeasurement(w.ctx, store.NewMeasurement{Phone: phone, Build: sum.BuildID, Person: w.people["tech"].ID, Measured: &m}))
}

// BenchmarkAddMeasurement keeps measurements of 420 packages each.
func BenchmarkAddMeasurement(b *testing.B) {
	w := newWorld(b)
	sum := w.capture("15.0.0", "first", 420)
	n := 0
	for b.Loop() {
		n++
		w.measure(sum, fmt.Sprint("phone ", n))
	}
}

// BenchmarkCountMeasured makes anew what packages use on a model of which 400
// measurements are counted, as after each further one.
func BenchmarkCountMeasured(b *testing.B) {
	w := newWorld(b)
	sum := w.capture("15.0.0", "first", 420)
	for i := range 420 {
		w.measure(sum, fmt.Sprint("phone ", i/2))
	}
	for b.Loop() {
		w.must(w.CountMeasured(w.ctx, "phone 7"))
	}
}
