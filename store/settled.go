package store

import (
	"bytes"
	"compress/flate"
	"context"
	"crypto/sha256"
	"io"
	"time"
)

// settled keeps what was read of tables for as long as nobody has written to
// them: every transaction that writes to one of those leaves its id in touched,
// and what was read is good while no id stands there that was not yet to be seen
// then. So it is never stale, whichever server wrote.
type settled[V any] struct {
	kept kept[[sha256.Size]byte, settledValue[V]]
}

type settledValue[V any] struct {
	value V
	as    moment
}

// moment is when something was read: what could be seen, and from which server,
// since another one counts otherwise.
type moment struct {
	seen   string // a pg_snapshot
	server time.Time
	at     time.Time
}

// settledFor bounds for how long something is kept. ForgetTouched keeps what was
// touched for twice as long.
const settledFor = 45 * time.Minute

// read returns what anew reads of tables; of says all that it depends on beside
// them. Bytes tells how large it is.
func (c *settled[V]) read(ctx context.Context, q querier, of string, tables []string, bytes func(V) int, anew func() (V, error)) (V, error) {
	key := sha256.Sum256([]byte(of))
	before, known := c.kept.get(key)
	if known && time.Since(before.as.at) > settledFor {
		before, known = settledValue[V]{}, false
	}
	now, holds, err := momentOf(ctx, q, tables, before.as)
	if err != nil || known && holds {
		return before.value, err
	}
	value, err := anew()
	if err == nil {
		c.kept.put(key, settledValue[V]{value, now}, len(key)+len(now.seen)+bytes(value))
	}
	return value, err
}

// momentOf is the moment before whatever is asked next, and whether nobody has
// written to tables since one before.
func momentOf(ctx context.Context, q querier, tables []string, before moment) (now moment, holds bool, err error) {
	now.at = time.Now()
	if before.seen == "" {
		before.seen = "1:1:"
	}
	err = q.QueryRow(ctx, `
		select pg_current_snapshot()::text, pg_postmaster_start_time(),
			pg_postmaster_start_time() = $3 and not exists (select from touched t
				where t.what = any($1) and t.xid >= pg_snapshot_xmin($2::text::pg_snapshot)
					and not pg_visible_in_snapshot(t.xid, $2::text::pg_snapshot))`,
		tables, before.seen, before.server).Scan(&now.seen, &now.server, &holds)
	return now, holds, err
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

// read is that of settled.
func (c *packed[V]) read(ctx context.Context, q querier, of string, tables []string, anew func() (V, error)) (V, error) {
	var value V
	made := false
	raw, err := c.settled.read(ctx, q, of, tables, func(b []byte) int { return len(b) }, func() ([]byte, error) {
		var err error
		if value, err = anew(); err != nil {
			return nil, err
		}
		made = true
		raw, err := c.encode(value)
		if err != nil {
			return nil, err
		}
		return deflate(raw)
	})
	if err != nil || made {
		return value, err
	}
	if raw, err = io.ReadAll(flate.NewReader(bytes.NewReader(raw))); err != nil {
		return value, err
	}
	return c.decode(raw)
}

func deflate(raw []byte) ([]byte, error) {
	var b bytes.Buffer
	w, err := flate.NewWriter(&b, flate.BestSpeed)
	if err == nil {
		_, err = w.Write(raw)
	}
	if err == nil {
		err = w.Close()
	}
	return bytes.Clone(b.Bytes()), err
}
