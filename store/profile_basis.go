package store

import (
	"context"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

// Basis loads what a profile is composed from: each preinstalled package that
// a build of its models ships, with its effective load and its figures for the
// methods of the rules and what phones of the model attribute to it, and the captured
// builds with what rests on what.
func (s *Store) Basis(ctx context.Context, p Profile, rules profile.Rules) (profile.Basis, error) {
	return s.basis(ctx, s.pool, p, rules)
}

func (s *Store) basis(ctx context.Context, q querier, p Profile, rules profile.Rules) (profile.Basis, error) {
	b := profile.Basis{}
	var models []uuid.UUID
	for i, m := range append([]ProfileModel{{p.ModelID, p.Model, p.ModelName, "", ""}}, p.Sisters...) {
		sc, err := findScope(ctx, q, p.Maker, m.Slug, "")
		if err != nil {
			return b, err
		}
		if i == 0 {
			b.Form = sc.Model.Form
		}
		models = append(models, sc.Model.ID)
		list, err := s.candidatesBy(ctx, q, sc, rules.AllMethods())
		if err != nil {
			return b, err
		}
		b.Candidates = cautious(b.Candidates, list)
	}
	var err error
	b.Builds, err = s.grounds(ctx, q, models)
	return b, err
}

// candidatesBy loads candidates of a model with their figures by several methods; the
// first is the usual one.
func (s *Store) candidatesBy(ctx context.Context, q querier, sc Scope, methods []evidence.Method) ([]profile.Candidate, error) {
	list, err := s.candidates(ctx, q, sc, string(methods[0]), nil)
	if err != nil {
		return nil, err
	}
	uses, err := usesOn(ctx, q, sc.Model.ID)
	if err != nil {
		return nil, err
	}
	for i, c := range list {
		if u, ok := uses[c.Package]; ok {
			list[i].Uses = &profile.Uses{Use: u.Use, Phones: u.Phones}
		}
	}
	for _, m := range methods[1:] {
		others, err := s.candidates(ctx, q, sc, string(m), nil)
		if err != nil {
			return nil, err
		}
		by := make(map[android.PackageName]profile.Figures, len(others))
		for _, c := range others {
			by[c.Package] = c.Figures
		}
		for i := range list {
			if list[i].By == nil {
				list[i].By = map[evidence.Method]profile.Figures{}
			}
			list[i].By[m] = by[list[i].Package]
		}
	}
	return list, nil
}

// cautious adds a sister's candidates: of a package that both ship the heavier
// load stands, and of equal loads the higher ceiling.
func cautious(list, sister []profile.Candidate) []profile.Candidate {
	at := make(map[android.PackageName]int, len(list))
	for i, c := range list {
		at[c.Package] = i
	}
	for _, c := range sister {
		i, ok := at[c.Package]
		switch {
		case !ok:
			list = append(list, c)
		case c.Load.Rank() > list[i].Load.Rank() || c.Load == list[i].Load && c.Ceiling > list[i].Ceiling:
			list[i] = c
		}
	}
	return list
}

// maxGrounds bounds the builds that a profile is composed for.
const maxGrounds = 100

// grounds are the captured builds of models, newest first.
func (s *Store) grounds(ctx context.Context, q querier, models []uuid.UUID) ([]profile.Ground, error) {
	rows, err := q.Query(ctx, `
		select b.id, d.slug, b.fingerprint, b.version, b.release, b.security_patch, b.carrier, b.region
		from builds b join models d on d.id = b.model_id
		where b.model_id = any($1) and exists (select from captures c where c.build_id = b.id)
		order by array_position($1, b.model_id), `+newestBuild+` limit $2`, models, maxGrounds)
	if err != nil {
		return nil, err
	}
	var ids []uuid.UUID
	list, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (g profile.Ground, err error) {
		var id uuid.UUID
		err = r.Scan(&id, &g.Model, &g.Fingerprint, &g.Version, &g.Android, &g.SecurityPatch, &g.Carrier, &g.Region)
		ids = append(ids, id)
		return g, err
	})
	if err != nil {
		return nil, err
	}
	nets, err := s.nets(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	tried, near, err := triedOn(ctx, q, models)
	if err != nil {
		return nil, err
	}
	for i, id := range ids {
		list[i].Net, list[i].Tried, list[i].Near = nets[id], tried[id], near[list[i].Model]
	}
	return list, nil
}

type triedMethods map[android.PackageName][]evidence.Method

func (t triedMethods) add(name android.PackageName, m evidence.Method) {
	if !slices.Contains(t[name], m) {
		t[name] = append(t[name], m)
	}
}

// triedOn are the packages that were taken off phones, by build and by model.
func triedOn(ctx context.Context, q querier, models []uuid.UUID) (map[uuid.UUID]triedMethods, map[string]triedMethods, error) {
	rows, err := q.Query(ctx, `
		select distinct t.build_id, d.slug, p.name, t.method
		from builds b
		join models d on d.id = b.model_id
		join trials t on t.build_id = b.id
		join packages p on p.id = t.package_id
		where b.model_id = any($1) and t.outcome <> 'refused'`, models)
	if err != nil {
		return nil, nil, err
	}
	tried, near := map[uuid.UUID]triedMethods{}, map[string]triedMethods{}
	var build uuid.UUID
	var model string
	var name android.PackageName
	var method evidence.Method
	_, err = pgx.ForEachRow(rows, []any{&build, &model, &name, &method}, func() error {
		if tried[build] == nil {
			tried[build] = triedMethods{}
		}
		if near[model] == nil {
			near[model] = triedMethods{}
		}
		tried[build].add(name, method)
		near[model].add(name, method)
		return nil
	})
	return tried, near, err
}
