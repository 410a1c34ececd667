package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/foreign"
)

// Mapping finds how a list of this shape was read the last time; nil where
// none was.
func (s *Store) Mapping(ctx context.Context, shape string) (*foreign.Mapping, error) {
	var m foreign.Mapping
	err := s.pool.QueryRow(ctx, `select mapping from mappings where shape = $1`, shape).Scan(&m)
	if isNone(err) {
		return nil, nil
	}
	return &m, err
}

// KeepMapping remembers how lists of a shape are read.
func (s *Store) KeepMapping(ctx context.Context, person uuid.UUID, shape string, m foreign.Mapping) error {
	_, err := s.pool.Exec(ctx, `
		insert into mappings (shape, mapping, person_id) values ($1, $2, $3)
		on conflict (shape)
		do update set mapping = excluded.mapping, person_id = excluded.person_id, used_at = now()`, shape, m, person)
	return err
}

// KnownPackage is what the catalogue says of a package that a list names.
type KnownPackage struct {
	ID    uuid.UUID
	Label string
	// Load applies at the import's scope; Suggested is what the trials come
	// to there.
	Load      evidence.Load
	Suggested evidence.Load
	Phones    int
	Harmed    int
	// Says are the loads that the same list gave it before, in sources and
	// in open changes.
	Says []evidence.Load
	// Aliases are the other names that it has.
	Aliases []string
}

// KnownTo looks the names of a list up: title is the list's, at where its
// grades are to hold.
func (s *Store) KnownTo(ctx context.Context, names []string, title string, at catalog.Scope) (map[string]KnownPackage, error) {
	rows, err := s.pool.Query(ctx, `
		select p.name, p.id, `+bestLabel+`,
			array(select load from sources where package_id = p.id and title = $2 union all
				select coalesce(e.value ->> 'load', '')
				from edits e
				where e.package_id = p.id and e.field = 'source' and e.state = 'open' and e.value ->> 'title' = $2),
			coalesce((select array(select jsonb_array_elements_text(value))
				from claims
				where package_id = p.id and field = 'aliases' and scope_kind = 'everywhere' and value is not null),
				'{}')
		from packages p where p.name = any($1)`, names, title)
	if err != nil {
		return nil, err
	}
	out := map[string]KnownPackage{}
	var name string
	var k KnownPackage
	var ids []uuid.UUID
	_, err = pgx.ForEachRow(rows, []any{&name, &k.ID, &k.Label, &k.Says, &k.Aliases}, func() error {
		out[name] = k
		ids = append(ids, k.ID)
		return nil
	})
	if err != nil {
		return nil, err
	}
	var places []uuid.UUID
	if id, err := uuid.Parse(at.ID); err == nil {
		places = append(places, id)
	}
	trials, err := s.trialsNow(ctx, ids)
	if err != nil {
		return nil, err
	}
	j, err := readSnapshot(ctx, s.pool, trials, ids, places)
	if err != nil {
		return nil, err
	}
	from := j.firmwares[at.ID]
	for name, k := range out {
		f := j.Figures(k.ID, evidence.RemoveForUser, from)
		k.Phones, k.Harmed, k.Suggested = f.Phones, f.HarmedPhones, j.Suggested(k.ID, evidence.RemoveForUser, from)
		value, _ := j.Applying(k.ID, at)
		k.Load = value.Load
		out[name] = k
	}
	return out, nil
}
