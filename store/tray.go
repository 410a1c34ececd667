package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/change"
)

// NewEdit is an edit on its way into its author's tray.
type NewEdit struct {
	Package uuid.UUID
	Field   change.Field
	Scope   catalog.Scope
	Value   json.RawMessage
	Reason  string
}

// Edit is one edit with what a page needs to show it.
type Edit struct {
	ID          uuid.UUID       `db:"id" json:"id"`
	PackageID   uuid.UUID       `db:"package_id" json:"packageId"`
	Package     string          `db:"package" json:"package"`
	Label       string          `db:"label" json:"label"`
	Field       string          `db:"field" json:"field"`
	ScopeKind   string          `db:"scope_kind" json:"scopeKind"`
	ScopeID     uuid.UUID       `db:"scope_id" json:"scopeId"`
	ScopeName   string          `db:"scope_name" json:"scopeName"`
	Base        json.RawMessage `db:"base" json:"base"`
	Value       json.RawMessage `db:"value" json:"value"`
	Now         json.RawMessage `db:"now" json:"now"`
	Reason      string          `db:"reason" json:"reason"`
	State       string          `db:"state" json:"state"`
	Words       string          `db:"words" json:"words"`
	DecidedBy   string          `db:"decided_by" json:"decidedBy"`
	BuildName   string          `db:"build_name" json:"buildName"`
	CreatedAt   time.Time       `db:"created_at" json:"createdAt"`
	PhoneUnseen bool            `db:"phone_unseen" json:"phoneUnseen"`
}

// editColumns reads edits as e, with the present value of their field and, for
// a trial, the name of its build and whether that phone was ever captured.
var editColumns = `
	select e.id, e.package_id, p.name as package,
		` + bestLabel + ` as label,
		e.field, e.scope_kind, e.scope_id, ` + named(scopeName, "e") + ` as scope_name, e.base, e.value, c.value as now, e.reason, e.state, e.words,
		coalesce(r.name, '') as decided_by, e.created_at,
		coalesce((select d.name || ' ' || trim(b.carrier || ' ' || b.version) from builds b join models d on d.id = b.model_id
			where e.field = 'trial' and b.id = (e.value ->> 'build')::uuid), '') as build_name,
		e.field = 'trial' and not exists (select from captures k where k.phone = e.value ->> 'phone') as phone_unseen
	from edits e join packages p on p.id = e.package_id
		left join claims c on c.package_id = e.package_id and c.field = e.field and c.scope_kind = e.scope_kind and c.scope_id = e.scope_id
		left join people r on r.id = e.decided_by`

// named fills a fragment's table alias in.
func named(fragment, alias string) string { return fmt.Sprintf(fragment, alias) }

// maxTray bounds what one person's tray shows at once.
const maxTray = 5000

// Tray lists a person's unsent edits, oldest first.
func (s *Store) Tray(ctx context.Context, person uuid.UUID) ([]Edit, error) {
	rows, err := s.pool.Query(ctx, editColumns+` where e.author_id = $1 and e.change_id is null order by e.created_at, e.id limit $2`, person, maxTray)
	return all[Edit](rows, err)
}

// TrayCount counts a person's unsent edits.
func (s *Store) TrayCount(ctx context.Context, person uuid.UUID) (n int, err error) {
	err = s.pool.QueryRow(ctx, `select count(*)::int from edits where author_id = $1 and change_id is null`, person).Scan(&n)
	return n, err
}

// AddEdits puts edits into a person's tray. An edit of a field that the tray
// already has an edit of replaces it; trials add up. Either all are put in or
// none.
func (s *Store) AddEdits(ctx context.Context, person uuid.UUID, edits []NewEdit) ([]uuid.UUID, error) {
	ids := make([]uuid.UUID, len(edits))
	err := s.inTx(ctx, func(tx pgx.Tx) error {
		for i, e := range edits {
			ids[i] = NewID()
			scope := uuid.Nil
			if e.Scope.ID != "" {
				var err error
				if scope, err = uuid.Parse(e.Scope.ID); err != nil {
					return fmt.Errorf("scope %q: %w", e.Scope.ID, ErrNotFound)
				}
				if err := scopeExists(ctx, tx, e.Scope.Kind, scope); err != nil {
					return err
				}
			}
			if e.Field != change.Trial {
				_, err := tx.Exec(ctx, `delete from edits where author_id = $1 and change_id is null and package_id = $2 and field = $3 and scope_kind = $4 and scope_id = $5`,
					person, e.Package, e.Field, e.Scope.Kind, scope)
				if err != nil {
					return err
				}
			}
			_, err := tx.Exec(ctx, `
				insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, base)
				values ($1, $2, $3, $4, $5, $6, nullif($7::jsonb, 'null'), $8, 'in-tray',
					(select value from claims where package_id = $3 and field = $4 and scope_kind = $5 and scope_id = $6))`,
				ids[i], person, e.Package, e.Field, e.Scope.Kind, scope, e.Value, e.Reason)
			if err != nil {
				return err
			}
		}
		return nil
	})
	return ids, err
}

func scopeExists(ctx context.Context, tx pgx.Tx, kind catalog.ScopeKind, id uuid.UUID) error {
	table := map[catalog.ScopeKind]string{catalog.OfMaker: "makers", catalog.OfModel: "models", catalog.OfBuild: "builds"}[kind]
	var found bool
	if err := tx.QueryRow(ctx, `select exists (select from `+pgx.Identifier{table}.Sanitize()+` where id = $1)`, id).Scan(&found); err != nil {
		return err
	}
	if !found {
		return fmt.Errorf("%s %s: %w", kind, id, ErrNotFound)
	}
	return nil
}

// BuildExists reports whether a trial can name the build.
func (s *Store) BuildExists(ctx context.Context, id uuid.UUID) (found bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from builds where id = $1)`, id).Scan(&found)
	return found, err
}

// RemoveEdit takes an edit out of its author's tray.
func (s *Store) RemoveEdit(ctx context.Context, person, edit uuid.UUID) error {
	tag, err := s.pool.Exec(ctx, `delete from edits where id = $1 and author_id = $2 and change_id is null`, edit, person)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// Reopen copies a returned edit back into its author's tray, based on what the
// catalogue says now.
func (s *Store) Reopen(ctx context.Context, person, edit uuid.UUID) error {
	tag, err := s.pool.Exec(ctx, `
		insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, words, base)
		select $3, e.author_id, e.package_id, e.field, e.scope_kind, e.scope_id, e.value, e.reason, 'in-tray', e.words, c.value
		from edits e left join claims c on c.package_id = e.package_id and c.field = e.field and c.scope_kind = e.scope_kind and c.scope_id = e.scope_id
		where e.id = $1 and e.author_id = $2 and e.state = 'returned'`, edit, person, NewID())
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}
