package store

import (
	"context"
	"crypto/sha256"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// SignedIn is one of a person's sign-ins.
type SignedIn struct {
	ID        uuid.UUID `db:"id" json:"id"`
	Agent     string    `db:"agent" json:"agent"`
	CreatedAt time.Time `db:"created_at" json:"createdAt"`
	SeenAt    time.Time `db:"seen_at" json:"seenAt" doc:"When it was used last, to five minutes"`
	ExpiresAt time.Time `db:"expires_at" json:"expiresAt"`
	// Here is true for the one that asks.
	Here bool `db:"here" json:"here"`
}

// aliveSession is the condition that a session s has neither expired nor idled
// for longer than the keeper allows; $1 is the hours of the default.
const aliveSession = aliveFor + `$1))`

const aliveFor = `s.expires_at > now()
	and s.seen_at > now() - make_interval(hours => coalesce((select (value ->> 'idleHours')::int
		from settings
		where key = '` + installationRulesKey + `'), `

// seenEvery is how exactly it is noted when a session was used last.
const seenEvery = 5 * time.Minute

// Sessions lists a person's sign-ins, newest first; token is the one that
// asks.
func (s *Store) Sessions(ctx context.Context, person uuid.UUID, token []byte) ([]SignedIn, error) {
	hash := sha256.Sum256(token)
	rows, err := s.pool.Query(ctx, `
		select s.id, s.agent, s.created_at, s.seen_at, s.expires_at, s.token_hash = $3 as here
		from sessions s
		where s.person_id = $2 and `+aliveSession+`
		order by s.created_at desc limit 200`, DefaultInstallationRules.IdleHours, person, hash[:])
	return collectRows[SignedIn](rows, err)
}

// StartSession signs a person in: token is the secret of their cookie, of
// which only the hash is kept. Agent is what the browser calls itself. What
// the cookie held before, nil for nothing, ends.
func (s *Store) StartSession(ctx context.Context, token []byte, person uuid.UUID, lasts time.Duration, agent string, before []byte) error {
	hash, old := sha256.Sum256(token), sha256.Sum256(before)
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `
			delete from sessions s where not (`+aliveSession+`)`, DefaultInstallationRules.IdleHours); err != nil {
			return err
		}
		if before != nil {
			if err := endSession(ctx, tx, old[:]); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, `
			insert into sessions (token_hash, person_id, expires_at, agent)
			values ($1, $2, now() + $3, $4)`, hash[:], person, lasts, agent)
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "person.signed-in", Subject: person.String()})
	})
}

// SessionPerson finds whose session a token is. Used says that a person did
// something, which keeps the session from idling.
func (s *Store) SessionPerson(ctx context.Context, token []byte, used bool) (Person, error) {
	_, p, err := s.BySession(ctx, token, used)
	return p, err
}

// BySession is SessionPerson, and returns a context with which what the person
// writes and reads by this session is in order: see MayLag.
func (s *Store) BySession(ctx context.Context, token []byte, used bool) (context.Context, Person, error) {
	hash := sha256.Sum256(token)
	type seen struct {
		Person
		Stale bool   `db:"stale"`
		Wrote uint64 `db:"wrote"`
	}
	rows, err := s.pool.Query(ctx, `
		select p.id, p.login, p.name, p.role, s.seen_at < now() - $3::interval as stale,
			coalesce(s.wrote::text::bigint, 0) as wrote
		from sessions s
		join people p on p.id = s.person_id
		where s.token_hash = $2 and p.removed_at is null
			and `+aliveSession, DefaultInstallationRules.IdleHours, hash[:], seenEvery)
	found, err := one[seen](rows, err)
	if err == nil && found.Stale && used {
		_, err = s.pool.Exec(ctx, `update sessions set seen_at = now() where token_hash = $1`, hash[:])
	}
	return as(ctx, writer{session: hash[:]}, found.Wrote), found.Person, err
}

// EndSession signs out.
func (s *Store) EndSession(ctx context.Context, token []byte) error {
	hash := sha256.Sum256(token)
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error { return endSession(ctx, tx, hash[:]) })
}

func endSession(ctx context.Context, tx pgx.Tx, hash []byte) error {
	var person uuid.UUID
	err := tx.QueryRow(ctx, `delete from sessions where token_hash = $1 returning person_id`, hash).Scan(&person)
	if isNone(err) {
		return nil
	}
	if err != nil {
		return err
	}
	return notifyAccess(ctx, tx, person)
}

// EndOtherSessions signs a person out everywhere but where token is.
func (s *Store) EndOtherSessions(ctx context.Context, person uuid.UUID, token []byte) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if err := endSessions(ctx, tx, person, token); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "person.signed-out-elsewhere", Subject: person.String()})
	})
}

func endSessions(ctx context.Context, tx pgx.Tx, person uuid.UUID, but []byte) error {
	hash := sha256.Sum256(but)
	if _, err := tx.Exec(ctx, `
		delete from sessions where person_id = $1 and token_hash <> $2`, person, hash[:]); err != nil {
		return err
	}
	return notifyAccess(ctx, tx, person)
}

// notifyAccess tells every server that a person or bench may do something else
// from now on, or nothing: what is open for them is looked at again.
func notifyAccess(ctx context.Context, tx pgx.Tx, who uuid.UUID) error {
	return notify(ctx, tx, Event{Topic: AccessChanged, ID: who.String()})
}

// Ending is what ends with a person's old password besides their sign-ins.
type Ending struct {
	Tokens bool // all tokens for programs
	Feeds  bool // the secret address of their feeds
}

// SetPassword changes a person's password to one with the hash, and ends all
// their other sign-ins; token is the one that stays, nil for none.
func (s *Store) SetPassword(ctx context.Context, person uuid.UUID, hash string, token []byte, also Ending) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error { return setPassword(ctx, tx, person, hash, token, also) })
}

func setPassword(ctx context.Context, tx pgx.Tx, person uuid.UUID, hash string, token []byte, also Ending) error {
	tag, err := tx.Exec(ctx, `
		update people
		set password_hash = $2, feed_key_hash = case when $3 then null else feed_key_hash end
		where id = $1 and removed_at is null`, person, hash, also.Feeds)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return err
	}
	if also.Tokens {
		if _, err := tx.Exec(ctx, `
			update tokens
			set revoked_at = now()
			where person_id = $1 and revoked_at is null`, person); err != nil {
			return err
		}
	}
	// A link to set another would be a way back in for whoever has it.
	if _, err := tx.Exec(ctx, `delete from password_links where person_id = $1`, person); err != nil {
		return err
	}
	if err := endSessions(ctx, tx, person, token); err != nil {
		return err
	}
	act := Act{Person: person, Action: "person.password", Subject: person.String(), Detail: map[string]bool{"tokensEnded": also.Tokens, "feedsEnded": also.Feeds}}
	return record(ctx, tx, act)
}
