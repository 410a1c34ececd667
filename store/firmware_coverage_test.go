package store_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/change"
	"roster/store"
)

// counted counts until nothing is left to be counted.
func (w *world) counted() (models int) {
	w.t.Helper()
	for {
		some, err := w.CountCover(w.ctx)
		w.must(err)
		if len(some) == 0 {
			return models
		}
		models += len(some)
	}
}

func (w *world) cover(build uuid.UUID) store.BuildCover {
	w.t.Helper()
	c, err := w.BuildCoverOf(w.ctx, build)
	w.must(err)
	return c
}

// covers checks what is counted of a build: packages, graded, tried, wanted,
// phones and people.
func (w *world) covers(when string, build uuid.UUID, want string) {
	w.t.Helper()
	c := w.cover(build)
	if got := fmt.Sprint(c.Packages, c.Graded, c.Tried, c.Wanted, c.Phones, c.People); got != want {
		w.t.Errorf("%s: packages, graded, tried, wanted, phones, people are %s, want %s", when, got, want)
	}
}

// other captures a phone of another maker's model that shares some packages.
func (w *world) other(version string, n int) uuid.UUID {
	w.t.Helper()
	c := capture(version, n)
	c.Identity.Fingerprint, c.Identity.Manufacturer, c.Identity.Device, c.Identity.MarketName = "q/p/e:14/I/"+version+":user/k", "Quill", "ember", "Ember"
	sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: "ember-" + version, Person: w.people["other"].ID, Source: "file"})
	w.must(err)
	return sum.BuildID
}

func TestCover(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	load := func(n int, sc catalog.Scope, value string) store.NewEdit {
		return w.edit(fmt.Sprintf("com.brannock.p%03d", n), change.Load, sc, value)
	}
	if c := w.cover(w.build); c.Packages != 0 || c.CapturedAt != nil {
		t.Errorf("counted at once: %+v", c)
	}
	if n := w.counted(); n != 1 {
		t.Errorf("%d models were counted", n)
	}
	w.covers("captured", w.build, "5 0 0 0 1 1")
	if n := w.counted(); n != 0 {
		t.Errorf("%d models were counted again", n)
	}

	// A grade counts where it applies: everywhere, at the model, at the build,
	// and nowhere else.
	second, ember := w.capture("14.1.1", "phone-2", 6).BuildID, w.other("1", 3)
	lyra := catalog.Scope{Kind: catalog.OfModel, ID: w.scope("").Model.ID.String()}
	w.accept("tech", load(0, everywhere, `{"load":"loose"}`), load(1, lyra, `{"load":"loose"}`), load(2, catalog.Scope{Kind: catalog.OfBuild, ID: second.String()}, `{"load":"loose"}`), load(0, lyra, `{"load":"tied-in"}`))
	w.covers("before it is counted", w.build, "5 0 0 0 1 1")
	if n := w.counted(); n != 2 {
		t.Errorf("%d models were counted", n)
	}
	w.covers("graded", w.build, "5 2 0 0 1 1")
	w.covers("graded", second, "6 3 0 0 1 1")
	w.covers("graded everywhere", ember, "3 1 0 0 1 1")
	// One that is taken back does not.
	w.accept("tech", load(1, lyra, `null`))
	w.counted()
	w.covers("taken back", w.build, "5 1 0 0 1 1")

	// What a phone refused was not tried; what was tried twice counts once.
	w.accept("tech", w.trial("com.brannock.p000", "a", "clean"), w.trial("com.brannock.p000", "b", "clean"), w.trial("com.brannock.p001", "a", "refused"), w.trial("com.brannock.p003", "a", "fault"))
	// Where nobody tried anything nothing is counted: of what ships everywhere that
	// would be every model.
	if n := w.counted(); n != 1 {
		t.Errorf("%d models were counted after trials on one", n)
	}
	w.covers("tried", w.build, "5 1 2 0 1 1")
	w.covers("tried on another build", second, "6 2 0 0 1 1")

	// What a release takes off and nobody has tried is wanted, on each build of
	// its model, until a newer release leaves it alone.
	w.edition("Quiet", "com.brannock.p000", "com.brannock.p004", "com.brannock.p005")
	w.counted()
	w.covers("released", w.build, "5 1 2 1 1 1")
	w.covers("released", second, "6 2 0 3 1 1")
	w.covers("another model's release", ember, "3 1 0 0 1 1")
	w.withdraw("Quiet")
	w.counted()
	w.covers("withdrawn", second, "6 2 0 0 1 1")

	// Phones and people count once each.
	for _, phone := range []string{"phone-1", "phone-3"} {
		c := capture("14.1.0", 5)
		c.Packages[0].VersionCode++ // the same capture again is no other
		if _, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: phone, Person: w.people["other"].ID, Source: "file"}); err != nil {
			t.Fatal(err)
		}
	}
	w.counted()
	w.covers("captured by others", w.build, "5 1 2 0 2 2")
}

func (w *world) withdraw(edition string) {
	w.t.Helper()
	w.must(w.Withdraw(w.ctx, w.current(edition).ID, "a phone lost its calls", w.people["main"].ID, time.Time{}))
}

