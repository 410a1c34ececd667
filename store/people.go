package store

import (
	"context"
	"crypto/sha256"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Person is somebody who can sign in.
type Person struct {
	ID    uuid.UUID `db:"id" json:"id"`
	Login string    `db:"login" json:"login"`
	Name  string    `db:"name" json:"name"`
	Role  string    `db:"role" json:"role" enum:"technician,reviewer,maintainer,keeper"`
}

// ErrLoginTaken says that another person has the login.
var ErrLoginTaken = errors.New("this login is taken")

// AddPerson makes a person; hash is the argon2id form of their password.
func (s *Store) AddPerson(ctx context.Context, login, name, role, hash string) (Person, error) {
	p := Person{NewID(), login, name, role}
	_, err := s.pool.Exec(ctx, `insert into people (id, login, name, role, password_hash) values ($1, $2, $3, $4, $5)`, p.ID, login, name, role, hash)
	if violates(err, "people_login_key") {
		err = ErrLoginTaken
	}
	return p, err
}

// PasswordHash finds a person and the hash of their password by login.
func (s *Store) PasswordHash(ctx context.Context, login string) (Person, string, error) {
	var p Person
	var hash string
	err := s.pool.QueryRow(ctx, `select id, login, name, role, password_hash from people where login = $1 and removed_at is null`, login).
		Scan(&p.ID, &p.Login, &p.Name, &p.Role, &hash)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return p, hash, err
}

// CountPeople tells how many people there are.
func (s *Store) CountPeople(ctx context.Context) (n int, err error) {
	err = s.pool.QueryRow(ctx, `select count(*) from people`).Scan(&n)
	return n, err
}

// StartSession signs a person in: token is the secret of their cookie, of
// which only the hash is kept.
func (s *Store) StartSession(ctx context.Context, token []byte, person uuid.UUID, lasts time.Duration) error {
	hash := sha256.Sum256(token)
	_, err := s.pool.Exec(ctx, `
		with old as (delete from sessions where expires_at < now())
		insert into sessions (token_hash, person_id, expires_at) values ($1, $2, now() + $3)`, hash[:], person, lasts)
	return err
}

// SessionPerson finds whose session a token is.
func (s *Store) SessionPerson(ctx context.Context, token []byte) (Person, error) {
	hash := sha256.Sum256(token)
	rows, err := s.pool.Query(ctx, `
		select p.id, p.login, p.name, p.role
		from sessions s join people p on p.id = s.person_id
		where s.token_hash = $1 and s.expires_at > now() and p.removed_at is null`, hash[:])
	return one[Person](rows, err)
}

// EndSession signs out.
func (s *Store) EndSession(ctx context.Context, token []byte) error {
	hash := sha256.Sum256(token)
	_, err := s.pool.Exec(ctx, `delete from sessions where token_hash = $1`, hash[:])
	return err
}

// SignInFailures counts failures of the last quarter of an hour, for the
// login and for the address, whichever is more.
func (s *Store) SignInFailures(ctx context.Context, login, address string) (n int, err error) {
	err = s.pool.QueryRow(ctx, `
		select greatest(count(*) filter (where login = $1), count(*) filter (where address = $2) / 4)
		from sign_in_failures where at > now() - interval '15 minutes' and (login = $1 or address = $2)`, login, address).Scan(&n)
	return n, err
}

// SignInFailed remembers a failure.
func (s *Store) SignInFailed(ctx context.Context, login, address string) error {
	_, err := s.pool.Exec(ctx, `
		with old as (delete from sign_in_failures where at < now() - interval '1 day')
		insert into sign_in_failures (login, address) values ($1, $2)`, login, address)
	return err
}

// SignInWorked forgets the failures of a login.
func (s *Store) SignInWorked(ctx context.Context, login string) error {
	_, err := s.pool.Exec(ctx, `delete from sign_in_failures where login = $1`, login)
	return err
}
