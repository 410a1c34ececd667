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

// Token is a way in for a person's programs.
type Token struct {
	ID        uuid.UUID  `db:"id" json:"id"`
	Name      string     `db:"name" json:"name"`
	Scopes    []string   `db:"scopes" json:"scopes" nullable:"false"`
	CreatedAt time.Time  `db:"created_at" json:"createdAt"`
	ExpiresAt time.Time  `db:"expires_at" json:"expiresAt"`
	UsedAt    *time.Time `db:"used_at" json:"usedAt"`
}

// maxTokens bounds how many tokens of a person are good at once.
const maxTokens = 50

// ErrTooManyTokens says that a person has maxTokens already.
var ErrTooManyTokens = fmt.Errorf("you have %d tokens that are good: end one of them first", maxTokens)

// AddToken keeps the hash of a token for a person.
func (s *Store) AddToken(ctx context.Context, person uuid.UUID, name string, scopes []string, token []byte, expires time.Time) (t Token, err error) {
	t = Token{ID: NewID(), Name: name, Scopes: scopes, CreatedAt: time.Now().UTC(), ExpiresAt: expires}
	hash := sha256.Sum256(token)
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var n int
		if err := tx.QueryRow(ctx, `
			select count(*)
			from tokens
			where person_id = $1 and revoked_at is null and expires_at > now()`, person).Scan(&n); err != nil {
			return err
		}
		if n >= maxTokens {
			return ErrTooManyTokens
		}
		_, err := tx.Exec(ctx, `
			insert into tokens (id, person_id, name, scopes, token_hash, expires_at)
			values ($1, $2, $3, $4, $5, $6)`, t.ID, person, name, scopes, hash[:], expires)
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "token.made", Subject: t.ID.String(), Detail: map[string]any{"scopes": scopes, "expires": expires.UTC()}})
	})
	return t, err
}

// Tokens lists a person's good tokens, newest first.
func (s *Store) Tokens(ctx context.Context, person uuid.UUID) ([]Token, error) {
	rows, err := s.pool.Query(ctx, `
		select id, name, scopes, created_at, expires_at, used_at
		from tokens
		where person_id = $1 and revoked_at is null and expires_at > now()
		order by created_at desc
		limit $2`, person, maxTokens)
	return collectRows[Token](rows, err)
}

