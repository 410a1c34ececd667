package store

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// SigningKey is a key pair, its private half sealed.
type SigningKey struct {
	ID     string `db:"id"`
	Public string `db:"public_key"`
	Sealed []byte `db:"sealed"`
	// Endorsement is the public half signed with the key before, whose id is
	// EndorsedBy; "" of the first.
	Endorsement string `db:"endorsement"`
	EndorsedBy  string `db:"endorsed_by"`
}

// PublicKey is a key as everybody may know it.
type PublicKey struct {
	ID          string     `db:"id" json:"id"`
	Public      string     `db:"public_key" json:"publicKey"`
	CreatedAt   time.Time  `db:"created_at" json:"createdAt"`
	RetiredAt   *time.Time `db:"retired_at" json:"retiredAt,omitempty"`
	RetiredWhy  string     `db:"retired_why" json:"retiredWhy,omitempty"`
	Endorsement string     `db:"endorsement" json:"endorsement,omitempty" doc:"minisign signature of the public key's line, by the key before"`
	EndorsedBy  string     `db:"endorsed_by" json:"endorsedBy,omitempty"`
	// Releases counts those that are signed with it.
	Releases int `db:"releases" json:"releases"`
}

// KeyInUse reads the key that new releases are signed with.
func (s *Store) KeyInUse(ctx context.Context) (SigningKey, error) {
	rows, err := s.pool.Query(ctx, `
		select id, public_key, sealed, endorsement, coalesce(endorsed_by, '') as endorsed_by
		from signing_keys
		where retired_at is null`)
	return one[SigningKey](rows, err)
}

// PublicKeys lists all keys that releases were ever signed with, newest first.
func (s *Store) PublicKeys(ctx context.Context) ([]PublicKey, error) {
	rows, err := s.pool.Query(ctx, `
		select k.id, k.public_key, k.created_at, k.retired_at, k.retired_why, k.endorsement,
			coalesce(k.endorsed_by, '') as endorsed_by,
			(select count(*) from releases r where r.key_id = k.id)::int as releases
		from signing_keys k order by k.retired_at is not null, k.created_at desc limit 500`)
	return collectRows[PublicKey](rows, err)
}

// AddKey stores the first key; where another server was faster, that one's
// stays.
func (s *Store) AddKey(ctx context.Context, k SigningKey) error {
	_, err := s.pool.Exec(ctx, `
		insert into signing_keys (id, public_key, sealed)
		values ($1, $2, $3)
		on conflict
		do nothing`, k.ID, k.Public, k.Sealed)
	return err
}

// RotateKey retires the key in use, with the reason that everybody is shown,
// and puts a new one in its place. ErrStale where it is not the one that the
// new key was made after.
func (s *Store) RotateKey(ctx context.Context, old string, k SigningKey, why string, person uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update signing_keys
			set retired_at = now(), retired_by = $2, retired_why = $3
			where id = $1 and retired_at is null`, old, person, why)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrStale
		}
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into signing_keys (id, public_key, sealed, made_by, endorsement, endorsed_by)
			values ($1, $2, $3, $4, $5, nullif($6, ''))`, k.ID, k.Public, k.Sealed, person, k.Endorsement, k.EndorsedBy)
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: ReleasesChanged}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "key.rotated", Subject: k.ID, Detail: map[string]string{"retired": old, "why": why}})
	})
}
