package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
)

// Standing finds the build that stands for a scope where packages are asked
// about: the newest of those that ship most of them. ErrNotFound where none
// ships any.
func (s *Store) Standing(ctx context.Context, sc Scope, names []string) (Build, error) {
	if sc.Build != nil {
		return *sc.Build, nil
	}
	args := scopeArgs(sc)
	args["names"] = names
	rows, err := s.pool.Query(ctx, `
		select `+buildColumns+` from builds b join models d on d.id = b.model_id
			join (select x.build_id, count(*) as shipped
				from presence x
				where x.package_id = any(array(select id from packages where name = any(@names)))
				group by 1) n on n.build_id = b.id
		where (@maker = `+everywhereID+`::uuid or d.maker_id = @maker)
			and (@model = `+everywhereID+`::uuid or d.id = @model)
		order by n.shipped desc, `+newestBuild+` limit 1`, args)
	return one[Build](rows, err)
}

// Structure is what rests on a package in the scope: of the newest build of
// each model there the words that call for the heaviest load.
func (s *Store) Structure(ctx context.Context, sc Scope, name string) (evidence.Structure, error) {
	args := scopeArgs(sc)
	args["name"] = name
	var build uuid.UUID
	err := s.pool.QueryRow(ctx, `
		select n.id from shipped_by x join packages p on p.id = x.package_id and p.name = @name cross join lateral (
				select b.id
				from builds b
				where b.model_id = x.model_id and exists (select from captures c where c.build_id = b.id)
				order by `+newestBuild+` limit 1) n
		where `+shippedInScope+` order by array_position(`+calledOrder+`, x.called) limit 1`, args).Scan(&build)
	if isNone(err) {
		return evidence.Structure{}, nil
	}
	if err != nil {
		return evidence.Structure{}, err
	}
	net, err := s.Net(ctx, build)
	if err != nil {
		return evidence.Structure{}, err
	}
	return net.Structure(android.PackageName(name)), nil
}

// SaidOf is what loads and trials say of packages that might go, in the scope.
func (s *Store) SaidOf(ctx context.Context, sc Scope, method string, names []string) (map[android.PackageName]profile.Candidate, impact.Known, error) {
	known := impact.Known{Conditions: map[android.PackageName][]string{}, Refused: map[android.PackageName]int{}, ComesBack: map[android.PackageName]int{}}
	list, err := s.candidates(ctx, s.pool, sc, method, names)
	out := make(map[android.PackageName]profile.Candidate, len(list))
	for _, c := range list {
		out[c.Package] = c
		known.Conditions[c.Package], known.Refused[c.Package], known.ComesBack[c.Package] = c.Conditions, c.Refused, c.ComesBack
	}
	return out, known, err
}

// LinkNews is a build with which what rests on a package changed.
type LinkNews struct {
	Build  Build         `json:"build"`
	Since  Build         `json:"since"`
	Gained []impact.Link `json:"gained" nullable:"false"`
	Lost   []impact.Link `json:"lost" nullable:"false"`
}

// maxNews bounds how many builds are compared for one package.
const maxNews = 24

// LinkNews compares, for a package, each build of a model with the one before
// it in its edition, newest first.
func (s *Store) LinkNews(ctx context.Context, model uuid.UUID, name android.PackageName) ([]LinkNews, error) {
	rows, err := s.pool.Query(ctx, `
		select `+buildColumns+`
		from builds b
		where b.model_id = $1 and exists (select from captures c where c.build_id = b.id)
		order by b.carrier, b.region, b.security_patch desc, b.version_key desc limit $2`, model, maxNews)
	builds, err := collectRows[Build](rows, err)
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(builds))
	for i, b := range builds {
		ids[i] = b.ID
	}
	nets, err := s.nets(ctx, s.pool, ids)
	if err != nil {
		return nil, err
	}
	news := []LinkNews{}
	for i := 1; i < len(builds); i++ {
		newer, older := builds[i-1], builds[i]
		if newer.Carrier != older.Carrier || newer.Region != older.Region || !nets[newer.ID].Has(name) || !nets[older.ID].Has(name) {
			continue
		}
		d := impact.Compare(nets[older.ID], nets[newer.ID])
		n := LinkNews{newer, older, about(d.Gained, name), about(d.Lost, name)}
		if len(n.Gained)+len(n.Lost) > 0 {
			news = append(news, n)
		}
	}
	return news, nil
}

// about are the links in which a package is, without those that say little: a
// user that both run as, a permission that anybody may ask for.
func about(links []impact.Link, name android.PackageName) []impact.Link {
	list := []impact.Link{}
	for _, l := range links {
		if (l.From == name || l.On == name) && l.Serves() {
			list = append(list, l)
		}
	}
	return list
}

// freshenLinks counts anew what rests on what where a decision accepted links.
func (s *Store) freshenLinks(ctx context.Context, tx pgx.Tx, d *decider) error {
	var packages []uuid.UUID
	for _, e := range d.edits {
		if e.Field == string(change.Links) {
			packages = append(packages, e.PackageID)
		}
	}
	if len(packages) == 0 || d.count["accepted"] == 0 {
		return nil
	}
	rows, err := tx.Query(ctx, `select distinct model_id from shipped_by where package_id = any($1)`, packages)
	if err != nil {
		return err
	}
	models, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return err
	}
	if err := s.freshenResting(ctx, tx, models); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `
		update holds h
		set made_from = ''
		from builds b
		where b.id = h.build_id and b.model_id = any($1)`, models); err != nil {
		return err
	}
	return s.freshenHolds(ctx, tx, models)
}