// RevokeToken ends a token of a person's own.
func (s *Store) RevokeToken(ctx context.Context, person, id uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update tokens set revoked_at = now() where id = $1 and person_id = $2 and revoked_at is null`, id, person)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := notifyAccess(ctx, tx, person); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "token.revoked", Subject: id.String()})
	})
}

// TokenPerson finds whose a token is and what it is good for. When it was used
// is noted to the hour.
func (s *Store) TokenPerson(ctx context.Context, token []byte) (p Person, scopes []string, err error) {
	_, p, scopes, err = s.ByToken(ctx, token)
	return p, scopes, err
}

// ByToken is TokenPerson, and returns a context with which what the program writes
// and reads is in order: see MayLag.
func (s *Store) ByToken(ctx context.Context, token []byte) (_ context.Context, p Person, scopes []string, err error) {
	hash := sha256.Sum256(token)
	var id uuid.UUID
	var stale bool
	var wrote uint64
	err = s.pool.QueryRow(ctx, `
		select p.id, p.login, p.name, p.role, t.scopes, t.id,
			t.used_at is null or t.used_at < now() - interval '1 hour',
			coalesce(t.wrote::text::bigint, 0)
		from tokens t
		join people p on p.id = t.person_id
		where t.token_hash = $1 and t.revoked_at is null and t.expires_at > now() and p.removed_at is null`, hash[:]).
		Scan(&p.ID, &p.Login, &p.Name, &p.Role, &scopes, &id, &stale, &wrote)
	if isNone(err) {
		return ctx, p, nil, ErrNotFound
	}
	if err == nil && stale {
		_, err = s.pool.Exec(ctx, `update tokens set used_at = now() where id = $1`, id)
	}
	return as(ctx, writer{token: id}, wrote), p, scopes, err
}

// Invitation is an open invitation to join.
type Invitation struct {
	ID        uuid.UUID   `db:"id" json:"id"`
	Role      people.Role `db:"role" json:"role"`
	Note      string      `db:"note" json:"note"`
	By        string      `db:"by" json:"by"`
	CreatedAt time.Time   `db:"created_at" json:"createdAt"`
	ExpiresAt time.Time   `db:"expires_at" json:"expiresAt"`
}

// Invite keeps an invitation; token is the secret in its link.
func (s *Store) Invite(ctx context.Context, by uuid.UUID, role people.Role, note string, token []byte, expires time.Time) (id uuid.UUID, err error) {
	id = NewID()
	hash := sha256.Sum256(token)
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `
			insert into invitations (id, token_hash, role, note, created_by, expires_at)
			values ($1, $2, $3, $4, $5, $6)`, id, hash[:], role, note, by, expires)
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: by, Action: "person.invited", Subject: id.String(), Detail: map[string]any{"role": role}})
	})
	return id, err
}

// InviteFirstKeeper keeps an invitation to be the keeper of an installation that
// has none, in place of one made before. Has tells that it has a keeper, and
// nothing was done.
func (s *Store) InviteFirstKeeper(ctx context.Context, token []byte, expires time.Time) (has bool, err error) {
	id, hash := NewID(), sha256.Sum256(token)
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `lock table invitations in share row exclusive mode`); err != nil {
			return err
		}
		err := tx.QueryRow(ctx, `
			select exists (select from people where role = $1 and removed_at is null)`, people.Keeper).Scan(&has)
		if err != nil || has {
			return err
		}
		_, err = tx.Exec(ctx, `
			update invitations set revoked_at = now()
			where created_by is null and used_by is null and revoked_at is null`)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into invitations (id, token_hash, role, note, expires_at)
			values ($1, $2, $3, '', $4)`, id, hash[:], people.Keeper, expires)
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Action: "person.invited", Subject: id.String(), Detail: map[string]any{"role": people.Keeper}})
	})
	return has, err
}

// Invitations lists those that nobody has used yet, newest first.
func (s *Store) Invitations(ctx context.Context) ([]Invitation, error) {
	rows, err := s.pool.Query(ctx, invitationColumns+` order by i.created_at desc limit 200`)
	return collectRows[Invitation](rows, err)
}

const invitationColumns = `
	select i.id, i.role, i.note, coalesce(p.name, 'the installation') as by, i.created_at, i.expires_at
	from invitations i
	left join people p on p.id = i.created_by
	where i.used_by is null and i.revoked_at is null and i.expires_at > now()`

// InvitationBy finds an open invitation by the secret of its link.
func (s *Store) InvitationBy(ctx context.Context, token []byte) (Invitation, error) {
	hash := sha256.Sum256(token)
	rows, err := s.pool.Query(ctx, invitationColumns+` and i.token_hash = $1`, hash[:])
	return one[Invitation](rows, err)
}

// Uninvite ends an invitation.
func (s *Store) Uninvite(ctx context.Context, by, id uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update invitations set revoked_at = now() where id = $1 and used_by is null and revoked_at is null`, id)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: by, Action: "person.uninvited", Subject: id.String()})
	})
}

// Join makes a person of an invitation; it works once.
func (s *Store) Join(ctx context.Context, token []byte, login, name, hash string) (p Person, err error) {
	digest := sha256.Sum256(token)
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		p = Person{ID: NewID(), Login: login, Name: name}
		var invitation uuid.UUID
		err := tx.QueryRow(ctx, `
			select id, role
			from invitations
			where token_hash = $1 and used_by is null and revoked_at is null
				and expires_at > now() for update`, digest[:]).Scan(&invitation, &p.Role)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := insertPerson(ctx, tx, p, hash); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update invitations set used_by = $2 where id = $1`, invitation, p.ID); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: p.ID, Action: "person.joined", Subject: p.ID.String(), Detail: map[string]any{"role": p.Role, "invitation": invitation}})
	})
	return p, err
}

func insertPerson(ctx context.Context, tx pgx.Tx, p Person, hash string) error {
	_, err := tx.Exec(ctx, `
		insert into people (id, login, name, role, password_hash)
		values ($1, $2, $3, $4, $5)`, p.ID, p.Login, p.Name, p.Role, hash)
	if violates(err, "people_login_key") {
		err = ErrLoginTaken
	}
	return err
}

