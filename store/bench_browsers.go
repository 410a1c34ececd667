package store

import (
	"context"
	"crypto/sha256"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// OpenBrowser makes a person's browser a bench that comes in with the token,
// for as long as the session whose token the last argument is. The same browser
// is the same bench again, and what it came in with before is good no more.
func (s *Store) OpenBrowser(ctx context.Context, person Person, browser uuid.UUID, token, session []byte) (id uuid.UUID, err error) {
	hash, of := sha256.Sum256(token), sha256.Sum256(session)
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `
			insert into benches (id, name, token_hash, created_by, person_id, browser, session_hash)
			values ($1, $2, $3, $4, $4, $5, $6)
			on conflict (person_id, browser) where revoked_at is null do update
			set name = excluded.name, token_hash = excluded.token_hash, session_hash = excluded.session_hash,
				view = '{}', seen_at = null
			returning id`, NewID(), person.Name+"’s browser", hash[:], person.ID, browser, of[:]).Scan(&id)
		if err != nil {
			return err
		}
		// A tab that was this bench before finds that it is no longer.
		if err := notifyAccess(ctx, tx, person.ID); err != nil {
			return err
		}
		if _, err := failJobs(ctx, tx, `bench_id = $2 and state in ('waiting', 'running')`, "its tab was closed", id); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: BenchChanged, ID: id.String()})
	})
	return id, err
}
