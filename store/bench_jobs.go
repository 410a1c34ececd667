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

// Ask is what a bench is asked for.
type Ask struct {
	Kind    string
	Bench   uuid.UUID
	Request any
}

// AddJob asks a bench for something; it takes the job when it can.
func (s *Store) AddJob(ctx context.Context, person uuid.UUID, ask Ask) (id uuid.UUID, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		id, err = addJob(ctx, tx, person, ask)
		return err
	})
	return id, err
}

// addJob asks along with what it is for: either both are written down, or
// nothing is.
func addJob(ctx context.Context, tx pgx.Tx, person uuid.UUID, ask Ask) (uuid.UUID, error) {
	raw, err := json.Marshal(ask.Request)
	if err != nil {
		return uuid.Nil, err
	}
	id := NewID()
	_, err = tx.Exec(ctx, `
		insert into jobs (id, kind, person_id, bench_id, state, request)
		values ($1, $2, $3, $4, 'waiting', $5)`, id, ask.Kind, person, ask.Bench, raw)
	if err != nil {
		return uuid.Nil, err
	}
	return id, notify(ctx, tx, Event{Topic: AskedOfBench, ID: ask.Bench.String()})
}

// ClaimJob takes the oldest job that waits for a bench, which nobody else
// then gets. ErrNotFound says that none waits.
func (s *Store) ClaimJob(ctx context.Context, bench uuid.UUID) (Job, error) {
	rows, err := s.pool.Query(ctx, `
		update jobs set state = 'running', updated_at = now()
		where id = (select id
			from jobs
			where bench_id = $1 and state = 'waiting'
			order by created_at
			limit 1 for update skip locked)
		returning `+jobColumns, bench)
	return one[Job](rows, err)
}

// Job reads a job.
func (s *Store) Job(ctx context.Context, id uuid.UUID) (Job, error) {
	rows, err := s.pool.Query(ctx, `select `+jobColumns+` from jobs where id = $1`, id)
	return one[Job](rows, err)
}

// EndedJobs tells how those of some jobs ended that have.
func (s *Store) EndedJobs(ctx context.Context, ids []uuid.UUID) (states map[uuid.UUID]string, err error) {
	states = map[uuid.UUID]string{}
	if len(ids) == 0 {
		return states, nil
	}
	rows, err := s.pool.Query(ctx, `
		select id, state from jobs where id = any($1) and state not in ('waiting', 'running')`, ids)
	if err != nil {
		return nil, err
	}
	var id uuid.UUID
	var state string
	_, err = pgx.ForEachRow(rows, []any{&id, &state}, func() error {
		states[id] = state
		return nil
	})
	return states, err
}

// TellJob writes how far a job is, unless it has ended.
func (s *Store) TellJob(ctx context.Context, id uuid.UUID, progress any) error {
	return s.changeJob(ctx, id, `progress = $2 where id = $1 and state = 'running'`, progress)
}

// KeepJob writes what came of a job so far, unless it has ended.
func (s *Store) KeepJob(ctx context.Context, id uuid.UUID, result any) error {
	return s.changeJob(ctx, id, `result = $2 where id = $1 and state = 'running'`, result)
}

// EndJob writes how a job ended: state done or failed. A nil result leaves
// what was kept before. A cancelled job stays cancelled.
func (s *Store) EndJob(ctx context.Context, id uuid.UUID, state string, result any, problem string) error {
	return s.changeJob(ctx, id, `state = $3, result = coalesce(nullif($2::jsonb, 'null'), result), problem = $4
		where id = $1 and state = 'running'`, result, state, problem)
}

// CancelJob asks a job to stop, wherever it runs.
func (s *Store) CancelJob(ctx context.Context, id uuid.UUID) error {
	return s.changeJob(ctx, id, `state = 'cancelled', problem = $2::jsonb #>> '{}'
		where id = $1 and state in ('waiting', 'running')`, "stopped by you")
}

// changeJob sets what a job is, where its state allows that; one that has gone
// on meanwhile is left as it is. ErrNotFound where there is none.
func (s *Store) changeJob(ctx context.Context, id uuid.UUID, set string, value any, more ...any) error {
	raw, err := json.Marshal(value)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update jobs set updated_at = now(), `+set, append([]any{id, raw}, more...)...)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return mustFind(ctx, tx, `select from jobs where id = $1`, id)
		}
		return notify(ctx, tx, Event{Topic: JobChanged, ID: id.String()})
	})
}

// EndSilentJobs fails the jobs of benches that say nothing any more, and
// those that no bench took. It returns how many.
func (s *Store) EndSilentJobs(ctx context.Context) (n int, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		const waited = "The bench did not take this up: it is away. Start it, then try again."
		const silent = "The bench fell silent in the middle. What it had sent by then is kept; try again when it is back."
		for state, words := range map[string]string{"waiting": waited, "running": silent} {
			failed, err := failJobs(ctx, tx, `state = $2 and updated_at < now() - 2 * $3::interval`, words, state, BenchSilence)
			if err != nil {
				return err
			}
			n += failed
		}
		return nil
	})
	return n, err
}

// failJobs ends the jobs that a condition holds for, whose arguments begin with
// $2, and says why. It returns how many.
func failJobs(ctx context.Context, tx pgx.Tx, condition, why string, args ...any) (int, error) {
	rows, err := tx.Query(ctx, `
		update jobs
		set state = 'failed', problem = $1, updated_at = now()
		where `+condition+` returning id`, append([]any{why}, args...)...)
	if err != nil {
		return 0, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return 0, err
	}
	for _, id := range ids {
		if err := notify(ctx, tx, Event{Topic: JobChanged, ID: id.String()}); err != nil {
			return 0, err
		}
	}
	return len(ids), nil
}
