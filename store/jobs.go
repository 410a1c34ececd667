package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Job is long work that a bench does and somebody can watch.
type Job struct {
	ID       uuid.UUID       `db:"id" json:"id"`
	Kind     string          `db:"kind" json:"kind"`
	PersonID uuid.UUID       `db:"person_id" json:"personId"`
	BenchID  *uuid.UUID      `db:"bench_id" json:"benchId,omitempty"`
	State    string          `db:"state" json:"state" enum:"waiting,running,done,failed,cancelled"`
	Request  json.RawMessage `db:"request" json:"-"`
	Progress json.RawMessage `db:"progress" json:"progress"`
	Result   json.RawMessage `db:"result" json:"result"`
	Problem  string          `db:"problem" json:"problem"`

	CreatedAt time.Time `db:"created_at" json:"createdAt"`
	UpdatedAt time.Time `db:"updated_at" json:"updatedAt"`
}

// Ended reports whether nothing more will come of the job.
func (j Job) Ended() bool { return j.State != "waiting" && j.State != "running" }

const jobColumns = `id, kind, person_id, bench_id, state, request, progress, result, problem, created_at, updated_at`

// AddJob asks a bench for something; it takes the job when it can.
func (s *Store) AddJob(ctx context.Context, kind string, person, bench uuid.UUID, request any) (uuid.UUID, error) {
	raw, err := json.Marshal(request)
	if err != nil {
		return uuid.Nil, err
	}
	id := NewID()
	return id, s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `insert into jobs (id, kind, person_id, bench_id, state, request) values ($1, $2, $3, $4, 'waiting', $5)`, id, kind, person, bench, raw); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: "asked", ID: bench.String()})
	})
}

// ClaimJob takes the oldest job that waits for a bench, which nobody else
// then gets. ErrNotFound says that none waits.
func (s *Store) ClaimJob(ctx context.Context, bench uuid.UUID) (Job, error) {
	rows, err := s.pool.Query(ctx, `
		update jobs set state = 'running', updated_at = now()
		where id = (select id from jobs where bench_id = $1 and state = 'waiting' order by created_at limit 1 for update skip locked)
		returning `+jobColumns, bench)
	return one[Job](rows, err)
}

// Job reads a job.
func (s *Store) Job(ctx context.Context, id uuid.UUID) (Job, error) {
	rows, err := s.pool.Query(ctx, `select `+jobColumns+` from jobs where id = $1`, id)
	return one[Job](rows, err)
}

// TellJob writes how far a job is, unless it has ended.
func (s *Store) TellJob(ctx context.Context, id uuid.UUID, progress any) error {
	return s.changeJob(ctx, id, `update jobs set progress = $2, updated_at = now() where id = $1 and state = 'running'`, progress)
}

// KeepJob writes what came of a job so far, before it has ended.
func (s *Store) KeepJob(ctx context.Context, id uuid.UUID, result any) error {
	return s.changeJob(ctx, id, `update jobs set result = $2, updated_at = now() where id = $1 and state = 'running'`, result)
}

// EndJob writes how a job ended: state done or failed. A nil result leaves
// what was kept before. A cancelled job stays cancelled.
func (s *Store) EndJob(ctx context.Context, id uuid.UUID, state string, result any, problem string) error {
	return s.changeJob(ctx, id, `update jobs set state = $3, result = coalesce(nullif($2::jsonb, 'null'), result), problem = $4, updated_at = now() where id = $1 and state = 'running'`, result, state, problem)
}

// CancelJob asks a job to stop, wherever it runs.
func (s *Store) CancelJob(ctx context.Context, id uuid.UUID) error {
	return s.changeJob(ctx, id, `update jobs set state = 'cancelled', problem = $2::jsonb #>> '{}', updated_at = now() where id = $1 and state in ('waiting', 'running')`, "stopped by you")
}

// EndSilentJobs fails the jobs of benches that say nothing any more, and
// those that no bench took. It returns how many.
func (s *Store) EndSilentJobs(ctx context.Context) (int, error) {
	n := 0
	return n, s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			update jobs set state = 'failed', updated_at = now(), problem = case state
				when 'waiting' then 'The bench did not take this up: it is away. Start it, then try again.'
				else 'The bench fell silent in the middle. What it had sent by then is kept; try again when it is back.' end
			where state in ('waiting', 'running') and updated_at < now() - 2 * $1::interval
			returning id`, BenchSilence)
		if err != nil {
			return err
		}
		ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		if err != nil {
			return err
		}
		for _, id := range ids {
			if err := notify(ctx, tx, Event{Topic: "job", ID: id.String()}); err != nil {
				return err
			}
		}
		n = len(ids)
		return nil
	})
}

func (s *Store) changeJob(ctx context.Context, id uuid.UUID, update string, value any, more ...any) error {
	raw, err := json.Marshal(value)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, update, append([]any{id, raw}, more...)...); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: "job", ID: id.String()})
	})
}
