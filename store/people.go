package store

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/people"
)

// Person is somebody who can sign in.
type Person struct {
	ID    uuid.UUID   `db:"id" json:"id"`
	Login string      `db:"login" json:"login"`
	Name  string      `db:"name" json:"name"`
	Role  people.Role `db:"role" json:"role" enum:"technician,reviewer,maintainer,keeper"`
}

// ErrLoginTaken says that another person has the login.
var ErrLoginTaken = errors.New("this login is taken")

// AddPerson makes a person; hash is the argon2id form of their password.
func (s *Store) AddPerson(ctx context.Context, login, name string, role people.Role, hash string) (p Person, err error) {
	p = Person{NewID(), login, name, role}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if err := insertPerson(ctx, tx, p, hash); err != nil {
			return err
		}
		return record(ctx, tx, Act{Action: "person.added", Subject: p.ID.String(), Detail: map[string]people.Role{"role": role}})
	})
	return p, err
}

// PersonRow is a person with their record.
type PersonRow struct {
	Person
	Since   time.Time `db:"created_at" json:"since"`
	Removed bool      `db:"removed" json:"removed"`
	// Changes counts what they have sent; Decided and Accepted are edits.
	Changes  int `db:"changes" json:"changes"`
	Decided  int `db:"decided" json:"decided"`
	Accepted int `db:"accepted" json:"accepted"`
	Trials   int `db:"trials" json:"trials"`
	// Reviewed counts edits of others that they decided about.
	Reviewed int `db:"reviewed" json:"reviewed"`
}

const personRows = `
	select p.id, p.login, p.name, p.role, p.created_at, p.removed_at is not null as removed, p.decided, p.accepted,
		coalesce(c.n, 0) as changes, coalesce(t.n, 0) as trials, coalesce(r.n, 0) as reviewed
	from people p left join (select author_id, count(*)::int as n from changes group by 1) c on c.author_id = p.id
		left join (select person_id, count(*)::int as n from trials group by 1) t on t.person_id = p.id
		left join (select accepted_by, count(*)::int as n from history group by 1) r on r.accepted_by = p.id`

// People lists everybody who is there, by name.
func (s *Store) People(ctx context.Context, limit int) ([]PersonRow, error) {
	rows, err := s.pool.Query(ctx, personRows+` where p.removed_at is null order by lower(p.name), p.id limit $1`,
		limit)
	return collectRows[PersonRow](rows, err)
}

// PersonByID reads a person, also one who left.
func (s *Store) PersonByID(ctx context.Context, id uuid.UUID) (PersonRow, error) {
	rows, err := s.pool.Query(ctx, personRows+` where p.id = $1`, id)
	return one[PersonRow](rows, err)
}

// ModelRecord is what a person brought about one model.
type ModelRecord struct {
	Maker     string    `db:"maker" json:"maker"`
	Model     string    `db:"model" json:"model"`
	MakerName string    `db:"maker_name" json:"makerName"`
	ModelName string    `db:"model_name" json:"modelName"`
	Trials    int       `db:"trials" json:"trials"`
	Phones    int       `db:"phones" json:"phones"`
	Harmed    int       `db:"harmed" json:"harmed"`
	Last      time.Time `db:"last" json:"last"`
}

// ModelsOf lists on which models a person has tried something, most first.
func (s *Store) ModelsOf(ctx context.Context, person uuid.UUID) ([]ModelRecord, error) {
	rows, err := s.pool.Query(ctx, `
		select m.slug as maker, d.slug as model, m.name as maker_name, d.name as model_name, count(*)::int as trials,
			count(distinct t.phone)::int as phones,
			count(*) filter (where t.outcome in ('function-lost', 'fault', 'no-start'))::int as harmed,
				max(t.at) as last
		from trials t
		join builds b on b.id = t.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		where t.person_id = $1 group by 1, 2, 3, 4 order by 5 desc, 1, 2 limit 200`, person)
	return collectRows[ModelRecord](rows, err)
}

// PasswordHash finds a person and the hash of their password by login.
func (s *Store) PasswordHash(ctx context.Context, login string) (Person, string, error) {
	var p Person
	var hash string
	err := s.pool.QueryRow(ctx, `
		select id, login, name, role, password_hash from people where login = $1 and removed_at is null`, login).
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
