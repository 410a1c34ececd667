package store_test

import (
	"maps"
	"reflect"
	"slices"
	"testing"
	"time"

	"roster/core/change"
	"roster/core/evidence"
	"roster/core/filter"
	"roster/store"
)

// TestKeptLedgersAreArranged holds a model's kept Ledger, put in order and cut into
// pages here, to what the database alone answers, in every order and grouping.
func TestKeptLedgersAreArranged(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.capture("14.2.0", "phone-2", 9)
	w.accept("tech", w.trial("com.brannock.p001", "a", "clean"), w.trial("com.brannock.p004", "a", "fault"),
		w.edit("com.brannock.p002", change.Labels, everywhere, `{"en":"Camera"}`),
		w.edit("com.brannock.p003", change.Load, everywhere, `{"load": "loose"}`),
		w.edit("com.brannock.p005", change.Functions, everywhere, `["camera"]`))
	_, err := w.Pool().Exec(w.ctx, `
		insert into package_uses (package_id, place, of_model, phones, memory, processes, services, jobs, wakeups,
			processor, traffic, room, least, most)
		select package_id, model_id, true, 2, 1000 * row_number() over (order by package_id), 1, 1, 1, 1, 1, 1, 1, 1, 1
		from shipped_by`)
	w.must(err)
	for _, words := range []string{"", "p00"} {
		n, err := filter.Parse(words, time.Now())
		w.must(err)
		sorts := slices.Sorted(maps.Keys(store.Sorts))
		if words != "" {
			sorts = append(sorts, store.ByFit)
		}
		for _, sort := range sorts {
			for group := range store.Groups {
				w.samePages(store.LedgerQuery{Scope: w.scope(""), Method: string(evidence.RemoveForUser), Filter: n,
					Sort: sort, Group: group, Limit: 4})
			}
		}
	}
}

// samePages compares page after page.
func (w *world) samePages(q store.LedgerQuery) {
	w.t.Helper()
	for n := 0; ; n++ {
		got, found, total, err := w.Ledger(w.ctx, q)
		w.must(err)
		want, wantFound, wantTotal, err := w.LedgerOfStatement(w.ctx, q)
		w.must(err)
		if found != wantFound || total != wantTotal || len(got) != len(want) || len(got) > 0 && !reflect.DeepEqual(got, want) {
			w.t.Fatalf("by %s in %s, page %d:\n%+v, %d of %d\nfrom the database\n%+v, %d of %d",
				q.Sort, q.Group, n, got, found, total, want, wantFound, wantTotal)
		}
		if len(got) < q.Limit {
			if n == 0 {
				w.t.Fatalf("one page shows nothing of the next")
			}
			return
		}
		last := got[len(got)-1]
		q.After = &store.LedgerCursor{Group: last.Group, Order: last.Order, Name: last.Name}
	}
}
