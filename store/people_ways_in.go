package store

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/people"
)

// Identity is whom a provider of sign-ins vouches for: a subject of an issuer,
// as OpenID Connect has them.
type Identity struct {
	Issuer  string `json:"issuer"`
	Subject string `json:"-"`
}

// PersonOfIdentity finds who signs in with an identity.
func (s *Store) PersonOfIdentity(ctx context.Context, i Identity) (Person, error) {
	rows, err := s.pool.Query(ctx, `
		update identities i set used_at = now()
		from people p
		where i.issuer = $1 and i.subject = $2 and p.id = i.person_id and p.removed_at is null
		returning p.id, p.login, p.name, p.role`, i.Issuer, i.Subject)
	return one[Person](rows, err)
}

// loginsTried is how many logins like the one wanted are tried for somebody who
// joins.
const loginsTried = 50

// JoinByIdentity makes a person of somebody whom a provider vouches for. Where
// another has the login, they get one with a number.
func (s *Store) JoinByIdentity(ctx context.Context, i Identity, login, name string, role people.Role) (p Person, err error) {
	for n := 1; n <= loginsTried; n++ {
		p = Person{NewID(), login, name, role}
		if n > 1 {
			p.Login = fmt.Sprintf("%s-%d", login, n)
		}
		err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
			if err := insertPerson(ctx, tx, p, ""); err != nil {
				return err
			}
			if err := insertIdentity(ctx, tx, i, p.ID); err != nil {
				return err
			}
			detail := map[string]any{"role": role, "provider": i.Issuer}
			return record(ctx, tx, Act{Person: p.ID, Action: "person.joined", Subject: p.ID.String(), Detail: detail})
		})
		if !errors.Is(err, ErrLoginTaken) {
			break
		}
	}
	return p, err
}

func insertIdentity(ctx context.Context, tx pgx.Tx, i Identity, person uuid.UUID) error {
	tag, err := tx.Exec(ctx, `
		insert into identities as i (issuer, subject, person_id) values ($1, $2, $3)
		on conflict (issuer, subject)
		do update set used_at = now()
		where i.person_id = $3`, i.Issuer, i.Subject, person)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotYours
	}
	return err
}

// AddIdentity lets a person sign in by a provider, too: ErrNotYours where
// somebody else does with that identity.
func (s *Store) AddIdentity(ctx context.Context, i Identity, person uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if err := insertIdentity(ctx, tx, i, person); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "person.provider-added", Subject: person.String(), Detail: map[string]string{"provider": i.Issuer}})
	})
}

// HasIdentity reports whether a person signs in by a provider.
func (s *Store) HasIdentity(ctx context.Context, person uuid.UUID, issuer string) (has bool, err error) {
	err = s.pool.QueryRow(ctx, `
		select exists (select from identities where person_id = $1 and issuer = $2)`, person, issuer).Scan(&has)
	return has, err
}

// MakePasswordLink keeps a link by which a person sets a new password, in place
// of those before; token is its secret. By is the keeper who made it, the zero
// id where the installation did.
func (s *Store) MakePasswordLink(ctx context.Context, by, person uuid.UUID, token []byte, expires time.Time) error {
	hash := sha256.Sum256(token)
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `delete from password_links where person_id = $1 or expires_at < now()`, person)
		if err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `
			insert into password_links (token_hash, person_id, created_by, expires_at)
			select $1, id, nullif($3, $5::uuid), $4
			from people
			where id = $2 and removed_at is null`, hash[:], person, by, expires, uuid.Nil)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: by, Action: "person.password-link", Subject: person.String()})
	})
}

// PasswordLink finds whose password a link sets.
func (s *Store) PasswordLink(ctx context.Context, token []byte) (Person, error) {
	hash := sha256.Sum256(token)
	rows, err := s.pool.Query(ctx, `
		select p.id, p.login, p.name, p.role
		from password_links l
		join people p on p.id = l.person_id
		where l.token_hash = $1 and l.expires_at > now() and p.removed_at is null`, hash[:])
	return one[Person](rows, err)
}

// UsePasswordLink sets a person's password by a link, which works once, and
// ends all their sign-ins.
func (s *Store) UsePasswordLink(ctx context.Context, token []byte, hash string) error {
	digest := sha256.Sum256(token)
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var person uuid.UUID
		err := tx.QueryRow(ctx, `
			delete from password_links
			where token_hash = $1 and expires_at > now()
			returning person_id`, digest[:]).Scan(&person)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		return setPassword(ctx, tx, person, hash, nil, Ending{})
	})
}
