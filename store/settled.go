package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/klauspost/compress/s2"
)

// settled keeps what was read of tables for as long as nobody has written to the
// rows that it was made of: every transaction that writes leaves its id in touched,
// and what was read is good while no id stands there that was not yet to be seen
// then. So it is never stale, whichever server wrote.
type settled[V any] struct {
	kept kept[[sha256.Size]byte, settledValue[V]]
}

type settledValue[V any] struct {
	value V
	of    basis
	as    moment
}

// basis is what something was made of: rows of tables, as triggers leave them in
// touched.
type basis map[string]rowIDs

// rowIDs are rows of a table by the ids that stand for them in touched, in order:
// packages, or what migration 040 says; any for all rows.
type rowIDs []uuid.UUID

// anyRow stands for all rows of a table.
var anyRow rowIDs

// basisOf is a basis of all rows of tables.
func basisOf(tables ...string) basis {
	of := basis{}
	for _, t := range tables {
		of[t] = anyRow
	}
	return of
}

// packages adds rows of tables that tell of packages by their ids.
func (b basis) packages(ids rowIDs, tables ...string) {
	for _, t := range tables {
		b[t] = ids
	}
}

// collectIDs reads rows of ids, in order; none is not any.
func collectIDs(rows pgx.Rows, err error) (rowIDs, error) {
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	return append(rowIDs{}, ids...), err
}

// shipped are the packages that models ship, or have shipped: kept, as it is what
// much else is made of.
func (s *Store) shipped(ctx context.Context, q querier, models ...uuid.UUID) (rowIDs, error) {
	key := make([]byte, 0, len(models)*len(uuid.Nil))
	for _, m := range models {
		key = append(key, m[:]...)
	}
	return s.shippedIDs.read(ctx, q, string(key), making[rowIDs]{
		size: func(ids rowIDs) int { return len(ids) * len(uuid.Nil) },
		anew: func() (rowIDs, basis, error) {
			ids, err := collectIDs(q.Query(ctx, `
				select distinct package_id from shipped_by where model_id = any($1) order by 1`, models))
			return ids, basis{"shipped_by": inOrder(models)}, err
		},
	})
}

// inOrder are ids as rowIDs.
func inOrder(ids []uuid.UUID) rowIDs {
	out := append(rowIDs{}, ids...)
	slices.SortFunc(out, compareIDs)
	return out
}

// holds reports whether what was made of b is not changed by a write to a row.
func (b basis) holds(what string, id uuid.UUID) bool {
	rows, ok := b[what]
	if !ok {
		return true
	}
	if rows == nil || id == uuid.Nil {
		return false
	}
	_, found := slices.BinarySearchFunc(rows, id, compareIDs)
	return !found
}

func compareIDs(a, b uuid.UUID) int { return bytes.Compare(a[:], b[:]) }

// moment is when something was read: what could be seen, and from which server,
// since another one counts otherwise.
type moment struct {
	seen   string // a pg_snapshot
	server time.Time
	at     time.Time
}

// settledFor bounds for how long something is kept that nobody asks for.
// ForgetTouched keeps what was touched for twice as long.
const settledFor = 45 * time.Minute

// mostTouched bounds how many touched rows are looked at; what was read before more
// of them is read again.
const mostTouched = 500

// mostPatched bounds of how many rows what is kept is read again by itself.
const mostPatched = 20

// making is how something is read that is kept.
type making[V any] struct {
	// size tells how many bytes it takes.
	size func(V) int
	// anew reads it, and says what it is made of.
	anew func() (V, basis, error)
	// patch reads again what of it is about rows that have changed, and says what it is
	// made of then; no basis where all is to be read anew. nil where it always is.
	patch func(before V, of basis, changed changes) (V, basis, error)
}

// read returns what is made, kept or not; key says all that it depends on beside
// rows.
func (c *settled[V]) read(ctx context.Context, q querier, key string, m making[V]) (V, error) {
	k := sha256.Sum256([]byte(key))
	one, known := c.kept.get(k)
	if known && time.Since(one.as.at) > settledFor {
		one, known = settledValue[V]{}, false
	}
	now, changed, err := momentOf(ctx, q, one.of, one.as)
	if err != nil {
		return one.value, err
	}
	n := changed.count()
	good := known && n == 0
	if known && n > 0 && n <= mostPatched && m.patch != nil {
		value, of, err := m.patch(one.value, one.of, changed)
		if err != nil {
			return value, err
		}
		if good = of != nil; good {
			one.value, one.of = value, of
		}
	}
	if !good {
		if one.value, one.of, err = m.anew(); err != nil {
			return one.value, err
		}
	}
	one.as = now
	c.kept.put(k, one, len(k)+len(now.seen)+m.size(one.value))
	return one.value, nil
}