// ErrLastKeeper says that an installation needs a keeper.
var ErrLastKeeper = errors.New("this is the last keeper: give somebody else that role first")

// keepKeeper makes sure that somebody else is a keeper.
func keepKeeper(ctx context.Context, tx pgx.Tx, person uuid.UUID) error {
	if _, err := tx.Exec(ctx, `
		select from people where role = 'keeper' and removed_at is null order by id for update`); err != nil {
		return err
	}
	var left bool
	err := tx.QueryRow(ctx, `
		select exists (select from people
			where role = 'keeper' and removed_at is null and id <> $1)`, person).Scan(&left)
	if err == nil && !left {
		err = ErrLastKeeper
	}
	return err
}

// SetRole gives a person another role.
func (s *Store) SetRole(ctx context.Context, keeper, person uuid.UUID, role people.Role) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if role != people.Keeper {
			if err := keepKeeper(ctx, tx, person); err != nil {
				return err
			}
		}
		var before people.Role
		err := tx.QueryRow(ctx, `
			update people p
			set role = $2
			from people was
			where p.id = $1 and was.id = p.id and p.removed_at is null
			returning was.role`, person, role).Scan(&before)
		if isNone(err) {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := notifyAccess(ctx, tx, person); err != nil {
			return err
		}
		act := Act{Person: keeper, Action: "person.role", Subject: person.String()}
		return recordTurned(ctx, tx, act, map[string]any{"role": before}, map[string]any{"role": role})
	})
}

// forgetPerson is what goes with a person who leaves: every way in, what only
// they had, and what was meant for them alone. What they did stays. $1 is the
// person.
var forgetPerson = []string{
	`delete from sessions where person_id = $1`,
	`update tokens set revoked_at = coalesce(revoked_at, now()), name = '' where person_id = $1`,
	`update invitations set revoked_at = now() where created_by = $1 and used_by is null and revoked_at is null`,
	`update invitations set note = '' where used_by = $1`,
	`delete from sign_in_places where person_id = $1`,
	`delete from identities where person_id = $1`,
	`delete from password_links where person_id = $1`,
	`delete from passkeys where person_id = $1`,
	`delete from challenges where person_id = $1`,
	`delete from answered where person_id = $1`,
	`delete from notices where person_id = $1`,
	`delete from asked where person_id = $1`,
	`delete from looks where person_id = $1`,
	`delete from follows where person_id = $1`,
	`delete from drafts where person_id = $1`,
	`delete from saved_views where person_id = $1 and not shared`,
	`delete from edits where author_id = $1 and change_id is null`,
	`delete from attachments where person_id = $1 and not used`,
	// What was handed to them is back with whoever handed it on.
	`delete from desk_put_off o using desk_handed h where h.to_id = $1 and o.person_id = h.from_id and o.line = h.line`,
	`delete from desk_handed where to_id = $1`,
	`delete from desk_put_off where person_id = $1`,
}

// RemovePerson takes a person's name, login and every way in away. What they
// did stays, under a pseudonym; what lay unsent in their tray goes.
func (s *Store) RemovePerson(ctx context.Context, keeper, person uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if err := keepKeeper(ctx, tx, person); err != nil {
			return err
		}
		var login string
		err := tx.QueryRow(ctx, `
			select login from people where id = $1 and removed_at is null for update`, person).Scan(&login)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			update people
			set name = 'somebody who left (' || $2 || ')', login = 'left-' || id, password_hash = '',
				feed_key_hash = null, removed_at = now()
			where id = $1`, person, person.String()[24:])
		if err != nil {
			return err
		}
		var batch pgx.Batch
		for _, sql := range forgetPerson {
			batch.Queue(sql, person)
		}
		batch.Queue(`delete from sign_in_tries where login = $1`, login)
		if err := tx.SendBatch(ctx, &batch).Close(); err != nil {
			return err
		}
		if err := notifyAccess(ctx, tx, person); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: keeper, Action: "person.removed", Subject: person.String()})
	})
}
