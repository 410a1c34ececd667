package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgerrcode"
	"github.com/jackc/pgx/v5/pgconn"
)

// Installation is how an installation is, as its database tells.
type Installation struct {
	Database DatabaseState `json:"database"`
	Work     WorkState     `json:"work"`
	// Saved is the last time that roster backup saved it; nil for never.
	Saved *SavedInstallation `json:"saved,omitempty"`
}

// DatabaseState is how the database is.
type DatabaseState struct {
	Version   string `db:"version" json:"version" doc:"PostgreSQL's"`
	Migration int    `db:"migration" json:"migration"`
	// Wants is the migration that this program works with.
	Wants int   `db:"-" json:"wants"`
	Bytes int64 `db:"bytes" json:"bytes"`
	// Connections are those of all programs, of at most MostConnections.
	Connections     int `db:"connections" json:"connections"`
	MostConnections int `db:"most_connections" json:"mostConnections"`
	// Oldest is the age of the oldest transaction that is open, in seconds.
	Oldest float64 `db:"oldest" json:"oldest"`
	// Replicas follow it; Behind is how many bytes the slowest has yet to write.
	Replicas int   `db:"replicas" json:"replicas"`
	Behind   int64 `db:"behind" json:"behind"`
	// Replica is true where this itself only follows another.
	Replica bool `db:"replica" json:"replica"`
}

// WorkState counts what is done, waits and went wrong.
type WorkState struct {
	Waiting int `db:"waiting" json:"waiting" doc:"Jobs that no bench has taken yet"`
	Running int `db:"running" json:"running"`
	Failed  int `db:"failed" json:"failed" doc:"Jobs that failed within a day"`
	// OldestWaiting is for how long the oldest job has waited, in seconds.
	OldestWaiting float64 `db:"oldest_waiting" json:"oldestWaiting"`
	Interrupted   int     `db:"interrupted" json:"interrupted" doc:"Runs that stand still and wait for somebody"`
	// Connected and Silent are benches, those of servers and computers elsewhere.
	Connected int `db:"connected" json:"connected"`
	Silent    int `db:"silent" json:"silent" doc:"Benches elsewhere of which nothing is heard"`
	People    int `db:"people" json:"people"`
	Keepers   int `db:"keepers" json:"keepers"`
	Reviewers int `db:"reviewers" json:"reviewers" doc:"Who may decide about changes"`
}

// SavedInstallation is a time at which roster backup saved an installation.
type SavedInstallation struct {
	At     time.Time `json:"at"`
	Folder string    `json:"folder"`
	Bytes  int64     `json:"bytes"`
	Secret bool      `json:"secret" doc:"Whether the secret is in it"`
}

// SlowStatement is a kind of statement, with how long it took.
type SlowStatement struct {
	Text  string  `db:"text" json:"text"`
	Calls int64   `db:"calls" json:"calls"`
	Mean  float64 `db:"mean" json:"mean" doc:"Milliseconds"`
	Total float64 `db:"total" json:"total" doc:"Milliseconds"`
}

// Installation reads how an installation is. It asks the connection that is
// kept for that, so that it answers however many wait for the others.
func (s *Store) Installation(ctx context.Context) (i Installation, err error) {
	rows, err := s.aside.Query(ctx, `
		select current_setting('server_version') as version,
			(select version from schema_version)::int as migration,
			pg_database_size(current_database()) as bytes,
			(select count(*) from pg_stat_activity where backend_type = 'client backend')::int as connections,
			current_setting('max_connections')::int as most_connections,
			coalesce((select extract(epoch from max(now() - xact_start)) from pg_stat_activity
				where datname = current_database() and pid <> pg_backend_pid()), 0)::float8 as oldest,
			(select count(*) from pg_stat_replication)::int as replicas,
			coalesce((select max(pg_wal_lsn_diff(sent_lsn, replay_lsn)) from pg_stat_replication), 0)::int8 as behind,
			pg_is_in_recovery() as replica`)
	if i.Database, err = one[DatabaseState](rows, err); err != nil {
		return i, err
	}
	wants, err := newest()
	if err != nil {
		return i, err
	}
	i.Database.Wants = int(wants)
	rows, err = s.aside.Query(ctx, `
		select j.*, b.*, p.*,
			(select count(*) from runs where state in ('held', 'interrupted'))::int as interrupted
		from (select count(*) filter (where state = 'waiting')::int as waiting,
				count(*) filter (where state = 'running')::int as running,
				count(*) filter (where state = 'failed' and updated_at > now() - interval '1 day')::int as failed,
				coalesce(extract(epoch from now() - min(created_at) filter (where state = 'waiting')), 0)::float8
					as oldest_waiting
			from jobs
			where state in ('waiting', 'running') or updated_at > now() - interval '1 day') j,
			(select count(*) filter (where seen_at > now() - $1::interval)::int as connected,
				count(*) filter (where token_hash is not null
					and coalesce(seen_at < now() - $1::interval, false))::int as silent
			from benches
			where revoked_at is null and person_id is null) b,
			(select count(*)::int as people, count(*) filter (where role = 'keeper')::int as keepers,
				count(*) filter (where role <> 'technician')::int as reviewers
			from people
			where removed_at is null) p`, BenchSilence)
	if i.Work, err = one[WorkState](rows, err); err != nil {
		return i, err
	}
	i.Saved, err = s.lastSaved(ctx)
	return i, err
}

// lastSaved finds the last backup in the record; nil where there was none.
func (s *Store) lastSaved(ctx context.Context) (*SavedInstallation, error) {
	var saved SavedInstallation
	var detail []byte
	err := s.aside.QueryRow(ctx, `
		select at, subject, detail
		from audit
		where action = 'installation.saved'
		order by seq desc
		limit 1`).Scan(&saved.At, &saved.Folder, &detail)
	if isNone(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return &saved, json.Unmarshal(detail, &saved)
}

// SlowStatements lists those that took the database longest on average, of those
// that took a while at all; nil where it does not count them.
func (s *Store) SlowStatements(ctx context.Context) ([]SlowStatement, error) {
	// Looked for first: PostgreSQL logs each statement that fails.
	var counted bool
	err := s.aside.QueryRow(ctx, `
		select to_regclass('pg_stat_statements') is not null`).Scan(&counted)
	if err != nil || !counted {
		return nil, err
	}
	rows, err := s.aside.Query(ctx, `
		select left(regexp_replace(query, '\s+', ' ', 'g'), 300) as text, calls, mean_exec_time as mean,
			total_exec_time as total
		from pg_stat_statements
		where dbid = (select oid from pg_database where datname = current_database())
			and mean_exec_time > 50
		order by mean_exec_time desc
		limit 10`)
	list, err := collectRows[SlowStatement](rows, err)
	var refused *pgconn.PgError
	if errors.As(err, &refused) {
		switch refused.Code { // it is not loaded, not for this role, or of an older version
		case pgerrcode.ObjectNotInPrerequisiteState, pgerrcode.InsufficientPrivilege, pgerrcode.UndefinedColumn:
			return nil, nil
		}
	}
	return list, err
}

// PoolState is how a server's own connections to the database are used.
type PoolState struct {
	Used, Idle, Most int
	// Waited counts those who had to wait for one, and Gone those who gave up.
	Waited, Gone int64
}

// Connections tells how this store's connections are used.
func (s *Store) Connections() PoolState {
	p := s.pool.Stat()
	return PoolState{int(p.AcquiredConns()), int(p.IdleConns()), int(p.MaxConns()), p.EmptyAcquireCount(), p.CanceledAcquireCount()}
}
