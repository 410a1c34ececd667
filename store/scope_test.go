package store_test

import (
	"cmp"
	"errors"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/store"
)

// TestVersionsInOrder: the database orders versions as the core does.
func TestVersionsInOrder(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	versions := []string{"15.0.9", "15.0.10", "15.0.010", "15.0", "", "A55XXU1", "A55XXU10", "A55XXU2", "V816.0.3.0.UNDMIXM", "V816.0.12.0.UNDMIXM", "99999999999999999999", "100000000000000000000", "ä1", "a-1", "a.1"}
	random := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		var b strings.Builder
		for range random.IntN(8) {
			b.WriteByte("0019aB.-_ "[random.IntN(10)])
		}
		versions = append(versions, b.String())
	}
	rows, err := w.Pool().Query(w.ctx, `
		select v from unnest($1::text[]) v order by version_key(v) collate "C", v collate "C"`, versions)
	w.must(err)
	var sorted []string
	for rows.Next() {
		var v string
		w.must(rows.Scan(&v))
		sorted = append(sorted, v)
	}
	w.must(rows.Err())
	slices.SortFunc(versions, func(a, b string) int { return cmp.Or(catalog.CompareVersions(a, b), cmp.Compare(a, b)) })
	if !slices.Equal(sorted, versions) {
		t.Errorf("%q\n%q", sorted, versions)
	}
}

// TestNewestVersion: of two firmwares with one security patch, the one with the
// higher number is the newer one, in every list.
func TestNewestVersion(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	var want []string
	for _, version := range []string{"15.0.9", "15.0.10"} {
		c := capture(version, 3)
		c.Identity.SecurityPatch = "2027-01-01"
		_, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: version, Person: w.people["tech"].ID, Source: "file"})
		w.must(err)
		want = append(want, version)
	}
	builds, err := w.Builds(w.ctx, "brannock", "lyra-5")
	w.must(err)
	var got []string
	for _, b := range builds[len(builds)-2:] {
		got = append(got, b.Version)
	}
	if !slices.Equal(got, want) {
		t.Errorf("oldest first: %v", got)
	}
	if b := w.scope("").Target.Build; b != builds[len(builds)-1].ID.String() {
		t.Errorf("%s stands for the model", b)
	}
	newest, before := builds[len(builds)-1], builds[len(builds)-2]
	arrivals, err := w.Arrivals(w.ctx, []uuid.UUID{newest.ID})
	w.must(err)
	if since := arrivals[newest.ID].SinceID; since == nil || *since != before.ID {
		t.Errorf("the build before 15.0.10 is %v", since)
	}
}

// TestScopeWithoutDatabase: a database that is away is no build that there is
// not.
func TestScopeWithoutDatabase(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	if _, err := w.FindScope(w.ctx, "brannock", "lyra-5", store.NewID().String()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
	_, err := w.Pool().Exec(w.ctx, `alter table presence rename to elsewhere`)
	w.must(err)
	if _, err := w.FindScope(w.ctx, "brannock", "lyra-5", w.build.String()); err == nil || errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
}
