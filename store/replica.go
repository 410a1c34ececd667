package store

import (
	"context"
	"fmt"
	"slices"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
)

const (
	// replicaLook is how often it is looked how far a replica is.
	replicaLook = 50 * time.Millisecond
	// replicaTakes is for how long what was seen of it counts.
	replicaTakes = 2 * time.Second
)

// replica follows the database, somewhat behind. It serves reads that may lag,
// but never behind what this server has heard of, or what whoever asks has
// written themselves.
//
// How far it is, is told in transaction ids, which are the same there: its
// snapshot sees every transaction before xmin. Whoever needs a later one is
// served by the database itself.
type replica struct {
	pool *pgxpool.Pool
	stop context.CancelFunc
	done chan struct{}
	// xmin is up to where it is, exclusive, as was seen at seenAt (Unix, ns).
	xmin, seenAt atomic.Uint64
	// served counts reads from it, for whoever watches.
	served atomic.Uint64
}

// newReplicas makes one for each host of an address that names several: how far
// one is says nothing of another.
func newReplicas(ctx context.Context, o Options) ([]*replica, error) {
	if o.Replicas == "" {
		return nil, nil
	}
	all, err := poolConfig(o.Replicas, o)
	if err != nil {
		return nil, fmt.Errorf("of replicas: %w", err)
	}
	var list []*replica
	for _, host := range hostsOf(all.ConnConfig) {
		config := all.Copy()
		config.ConnConfig.Host, config.ConnConfig.Port, config.ConnConfig.TLSConfig = host[0].Host, host[0].Port, host[0].TLSConfig
		config.ConnConfig.Fallbacks = host[1:]
		// Whether one follows is asked for all the time, and may change.
		config.ConnConfig.ValidateConnect = nil
		pool, err := pgxpool.NewWithConfig(ctx, config)
		if err != nil {
			return list, err
		}
		following, stop := context.WithCancel(context.WithoutCancel(ctx))
		r := &replica{pool: pool, stop: stop, done: make(chan struct{})}
		go r.follow(following)
		list = append(list, r)
	}
	return list, nil
}

// hostsOf are the hosts that an address names, each with the ways to reach it:
// with TLS and, where that is only preferred, without.
func hostsOf(c *pgx.ConnConfig) (hosts [][]*pgconn.FallbackConfig) {
	ways := append([]*pgconn.FallbackConfig{{Host: c.Host, Port: c.Port, TLSConfig: c.TLSConfig}}, c.Fallbacks...)
	for _, way := range ways {
		at := slices.IndexFunc(hosts, func(h []*pgconn.FallbackConfig) bool { return h[0].Host == way.Host && h[0].Port == way.Port })
		if at < 0 {
			hosts = append(hosts, nil)
			at = len(hosts) - 1
		}
		hosts[at] = append(hosts[at], way)
	}
	return hosts
}

func (r *replica) close() {
	r.stop()
	<-r.done
	r.pool.Close()
}

// follow looks how far the replica is until ctx ends. One that does not answer
// is not used; one that was promoted follows nobody any more.
func (r *replica) follow(ctx context.Context) {
	defer close(r.done)
	tick := time.NewTicker(replicaLook)
	defer tick.Stop()
	for {
		var xmin uint64
		var follows bool
		asking, cancel := context.WithTimeout(ctx, replicaTakes)
		err := r.pool.QueryRow(asking, `
			select pg_snapshot_xmin(pg_current_snapshot())::text::bigint, pg_is_in_recovery()`).Scan(&xmin, &follows)
		cancel()
		if err == nil && follows {
			r.xmin.Store(xmin)
			r.seenAt.Store(uint64(time.Now().UnixNano()))
		} else {
			r.seenAt.Store(0)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// knows reports whether the replica knows of a transaction, as far as was seen
// lately.
func (r *replica) knows(xid uint64) bool {
	return time.Now().UnixNano()-int64(r.seenAt.Load()) < int64(replicaTakes) && r.xmin.Load() > xid
}

type (
	lagKey    struct{}
	wroteKey  struct{}
	writerKey struct{}
)

// MayLag returns a context with which some reads may come from a replica: those
// that say so. What whoever asks has written, and what this server has heard of,
// is in them all the same.
func MayLag(ctx context.Context) context.Context { return context.WithValue(ctx, lagKey{}, true) }

// writer is by what somebody came: what they write is noted there.
type writer struct {
	session []byte    // the hash of their session's token
	token   uuid.UUID // or a token for programs
}

// as returns a context that knows by what somebody came, and in which transaction
// they wrote last, 0 for never.
func as(ctx context.Context, w writer, wrote uint64) context.Context {
	return context.WithValue(context.WithValue(ctx, writerKey{}, w), wroteKey{}, wrote)
}

// current is a replica for what may lag, if the context says so and one is far
// enough; else nil.
func (s *Store) current(ctx context.Context) *replica {
	if len(s.replicas) == 0 || ctx.Value(lagKey{}) == nil || ctx.Value(transactionKey{}) != nil {
		return nil
	}
	wrote, _ := ctx.Value(wroteKey{}).(uint64)
	heard := s.heard.Load()
	if heard == 0 { // nothing is heard at all
		return nil
	}
	turn := int(s.turn.Add(1)) // they share the work
	for i := range s.replicas {
		if r := s.replicas[(turn+i)%len(s.replicas)]; r.knows(max(heard, wrote)) {
			return r
		}
	}
	return nil
}

// hear notes that this server has heard of a transaction.
func (s *Store) hear(xid uint64) {
	for {
		before := s.heard.Load()
		if xid <= before || s.heard.CompareAndSwap(before, xid) {
			return
		}
	}
}

// noteWriter notes in a transaction that whoever came by the context's way has
// written in it, so that no server shows them what was before.
func (s *Store) noteWriter(ctx context.Context, tx pgx.Tx) error {
	w, ok := ctx.Value(writerKey{}).(writer)
	if len(s.replicas) == 0 || !ok {
		return nil
	}
	sql, key := `update sessions set wrote = pg_current_xact_id() where token_hash = $1`, any(w.session)
	if w.session == nil {
		sql, key = `update tokens set wrote = pg_current_xact_id() where id = $1`, w.token
	}
	_, err := tx.Exec(ctx, sql, key)
	return err
}

// lagging reads something that may lag. Where the replica fails, or does not have
// it, the database itself is asked: nobody hears of a replica that went.
func (s *Store) lagging(ctx context.Context, read func(*pgxpool.Pool) error) error {
	if r := s.current(ctx); r != nil {
		err := read(r.pool)
		if err == nil {
			r.served.Add(1)
		}
		if err == nil || ctx.Err() != nil {
			return err
		}
	}
	return read(s.pool)
}

// collectLagging is collectRows of a query that may lag.
func collectLagging[T any](ctx context.Context, s *Store, sql string, args ...any) (list []T, err error) {
	err = s.lagging(ctx, func(pool *pgxpool.Pool) error {
		rows, err := pool.Query(ctx, sql, args...)
		list, err = collectRows[T](rows, err)
		return err
	})
	return list, err
}

// oneLagging is one of a query that may lag.
func oneLagging[T any](ctx context.Context, s *Store, sql string, args ...any) (v T, err error) {
	err = s.lagging(ctx, func(pool *pgxpool.Pool) error {
		rows, err := pool.Query(ctx, sql, args...)
		v, err = one[T](rows, err)
		return err
	})
	return v, err
}
