package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Job is long work that somebody can watch.
type Job struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	Kind      string          `db:"kind" json:"kind"`
	PersonID  uuid.UUID       `db:"person_id" json:"personId"`
	State     string          `db:"state" json:"state" enum:"running,done,failed,cancelled"`
	Progress  json.RawMessage `db:"progress" json:"progress"`
	Result    json.RawMessage `db:"result" json:"result"`
	Problem   string          `db:"problem" json:"problem"`
	CreatedAt time.Time       `db:"created_at" json:"createdAt"`
	UpdatedAt time.Time       `db:"updated_at" json:"updatedAt"`
}

// AddJob begins a job.
func (s *Store) AddJob(ctx context.Context, kind string, person uuid.UUID) (uuid.UUID, error) {
	id := NewID()
	_, err := s.pool.Exec(ctx, `insert into jobs (id, kind, person_id, state) values ($1, $2, $3, 'running')`, id, kind, person)
	return id, err
}

// Job reads a job.
func (s *Store) Job(ctx context.Context, id uuid.UUID) (Job, error) {
	rows, err := s.pool.Query(ctx, `select id, kind, person_id, state, progress, result, problem, created_at, updated_at from jobs where id = $1`, id)
	return one[Job](rows, err)
}

// TellJob writes how far a job is, unless it has ended.
func (s *Store) TellJob(ctx context.Context, id uuid.UUID, progress any) error {
	return s.changeJob(ctx, id, `update jobs set progress = $2, updated_at = now() where id = $1 and state = 'running'`, progress)
}

// EndJob writes how a job ended: state done or failed, with its result, which
// a failed one may have too. A cancelled job stays cancelled.
func (s *Store) EndJob(ctx context.Context, id uuid.UUID, state string, result any, problem string) error {
	return s.changeJob(ctx, id, `update jobs set state = $3, result = $2, problem = $4, updated_at = now() where id = $1 and state = 'running'`, result, state, problem)
}

// CancelJob asks a running job to stop, wherever it runs.
func (s *Store) CancelJob(ctx context.Context, id uuid.UUID) error {
	return s.changeJob(ctx, id, `update jobs set state = 'cancelled', problem = $2::jsonb #>> '{}', updated_at = now() where id = $1 and state = 'running'`, "cancelled by you; nothing was stored")
}

func (s *Store) changeJob(ctx context.Context, id uuid.UUID, update string, value any, more ...any) error {
	raw, err := json.Marshal(value)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, update, append([]any{id, raw}, more...)...); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: "job", ID: id.String()})
	})
}
