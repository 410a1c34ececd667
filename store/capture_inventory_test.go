package store_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/tern/v2/migrate"

	"roster/core/android"
)

// found is what the database tells of captures, a line for each package of each,
// with what its data takes by a relation that tells sizes.
func found(w *world, conn *pgx.Conn, sizes string) map[string]string {
	w.t.Helper()
	rows, err := conn.Query(w.ctx, `
		select s.capture_id::text || ' ' || p.name, concat_ws(' ', f.version_name, s.installed, s.enabled, s.installer,
			s.updated, coalesce(z.data_bytes, 0))
		from sightings s
		join packages p on p.id = s.package_id
		join facts f on f.id = s.facts_id
		left join `+sizes+` z on z.capture_id = s.capture_id and z.package_id = s.package_id`)
	w.must(err)
	out := map[string]string{}
	var key, value string
	_, err = pgx.ForEachRow(rows, []any{&key, &value}, func() error {
		if _, twice := out[key]; twice {
			w.t.Errorf("%s stands there twice", key)
		}
		out[key] = value
		return nil
	})
	w.must(err)
	return out
}

// vary makes of a capture one of another phone: so many of its packages are gone,
// off, updated, or joined by others.
func vary(c *android.Capture, by *rand.Rand, share float64) {
	var kept []android.Package
	for i, p := range c.Packages {
		if by.Float64() < share {
			switch by.IntN(5) {
			case 0:
				continue
			case 1:
				p.Installed = false
			case 2:
				p.Enabled = android.EnabledOff
			case 3:
				p.SystemPath, p.Path, p.VersionName = p.Path, "/data/app/x", "updated"
			case 4:
				kept = append(kept, android.Package{
					Name: android.PackageName(fmt.Sprintf("com.brannock.own%d", i)), VersionName: "1", Path: "/data/app/y",
					Partition: "data", Installed: true, Enabled: android.EnabledDefault, Installer: "com.shop",
				})
			}
		}
		kept = append(kept, p)
	}
	c.Packages = kept
	for i := range c.Packages {
		c.Packages[i].DataBytes = by.Int64N(1 << 40)
	}
}

// TestSightingsAreToldWhole takes in phones of one firmware that differ a little or
// a lot: what each had is read as it came, before and after the sightings were
// written a row each, as they once were, and folded again.
func TestSightingsAreToldWhole(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	by := rand.New(rand.NewPCG(7, 7))
	want := map[string]string{}
	for n := range 24 {
		c := capture(fmt.Sprintf("15.%d.0", n%2), 40)
		if n > 1 {
			vary(c, by, []float64{0, 0.05, 0.1, 0.1, 0.8}[n/2%5])
		}
		sum := w.take(c, fmt.Sprint("phone ", n))
		for _, p := range c.Packages {
			want[sum.ID.String()+" "+string(p.Name)] = strings.Join([]string{
				p.VersionName, text(p.Installed), string(p.Enabled), p.Installer, text(p.SystemPath != ""), fmt.Sprint(p.DataBytes),
			}, " ")
		}
	}
	conn, err := w.Pool().Acquire(w.ctx)
	w.must(err)
	defer conn.Release()
	const unfolded = "sightings"
	const folded = `(select s.* from captures c cross join sightings_of(c.id) s)`
	differs := func(when, sizes string) {
		t.Helper()
		got := found(w, conn.Conn(), sizes)
		for key := range got {
			if _, ours := want[key]; !ours {
				delete(got, key) // the world's own
			}
		}
		if !maps.Equal(got, want) {
			t.Errorf("%s: %d sightings, not %d", when, len(got), len(want))
			for key, value := range want {
				if got[key] != value {
					t.Fatalf("%s is %q, not %q", key, got[key], value)
				}
			}
		}
	}
	differs("as taken in", folded)
	var whole, all int
	w.must(w.Pool().QueryRow(w.ctx, `
		select count(distinct capture_id), (select count(*) from captures) from inventories`).Scan(&whole, &all))
	if whole < 3 || whole > all/3 {
		t.Errorf("%d of %d captures have an inventory of their own", whole, all)
	}
	m, err := migrate.NewMigrator(w.ctx, conn.Conn(), "schema_version")
	w.must(err)
	w.must(m.LoadMigrations(os.DirFS("migrations")))
	newest := int32(len(m.Migrations))
	w.must(m.MigrateTo(w.ctx, 43))
	differs("a row each", unfolded)
	w.must(m.MigrateTo(w.ctx, newest))
	differs("folded again", folded)
}

// text is how PostgreSQL writes a truth.
func text(b bool) string { return map[bool]string{true: "t", false: "f"}[b] }

// TestCaptureOfKnownFirmwareWritesWhatDiffers: of one more phone only what stands
// otherwise there is written.
func TestCaptureOfKnownFirmwareWritesWhatDiffers(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.capture("15.0.0", "first", 100)
	rows := func() (n int) {
		w.must(w.Pool().QueryRow(context.Background(), `
			select (select count(*) from inventories) + (select count(*) from inventory_differences)`).Scan(&n))
		return n
	}
	before := rows()
	w.capture("15.0.0", "alike", 100)
	if more := rows() - before; more != 0 {
		t.Errorf("one that is alike writes %d rows", more)
	}
	c := capture("15.0.0", 101)
	c.Packages[3].Installed = false
	w.take(c, uuid.NewString())
	if more := rows() - before; more != 2 {
		t.Errorf("one that differs in two packages writes %d rows", more)
	}
}
