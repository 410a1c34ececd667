package store

import (
	"context"

	"github.com/google/uuid"
)

// LedgerView is a way of looking at the Ledger, as its address carries it.
type LedgerView struct {
	Q     string `json:"q,omitempty" maxLength:"2000"`
	Sort  string `json:"sort,omitempty" maxLength:"20"`
	Group string `json:"group,omitempty" maxLength:"20"`
}

// SavedView is a view that somebody keeps under a name.
type SavedView struct {
	ID   uuid.UUID `db:"id" json:"id"`
	Name string    `db:"name" json:"name"`
	// Shared is true where everybody sees it.
	Shared bool       `db:"shared" json:"shared"`
	View   LedgerView `db:"view" json:"view"`
	By     string     `db:"by" json:"by"`
	Own    bool       `db:"own" json:"own"`
}

// SavedViews lists a person's views and those that others share, by name.
func (s *Store) SavedViews(ctx context.Context, person uuid.UUID) ([]SavedView, error) {
	rows, err := s.pool.Query(ctx, `
		select v.id, v.name, v.shared, v.view, p.name as by, v.person_id = $1 as own
		from saved_views v join people p on p.id = v.person_id
		where v.person_id = $1 or v.shared order by v.person_id <> $1, lower(v.name), v.id limit 200`, person)
	return collectRows[SavedView](rows, err)
}

// SaveView keeps a view; one of the same name and person is replaced.
func (s *Store) SaveView(ctx context.Context, person uuid.UUID, name string, shared bool, view LedgerView) (id uuid.UUID, err error) {
	err = s.pool.QueryRow(ctx, `
		insert into saved_views (id, person_id, name, shared, view) values ($1, $2, $3, $4, $5)
		on conflict (person_id, name) do update set shared = excluded.shared, view = excluded.view returning id`,
		NewID(), person, name, shared, view).Scan(&id)
	return id, err
}

// ForgetView throws a view of one's own away.
func (s *Store) ForgetView(ctx context.Context, person, id uuid.UUID) error {
	tag, err := s.pool.Exec(ctx, `delete from saved_views where id = $1 and person_id = $2`, id, person)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}
