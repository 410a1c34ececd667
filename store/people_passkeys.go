package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Passkey is a key that a device of a person's keeps, by which they show, beside
// their password, that they are who they are.
type Passkey struct {
	ID        []byte          `db:"id" json:"id" doc:"Base64"`
	Name      string          `db:"name" json:"name"`
	CreatedAt time.Time       `db:"created_at" json:"createdAt"`
	UsedAt    *time.Time      `db:"used_at" json:"usedAt,omitempty"`
	Held      json.RawMessage `db:"credential" json:"-"`
}

// maxPasskeys bounds those of a person.
const maxPasskeys = 20

// ErrManyPasskeys says that a person has as many as they may.
var ErrManyPasskeys = errors.New("you have 20 passkeys: take one away first")

// Passkeys lists those of a person, oldest first.
func (s *Store) Passkeys(ctx context.Context, person uuid.UUID) ([]Passkey, error) {
	rows, err := s.pool.Query(ctx, `
		select id, name, created_at, used_at, credential
		from passkeys
		where person_id = $1
		order by created_at limit $2`, person, maxPasskeys)
	return collectRows[Passkey](rows, err)
}

// AddPasskey keeps a passkey that a device has made.
func (s *Store) AddPasskey(ctx context.Context, person uuid.UUID, k Passkey) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select from people where id = $1 for update`, person); err != nil {
			return err
		}
		var many bool
		err := tx.QueryRow(ctx, `
			select count(*) >= $2 from passkeys where person_id = $1`, person, maxPasskeys).Scan(&many)
		if err == nil && many {
			err = ErrManyPasskeys
		}
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into passkeys (id, person_id, name, credential)
			values ($1, $2, $3, $4)`, k.ID, person, k.Name, k.Held)
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "person.passkey-added", Subject: person.String(), Detail: map[string]string{"name": k.Name}})
	})
}

// UsePasskey notes that a passkey was used, and what its device said of itself.
func (s *Store) UsePasskey(ctx context.Context, person uuid.UUID, k Passkey) error {
	tag, err := s.pool.Exec(ctx, `
		update passkeys set used_at = now(), credential = $3 where id = $1 and person_id = $2`, k.ID, person, k.Held)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// RemovePasskey takes a person's passkey away, or with a nil id all of them. By
// is who does: themselves, or a keeper.
func (s *Store) RemovePasskey(ctx context.Context, by, person uuid.UUID, id []byte) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			delete from passkeys where person_id = $1 and ($2::bytea is null or id = $2)`, person, id)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		detail := map[string]int64{"passkeys": tag.RowsAffected()}
		return record(ctx, tx, Act{Person: by, Action: "person.passkey-removed", Subject: person.String(), Detail: detail})
	})
}

// Purposes of challenges.
const (
	MakePasskey    = "make"
	ConfirmPasskey = "confirm"
)

// KeepChallenge keeps what a person's device was asked to sign.
func (s *Store) KeepChallenge(ctx context.Context, person uuid.UUID, purpose string, data json.RawMessage, expires time.Time) (id uuid.UUID, err error) {
	id = NewID()
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `
			delete from challenges where expires_at < now()`); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `
			insert into challenges (id, person_id, purpose, data, expires_at)
			values ($1, $2, $3, $4, $5)`, id, person, purpose, data, expires)
		return err
	})
	return id, err
}

// TakeChallenge takes what a person's device was asked to sign, for once.
func (s *Store) TakeChallenge(ctx context.Context, id, person uuid.UUID, purpose string) (data json.RawMessage, err error) {
	err = s.pool.QueryRow(ctx, `
		delete from challenges
		where id = $1 and person_id = $2 and purpose = $3 and expires_at > now()
		returning data`, id, person, purpose).Scan(&data)
	if isNone(err) {
		err = ErrNotFound
	}
	return data, err
}

// ConfirmSession notes that a passkey was shown in a session.
func (s *Store) ConfirmSession(ctx context.Context, token []byte) error {
	hash := sha256.Sum256(token)
	_, err := s.pool.Exec(ctx, `update sessions set confirmed_at = now() where token_hash = $1`, hash[:])
	return err
}

// SessionConfirmed reports whether a passkey was shown in a session lately.
func (s *Store) SessionConfirmed(ctx context.Context, token []byte, within time.Duration) (confirmed bool, err error) {
	hash := sha256.Sum256(token)
	err = s.pool.QueryRow(ctx, `
		select coalesce(confirmed_at > now() - $2::interval, false)
		from sessions
		where token_hash = $1`, hash[:], within).Scan(&confirmed)
	if isNone(err) {
		return false, nil
	}
	return confirmed, err
}
