package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/people"
)

// Bench is a computer with phones that the installation can ask.
type Bench struct {
	ID   uuid.UUID `db:"id" json:"id"`
	Name string    `db:"name" json:"name"`
	// Elsewhere is true for a bench that comes in with a token, false for
	// that of a server itself.
	Elsewhere bool `db:"elsewhere" json:"elsewhere"`
	// PersonID is whose browser it is, nil for a computer, and Role what that
	// person may do.
	PersonID *uuid.UUID      `db:"person_id" json:"personId,omitempty"`
	Role     people.Role     `db:"role" json:"-"`
	View     json.RawMessage `db:"view" json:"view"`
	SeenAt   *time.Time      `db:"seen_at" json:"seenAt,omitempty"`
	// Away is true where nothing was heard of it for BenchSilence.
	Away      bool      `db:"away" json:"away"`
	CreatedBy string    `db:"created_by" json:"createdBy"`
	CreatedAt time.Time `db:"created_at" json:"createdAt"`
}

// BenchSilence is after how long without a word a bench counts as away, and
// its running jobs as failed.
const BenchSilence = 45 * time.Second

// maxBenches bounds the list.
const maxBenches = 200

const benchColumns = `b.id, b.name, b.token_hash is not null as elsewhere, b.view, b.seen_at,
	coalesce(b.seen_at < now() - $1::interval, true) as away, coalesce(p.name, '') as created_by, b.created_at,
	b.person_id, case when b.person_id is null then '' else p.role end as role
	from benches b left join people p on p.id = b.created_by`

// Benches lists the benches that are in use, those of servers first. A browser
// is one while its tab is open, and for as long as a run on it is not at its
// end.
func (s *Store) Benches(ctx context.Context) ([]Bench, error) {
	rows, err := s.pool.Query(ctx, `
		select `+benchColumns+`
		where b.revoked_at is null and (b.token_hash is not null or b.seen_at > now() - interval '7 days')
			and (b.person_id is null or b.seen_at > now() - $1::interval
				or exists (select from runs r
					where r.bench_id = b.id and r.state in ('going', 'stopped', 'held', 'interrupted')))
		order by elsewhere, away, b.name, b.id limit $2`, BenchSilence, maxBenches)
	return collectRows[Bench](rows, err)
}

// AddBench makes a bench that comes in with the token, of which only the hash
// is kept.
func (s *Store) AddBench(ctx context.Context, name string, token []byte, person uuid.UUID) (id uuid.UUID, err error) {
	id = NewID()
	hash := sha256.Sum256(token)
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `
			insert into benches (id, name, token_hash, created_by)
			values ($1, $2, $3, $4)`, id, name, hash[:], person); err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: BenchChanged, ID: id.String()}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "bench.added", Subject: id.String()})
	})
	return id, err
}

// EnsureBench makes sure that a server's own bench is there.
func (s *Store) EnsureBench(ctx context.Context, id uuid.UUID, name string) error {
	_, err := s.pool.Exec(ctx, `
		insert into benches (id, name) values ($1, $2) on conflict (id) do update set name = excluded.name`, id, name)
	return err
}

// BenchByToken finds the bench that a token belongs to, unless it was revoked,
// or is a browser whose person has signed out there or was removed.
func (s *Store) BenchByToken(ctx context.Context, token []byte) (Bench, error) {
	hash := sha256.Sum256(token)
	rows, err := s.pool.Query(ctx, `
		select `+benchColumns+` 
		where b.token_hash = $2 and b.revoked_at is null
			and (b.person_id is null
				or p.removed_at is null and exists (select from sessions s
					where s.token_hash = b.session_hash and `+aliveFor+`$3))))`,
		BenchSilence, hash[:], DefaultInstallationRules.IdleHours)
	return one[Bench](rows, err)
}

// RevokeBench ends a bench's access for good; its jobs fail, and what is open
// for it ends.
func (s *Store) RevokeBench(ctx context.Context, id, person uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var browserOf *uuid.UUID
		err := tx.QueryRow(ctx, `
			update benches
			set revoked_at = now(), session_hash = null
			where id = $1 and token_hash is not null and revoked_at is null
			returning person_id`, id).Scan(&browserOf)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if _, err := failJobs(ctx, tx, `bench_id = $2 and state in ('waiting', 'running')`, "the bench was revoked", id); err != nil {
			return err
		}
		if browserOf != nil { // what is open for a browser is open for its person
			if err := notifyAccess(ctx, tx, *browserOf); err != nil {
				return err
			}
		}
		if err := notifyAccess(ctx, tx, id); err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: BenchChanged, ID: id.String()}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "bench.revoked", Subject: id.String()})
	})
}

// SeeBench writes what a bench sees, that it was heard of, and which of its
// jobs are under way.
func (s *Store) SeeBench(ctx context.Context, id uuid.UUID, view any, running []uuid.UUID) error {
	raw, err := json.Marshal(view)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var news bool
		err := tx.QueryRow(ctx, `
			with before as (select view <> $2::jsonb or seen_at is null or seen_at < now() - $3::interval as news
				from benches
				where id = $1 for update)
			update benches b
			set view = $2, seen_at = now()
			from before
			where b.id = $1
			returning before.news`, id, raw, BenchSilence).Scan(&news)
		if err != nil {
			return err
		}
		if len(running) > 0 {
			if _, err := tx.Exec(ctx, `
				update jobs
				set updated_at = now()
				where id = any($1) and bench_id = $2 and state = 'running'`, running, id); err != nil {
				return err
			}
		}
		if !news {
			return nil
		}
		return notify(ctx, tx, Event{Topic: BenchChanged, ID: id.String()})
	})
}

// LeaveBench says that a bench has been stopped: it is away from now on,
// without anybody having to wait for its silence. That of a server is listed
// again when the server is back; a browser's token has ended with its tab.
func (s *Store) LeaveBench(ctx context.Context, id uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update benches
			set seen_at = case when token_hash is not null then now() - $2::interval end, session_hash = null,
				view = case when person_id is null then view else '{}' end
			where id = $1 and (seen_at > now() - $2::interval or session_hash is not null)`,
			id, BenchSilence+time.Second)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		return notify(ctx, tx, Event{Topic: BenchChanged, ID: id.String()})
	})
}

// BenchByID finds a bench, unless it was revoked.
func (s *Store) BenchByID(ctx context.Context, id uuid.UUID) (Bench, error) {
	rows, err := s.pool.Query(ctx, `select `+benchColumns+` where b.id = $2 and b.revoked_at is null`, BenchSilence, id)
	return one[Bench](rows, err)
}
