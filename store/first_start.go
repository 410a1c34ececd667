package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/starter"
)

// FirstStart is what a new installation has of what it needs first.
type FirstStart struct {
	// Captured is true once anything was captured or brought in: then it is new
	// no longer.
	Captured bool `db:"captured" json:"captured"`
	// Others is true where somebody was invited, or is here beside its keeper.
	Others bool `db:"others" json:"others"`
	// Benched is true where phones can be reached: a bench was added, or has been
	// here.
	Benched bool `db:"benched" json:"benched"`
	// Ruled is true where the keeper has set any rules.
	Ruled bool `db:"ruled" json:"ruled"`
	// Starter is the change that took in the starter catalogue.
	Starter *uuid.UUID `db:"starter" json:"starter,omitempty"`
}

// FirstStart finds out what a new installation still needs.
func (s *Store) FirstStart(ctx context.Context) (FirstStart, error) {
	rows, err := s.pool.Query(ctx, `
		select exists (select from captures) or exists (select from makers) as captured,
			(select count(*) from people where removed_at is null) > 1
				or exists (select from invitations where created_by is not null) as others,
			exists (select from benches) as benched,
			exists (select from settings where key like '%rules') as ruled,
			(select id from changes where imported_from = $1 and state in ('sent', 'accepted')
				order by number desc limit 1) as starter`, starter.From)
	return one[FirstStart](rows, err)
}

// TakeStarter makes a change of what the starter catalogue says and this
// catalogue does not, for somebody to look through. Packages that no capture has
// shown yet become known by their names.
func (s *Store) TakeStarter(ctx context.Context, person uuid.UUID, sending Sending, edits []starter.Edit) (id uuid.UUID, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		id, err = answeredOnce(ctx, tx, person, sending, func(id uuid.UUID) (uuid.UUID, error) {
			fresh, err := namedEdits(ctx, tx, edits)
			if err != nil {
				return id, err
			}
			if len(fresh) == 0 {
				return id, ErrEmptyTray
			}
			return id, sendNew(ctx, tx, person, id, sending, fresh)
		})
		return err
	})
	return id, err
}

// namedEdits makes edits of packages by their names, which become known, and
// leaves out those of fields that the catalogue has for everywhere.
func namedEdits(ctx context.Context, tx pgx.Tx, edits []starter.Edit) ([]NewEdit, error) {
	ids := map[android.PackageName]uuid.UUID{}
	var names []string
	var fresh []uuid.UUID
	for _, e := range edits {
		if _, ok := ids[e.Package]; !ok {
			ids[e.Package] = uuid.Nil
			names, fresh = append(names, string(e.Package)), append(fresh, NewID())
		}
	}
	_, err := tx.Exec(ctx, `
		insert into packages (id, name, origin, origin_reason)
		select id, name, $3, $4 from unnest($1::uuid[], $2::text[]) x (id, name)
		on conflict (name) do nothing`, fresh, names, catalog.Platform, "the platform's own, by the starter catalogue")
	if err != nil {
		return nil, err
	}
	rows, err := tx.Query(ctx, `select name, id from packages where name = any($1)`, names)
	if err != nil {
		return nil, err
	}
	var name string
	var id uuid.UUID
	if _, err := pgx.ForEachRow(rows, []any{&name, &id}, func() error { ids[android.PackageName(name)] = id; return nil }); err != nil {
		return nil, err
	}
	type place struct {
		pkg   uuid.UUID
		field string
	}
	said := map[place]bool{}
	rows, err = tx.Query(ctx, `
		select p.id, c.field
		from packages p
		join claims c on c.package_id = p.id
		where p.name = any($1) and c.scope_kind = 'everywhere'
		union
		select p.id, 'source'
		from packages p
		join sources s on s.package_id = p.id
		where p.name = any($1)`, names)
	if err != nil {
		return nil, err
	}
	var at place
	if _, err := pgx.ForEachRow(rows, []any{&at.pkg, &at.field}, func() error { said[at] = true; return nil }); err != nil {
		return nil, err
	}
	var list []NewEdit
	for _, e := range edits {
		if at := (place{ids[e.Package], string(e.Field)}); !said[at] {
			list = append(list, NewEdit{Package: at.pkg, Field: e.Field, Scope: catalog.Scope{Kind: catalog.Everywhere}, Value: e.Value, Reason: e.Reason})
		}
	}
	return list, nil
}
