package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Captures of one firmware are alike but for a few packages. One of them holds its
// inventory, a row a package; others are told by where they differ from it, so that
// one more capture of a known firmware writes few rows and not some hundred. Whoever
// reads reads the view sightings, which puts both together.

// telling is how a capture's packages are told.
type telling struct {
	rows []row
	// inventory is the capture whose inventory these are told by, and listed what
	// that holds, by package; none where the build has no inventory yet.
	inventory uuid.UUID
	listed    map[uuid.UUID]listed
	// unknown are those of rows whose facts are not in the store yet.
	unknown []*row
	// whole is true where the capture holds an inventory of its own.
	whole bool
	// differing are rows that stand otherwise in the inventory, or not at all.
	differing []*row
	// missing are what stands in the inventory and not in rows.
	missing []listed
}

// listed is a package as an inventory has it.
type listed struct {
	pkg   uuid.UUID
	place int
	inventoried
}

// inventoried is what an inventory tells of a package.
type inventoried struct {
	facts     uuid.UUID
	installed bool
	enabled   string
	installer string
	updated   bool
}

// inventoried is what an inventory tells of a row.
func (r *row) inventoried() inventoried {
	return inventoried{r.facts, r.p.Installed, string(r.p.Enabled), r.p.Installer, r.p.SystemPath != ""}
}

// tellByInventory reads the inventory that most captures of the build are told by
// lately. What stands there of rows is known with its package; the others are looked
// up.
func tellByInventory(ctx context.Context, tx pgx.Tx, rows []row, sum *CaptureSummary) (*telling, error) {
	t := &telling{rows: rows, listed: make(map[uuid.UUID]listed, len(rows))}
	known := make(map[uuid.UUID]row, len(rows))
	if !sum.NewBuild {
		if err := t.read(ctx, tx, sum.BuildID, known); err != nil {
			return nil, err
		}
	}
	var others []*row
	for i := range rows {
		if k, ok := known[rows[i].facts]; ok {
			rows[i].pkg, rows[i].alike, rows[i].known = k.pkg, k.alike, k.known
		} else {
			others = append(others, &rows[i])
		}
	}
	var err error
	if len(others) > 0 {
		t.unknown, err = identify(ctx, tx, others, sum.BuildID)
	}
	return t, err
}

// read reads an inventory of a build, see tellByInventory, and what identify would tell of its
// facts into known.
func (t *telling) read(ctx context.Context, tx pgx.Tx, build uuid.UUID, known map[uuid.UUID]row) error {
	r, err := tx.Query(ctx, `
		select h.capture_id, h.package_id, h.place, h.facts_id, h.installed, h.enabled, h.installer, h.updated,
			coalesce(x.facts_id = h.facts_id, false), x.icon
		from inventories h
		left join presence x on x.build_id = $1 and x.package_id = h.package_id
		where h.capture_id = (
			select inventory_id
			from (select inventory_id from captures where build_id = $1 order by taken_at desc limit 50) lately
			group by 1
			order by count(*) desc, 1 desc
			limit 1)`, build)
	if err != nil {
		return err
	}
	var one listed
	var found row
	into := []any{
		&t.inventory, &one.pkg, &one.place, &one.facts, &one.installed, &one.enabled, &one.installer, &one.updated,
		&found.alike, &found.known,
	}
	_, err = pgx.ForEachRow(r, into, func() error {
		t.listed[one.pkg] = one
		found.pkg = one.pkg
		known[one.facts] = found
		return nil
	})
	return err
}

// compare gives each row its place, once their packages are known, and finds what
// differs from the inventory. The first capture of a build holds its own, and so does
// one of which so much differs that little would be saved.
func (t *telling) compare(capture uuid.UUID) {
	found := make(map[uuid.UUID]bool, len(t.rows))
	behind := len(t.listed)
	for i := range t.rows {
		r := &t.rows[i]
		found[r.pkg] = true
		l, ok := t.listed[r.pkg]
		if r.place = l.place; !ok {
			behind++
			r.place = behind
		}
		if !ok || l.inventoried != r.inventoried() {
			t.differing = append(t.differing, r)
		}
	}
	for pkg, l := range t.listed {
		if !found[pkg] {
			t.missing = append(t.missing, l)
		}
	}
	if t.whole = len(t.listed) == 0 || 4*(len(t.differing)+len(t.missing)) > len(t.listed); t.whole {
		t.inventory = capture
		for i := range t.rows {
			t.rows[i].place = i + 1
		}
	}
}

// sizes are what the packages take on the phone, by place: their own, their data
// and their caches in bytes; nil where the phone told of none.
func (t *telling) sizes() (sizes [3][]int64) {
	var most int
	var told bool
	for _, r := range t.rows {
		most = max(most, r.place)
		told = told || r.p.AppBytes != 0 || r.p.DataBytes != 0 || r.p.CacheBytes != 0
	}
	if !told {
		return sizes
	}
	for i := range sizes {
		sizes[i] = make([]int64, most)
	}
	for _, r := range t.rows {
		sizes[0][r.place-1], sizes[1][r.place-1], sizes[2][r.place-1] = r.p.AppBytes, r.p.DataBytes, r.p.CacheBytes
	}
	return sizes
}

// write writes the capture's inventory, or how it differs from the one it is told by.
func (t *telling) write(ctx context.Context, tx pgx.Tx, capture uuid.UUID) error {
	columns := []string{"capture_id", "package_id", "place", "facts_id", "installed", "enabled", "installer", "updated"}
	values := func(r *row) []any {
		i := r.inventoried()
		return []any{capture, r.pkg, r.place, i.facts, i.installed, i.enabled, i.installer, i.updated}
	}
	if t.whole {
		_, err := tx.CopyFrom(ctx, pgx.Identifier{"inventories"}, columns,
			pgx.CopyFromSlice(len(t.rows), func(i int) ([]any, error) { return values(&t.rows[i]), nil }))
		return err
	}
	if len(t.differing)+len(t.missing) == 0 {
		return nil
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"inventory_differences"}, columns,
		pgx.CopyFromSlice(len(t.differing)+len(t.missing), func(i int) ([]any, error) {
			if i < len(t.differing) {
				return values(t.differing[i]), nil
			}
			l := t.missing[i-len(t.differing)]
			return []any{capture, l.pkg, l.place, nil, false, "", "", false}, nil
		}))
	return err
}
