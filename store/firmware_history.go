package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
)

// PackageStep is what changed in a package from one build to the next of its
// edition.
type PackageStep struct {
	BuildID   uuid.UUID `db:"build_id" json:"buildId"`
	SinceID   uuid.UUID `db:"since_id" json:"sinceId"`
	Maker     string    `db:"maker" json:"maker"`
	Model     string    `db:"model" json:"model"`
	ModelName string    `db:"model_name" json:"modelName"`
	Version   string    `db:"version" json:"version"`
	Since     string    `db:"since" json:"since"`
	Carrier   string    `db:"carrier" json:"carrier"`
	Region    string    `db:"region" json:"region"`
	// Lane is gone, changed, new, renamed-to or renamed-from; Other is the other
	// name then, and Sure how sure that is.
	Lane  string               `db:"-" json:"lane" enum:"gone,changed,new,renamed-to,renamed-from"`
	Other string               `db:"-" json:"other,omitempty"`
	Sure  float64              `db:"-" json:"sure,omitempty"`
	What  []catalog.Difference `db:"-" json:"what" nullable:"false"`
}

// maxSteps bounds how many pairs of builds are looked at for one package.
const maxSteps = 200

// PackageOverTime tells what changed in a package from build to build in a
// scope, the newest first: where it came, went, or is otherwise than before.
func (s *Store) PackageOverTime(ctx context.Context, sc Scope, name string) ([]PackageStep, error) {
	args := scopeArgs(sc)
	args["name"], args["limit"] = name, maxSteps
	rows, err := s.pool.Query(ctx, `
		select b.id as build_id, a.since_id, m.slug as maker, d.slug as model, d.name as model_name, b.version,
			o.version as since, b.carrier, b.region,
			x.facts_id, y.facts_id as before, coalesce(x.switched_off, false) as off,
				coalesce(y.switched_off, false) as was_off,
			(select r
				from jsonb_array_elements(a.summary -> 'renamed') r
				where r ->> 'from' = @name or r ->> 'to' = @name
				limit 1) as renamed
		from packages p
		join shipped_by z on z.package_id = p.id
		join models d on d.id = z.model_id
		join makers m on m.id = d.maker_id
			join builds b on b.model_id = d.id
			join arrivals a on a.build_id = b.id and a.since_id is not null
			join builds o on o.id = a.since_id
			left
			join presence x on x.build_id = b.id and x.package_id = p.id
			left join presence y on y.build_id = a.since_id and y.package_id = p.id
		where p.name = @name and (@maker = `+everywhereID+`::uuid or m.id = @maker)
			and (@model = `+everywhereID+`::uuid or d.id = @model)
			and (x.facts_id is distinct from y.facts_id
				or coalesce(x.switched_off, false) <> coalesce(y.switched_off, false))
		order by m.name, d.name, b.carrier, b.region, b.security_patch desc, b.version_key desc limit @limit`, args)
	type pair struct {
		PackageStep
		Facts   *uuid.UUID       `db:"facts_id"`
		Before  *uuid.UUID       `db:"before"`
		Off     bool             `db:"off"`
		WasOff  bool             `db:"was_off"`
		Renamed *catalog.Renamed `db:"renamed"`
	}
	pairs, err := collectRows[pair](rows, err)
	if err != nil {
		return nil, err
	}
	facts := map[uuid.UUID]catalog.Shipped{}
	for _, p := range pairs {
		for _, id := range []*uuid.UUID{p.Facts, p.Before} {
			if id != nil {
				facts[*id] = catalog.Shipped{}
			}
		}
	}
	if err := readFacts(ctx, s.pool, facts); err != nil {
		return nil, err
	}
	list := make([]PackageStep, 0, len(pairs))
	for _, p := range pairs {
		step := p.PackageStep
		step.What = []catalog.Difference{}
		switch {
		case p.Before == nil:
			step.Lane = "new"
			if p.Renamed != nil && p.Renamed.To == name {
				step.Lane, step.Other, step.Sure = "renamed-from", p.Renamed.From, p.Renamed.Sure
			}
		case p.Facts == nil:
			step.Lane = "gone"
			if p.Renamed != nil && p.Renamed.From == name {
				step.Lane, step.Other, step.Sure = "renamed-to", p.Renamed.To, p.Renamed.Sure
			}
		default:
			before, after := facts[*p.Before], facts[*p.Facts]
			before.SwitchedOff, after.SwitchedOff = p.WasOff, p.Off
			c := catalog.Compare([]catalog.Shipped{before}, []catalog.Shipped{after})
			if len(c.Changed) == 0 {
				continue // only what is not compared differs
			}
			step.Lane, step.What = "changed", c.Changed[0].What
		}
		list = append(list, step)
	}
	return list, nil
}

// readFacts fills in facts by their ids.
func readFacts(ctx context.Context, q querier, facts map[uuid.UUID]catalog.Shipped) error {
	ids := make([]uuid.UUID, 0, len(facts))
	for id := range facts {
		ids = append(ids, id)
	}
	rows, err := q.Query(ctx, `
		select f.id, p.name, f.version_code, f.version_name, f.path, f.partition, f.privileged, f.persistent,
			f.starts_at_boot, f.shared_user, f.details
		from facts f join packages p on p.id = f.package_id where f.id = any($1)`, ids)
	if err != nil {
		return err
	}
	var id uuid.UUID
	var x catalog.Shipped
	var d detail
	_, err = pgx.ForEachRow(rows, []any{&id, &x.Name, &x.VersionCode, &x.VersionName, &x.Path, &x.Partition, &x.Privileged, &x.Persistent, &x.StartsAtBoot, &x.SharedUser, &d}, func() error {
		one := x
		d.into(&one)
		facts[id], d = one, detail{}
		return nil
	})
	return err
}