// changes are what was written to since a moment of what something was made of: some
// rows, by what stands for them in touched, or all where it is not known which.
type changes struct {
	all                      bool
	packages, models, builds []uuid.UUID
}

// count is how many rows there are, more than mostPatched for all.
func (c changes) count() int {
	if c.all {
		return mostPatched + 1
	}
	return len(c.packages) + len(c.models) + len(c.builds)
}

// add takes note of a row that was touched.
func (c *changes) add(of basis, what string, id uuid.UUID) {
	if of.holds(what, id) {
		return
	}
	var list *[]uuid.UUID
	switch {
	case of[what] == nil || id == uuid.Nil:
	case slices.Contains(rowsReadOf, what), slices.Contains(termsReadOf, what):
		list = &c.packages
	case what == "shipped_by", what == "builds":
		list = &c.models
	case what == "presence":
		list = &c.builds
	}
	switch {
	case list == nil:
		c.all = true
	case !slices.Contains(*list, id):
		*list = append(*list, id)
	}
}

// momentOf is the moment before whatever is asked next, and what was written to
// since one before of what something was made of.
func momentOf(ctx context.Context, q querier, of basis, before moment) (now moment, changed changes, err error) {
	now, whole, err := touchedSince(ctx, q, slices.Collect(maps.Keys(of)), before, func(what string, id uuid.UUID) { changed.add(of, what, id) })
	changed.all = changed.all || !whole
	return now, changed, err
}

// touchedSince hands over what was touched of tables since a moment, and returns the
// moment before whatever is asked next; whole is false where it can't be known what
// all was touched.
func touchedSince(ctx context.Context, q querier, tables []string, before moment, each func(what string, id uuid.UUID)) (now moment, whole bool, err error) {
	now.at = time.Now()
	if before.seen == "" {
		before.seen = "1:1:"
	}
	rows, err := q.Query(ctx, `
		select pg_current_snapshot()::text, s.server, t.what, t.id
		from (select pg_postmaster_start_time() as server) s
		left join lateral (select t.what, t.id
			from touched t
			where s.server = $3 and t.what = any($1) and t.xid >= pg_snapshot_xmin($2::text::pg_snapshot)
				and not pg_visible_in_snapshot(t.xid, $2::text::pg_snapshot)
			limit $4) t on true`,
		tables, before.seen, before.server, mostTouched)
	if err != nil {
		return now, false, err
	}
	found := 0
	var what *string
	var id *uuid.UUID
	_, err = pgx.ForEachRow(rows, []any{&now.seen, &now.server, &what, &id}, func() error {
		if what != nil {
			found++
			each(*what, *id)
		}
		return nil
	})
	return now, found < mostTouched && now.server.Equal(before.server), err
}

// ForgetTouched lets go of what was touched so long ago that nothing is kept that
// was read before. A transaction may have ended long after it wrote: what counts
// is when it was found first.
func (s *Store) ForgetTouched(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `
		with gone as (
			delete from touched
			where found_at < now() - 2 * $1::interval and xid < pg_snapshot_xmin(pg_current_snapshot()))
		update touched set found_at = now() where found_at is null`, settledFor)
	return err
}

// packed is settled for what is large: it is kept as encode writes it, and a tenth
// as large, so that ten times as many stay.
type packed[V any] struct {
	settled[[]byte]
	encode func(V) ([]byte, error)
	decode func([]byte) (V, error)
}

// read is that of settled; m.size is its own. What is kept is not unpacked where
// nobody waits for it.
func (c *packed[V]) read(ctx context.Context, q querier, key string, m making[V]) (V, error) {
	var value V
	made := false
	// pack keeps what was made, and hands it over as it is.
	pack := func(v V) ([]byte, error) {
		value, made = v, true
		raw, err := c.encode(v)
		if err != nil {
			return nil, err
		}
		return bytes.Clone(s2.Encode(nil, raw)), nil
	}
	packing := making[[]byte]{
		size: func(b []byte) int { return len(b) },
		anew: func() ([]byte, basis, error) {
			v, of, err := m.anew()
			if err != nil {
				return nil, nil, err
			}
			raw, err := pack(v)
			return raw, of, err
		},
	}
	if m.patch != nil {
		packing.patch = func(before []byte, of basis, changed changes) ([]byte, basis, error) {
			v, err := c.unpack(before)
			if err != nil {
				return nil, nil, err
			}
			v, of, err = m.patch(v, of, changed)
			if err != nil || of == nil {
				return nil, nil, err
			}
			raw, err := pack(v)
			return raw, of, err
		}
	}
	raw, err := c.settled.read(ctx, q, key, packing)
	if err != nil || made || isAhead(ctx) {
		return value, err
	}
	return c.unpack(raw)
}

func (c *packed[V]) unpack(raw []byte) (value V, err error) {
	if raw, err = s2.Decode(nil, raw); err != nil {
		return value, err
	}
	return c.decode(raw)
}
