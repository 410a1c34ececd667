package store

import (
	"cmp"
	"context"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgxpool"

	"roster/core/catalog"
	"roster/core/profile"
)

// CarriedOver is what becomes of what is known of a package on another build.
type CarriedOver struct {
	Name   string         `json:"name"`
	Label  string         `json:"label"`
	Origin string         `json:"origin"`
	Then   catalog.Judged `json:"then"`
	Now    catalog.Judged `json:"now"`
	catalog.Carry
	Taken []profile.Ref `json:"taken" nullable:"false"`
}

// leastRise is by how much a ceiling must be higher to be told of: a point.
const leastRise = 0.01

// CarriedOver lists the packages that two builds have in common and of which
// something is worse on the second: a ceiling that rose, or a load that no
// longer stands. It may lag: see MayLag.
func (s *Store) CarriedOver(ctx context.Context, from, to uuid.UUID) (list []CarriedOver, err error) {
	err = s.lagging(ctx, func(pool *pgxpool.Pool) error {
		list, err = s.carriedOver(ctx, pool, from, to)
		return err
	})
	return list, err
}

func (s *Store) carriedOver(ctx context.Context, q *pgxpool.Pool, from, to uuid.UUID) ([]CarriedOver, error) {
	before, after, err := s.sides(ctx, q, Side{"build", from}, Side{"build", to})
	if err != nil {
		return nil, err
	}
	both := []string{}
	was := map[string]bool{}
	for _, p := range before.shipped {
		was[p.Name] = true
	}
	for _, p := range after.shipped {
		if was[p.Name] {
			both = append(both, p.Name)
		}
	}
	then, now, err := s.judgedOnBoth(ctx, q, before, after, both)
	if err != nil {
		return nil, err
	}
	list, names := []CarriedOver{}, []string{}
	for name, j := range now {
		was, ok := then[name]
		if !ok {
			continue
		}
		if c := catalog.CarryOver(was, j); !c.Stands || c.Rose >= leastRise {
			list, names = append(list, CarriedOver{Name: name, Then: was, Now: j, Carry: c, Taken: []profile.Ref{}}), append(names, name)
		}
	}
	taken, err := takenBy(ctx, q, []uuid.UUID{after.scope.Model.ID}, names)
	if err != nil {
		return nil, err
	}
	named, err := namedPackages(ctx, q, names)
	if err != nil {
		return nil, err
	}
	for i := range list {
		p := &list[i]
		p.Label, p.Origin = named[p.Name].label, named[p.Name].origin
		p.Taken = append(p.Taken, taken[p.Name]...)
	}
	slices.SortFunc(list, func(a, b CarriedOver) int {
		if a.Stands != b.Stands {
			if !a.Stands {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(b.Rose, a.Rose), cmp.Compare(a.Name, b.Name))
	})
	return list, nil
}