// TestCoverIsTheLedgers holds what is counted of builds to what the Ledger
// says of each, row by row.
func TestCoverIsTheLedgers(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	builds := []uuid.UUID{w.build}
	for i := range 3 {
		builds = append(builds, w.capture(fmt.Sprintf("14.2.%d", i), "phone", 4+3*i).BuildID)
	}
	lyra := w.scope("").Model.ID
	for i := range 10 {
		sc := []catalog.Scope{everywhere, {Kind: catalog.OfModel, ID: lyra.String()}, {Kind: catalog.OfBuild, ID: builds[i%4].String()}}[i%3]
		if i%4 != 3 {
			w.accept("tech", w.edit(fmt.Sprintf("com.brannock.p%03d", i), change.Load, sc, `{"load":"loose"}`))
		}
	}
	w.counted()
	covers, err := w.BuildCovers(w.ctx, []uuid.UUID{lyra}, 100)
	w.must(err)
	if len(covers) != 4 || !slices.IsSortedFunc(covers, func(a, b store.BuildCover) int { return slices.Index(builds, a.ID) - slices.Index(builds, b.ID) }) {
		t.Fatalf("%+v", covers)
	}
	var sum store.CoverSum
	for _, c := range covers {
		rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: w.scope(c.ID.String()), Method: "remove-for-user", Limit: 500})
		w.must(err)
		graded := 0
		for _, r := range rows {
			if r.LoadScope != "" {
				graded++
			}
		}
		if c.Packages != len(rows) || c.Graded != graded || graded == 0 || graded == len(rows) {
			t.Errorf("%s: %d packages, %d graded; the Ledger has %d, %d", c.Version, c.Packages, c.Graded, len(rows), graded)
		}
		sum = sum.Plus(store.CoverSum{Builds: 1, Captured: 1, Packages: c.Packages, Graded: c.Graded, Tried: c.Tried, Wanted: c.Wanted})
	}
	models, _, err := w.ModelCovers(w.ctx, store.CoverQuery{Sort: "model", Limit: 100})
	w.must(err)
	makers, err := w.MakerCovers(w.ctx, store.Scope{})
	w.must(err)
	if len(models) != 1 || models[0].CoverSum != sum || len(makers) != 1 || makers[0].CoverSum != sum || makers[0].Models != 1 {
		t.Errorf("sums are %+v, %+v, want %+v", models, makers, sum)
	}
}

// TestModelCoversByPage reads models in each order, page by page: each once, and as
// the order says.
func TestModelCoversByPage(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.other("1", 3)
	for n := range 5 {
		c := capture("1.0.0", 2+n)
		c.Identity = identity(n, n%2, 1, "14")
		w.take(c, fmt.Sprint("elsewhere ", n))
	}
	w.edition("Quiet", "com.brannock.p000")
	w.accept("tech", w.trial("com.brannock.p001", "a", "clean"), w.edit("com.brannock.p002", change.Load, everywhere, `{"load":"loose"}`))
	w.counted()
	first := map[string]string{"model": "Lyra 5", "tried": "Model 0", "graded": "Model 0", "wanted": "Lyra 5", "age": "Lyra 5"}
	for sort := range store.CoverSorts {
		var names []string
		q := store.CoverQuery{Sort: sort, Limit: 3}
		for page := 0; page == 0 || q.After != nil; page++ {
			list, next, err := w.ModelCovers(w.ctx, q)
			w.must(err)
			for _, m := range list {
				names = append(names, m.ModelName)
			}
			q.After = next
		}
		whole, next, err := w.ModelCovers(w.ctx, store.CoverQuery{Sort: sort, Limit: 100})
		w.must(err)
		var want []string
		for _, m := range whole {
			want = append(want, m.ModelName)
		}
		if next != nil || len(want) != 7 || !slices.Equal(names, want) || want[0] != first[sort] {
			t.Errorf("%s: page by page %v, at once %v", sort, names, want)
		}
	}
}

// TestHelpful asks where one more phone would help most: first where releases
// go untried, then where least was tried.
func TestHelpful(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	second, ember := w.capture("14.1.1", "phone-2", 5).BuildID, w.other("1", 3)
	w.edition("Quiet", "com.brannock.p000", "com.brannock.p001")
	w.accept("tech", w.trial("com.brannock.p000", "a", "clean"), w.trial("com.brannock.p001", "a", "clean"))
	w.counted()
	helpful := func(sc store.Scope, limit int) (ids []uuid.UUID) {
		t.Helper()
		list, err := w.Helpful(w.ctx, sc, limit)
		w.must(err)
		for _, c := range list {
			ids = append(ids, c.ID)
		}
		return ids
	}
	if got := helpful(store.Scope{}, 10); !slices.Equal(got, []uuid.UUID{second, ember, w.build}) {
		t.Errorf("%v; %v, %v, %v", got, second, ember, w.build)
	}
	if got := helpful(w.scope(""), 10); !slices.Equal(got, []uuid.UUID{second, w.build}) {
		t.Errorf("in scope: %v", got)
	}
	if got := helpful(store.Scope{}, 1); !slices.Equal(got, []uuid.UUID{second}) {
		t.Errorf("the first: %v", got)
	}
	// Where all was tried, no phone helps.
	for i := range 5 {
		w.accept("tech", w.trial(fmt.Sprintf("com.brannock.p%03d", i), "b", "clean"))
	}
	w.counted()
	if got := helpful(store.Scope{}, 10); !slices.Equal(got, []uuid.UUID{second, ember}) {
		t.Errorf("all tried: %v", got)
	}
	if got := w.cover(w.build); got.Packages != got.Tried || got.MakerName != "Brannock" || got.ModelName != "Lyra 5" || got.SecurityPatch != "2026-01-0" {
		t.Errorf("%+v", got)
	}
}
