package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/change"
)

// BuildCover is what is known of one build, counted.
type BuildCover struct {
	ID        uuid.UUID `db:"id" json:"id"`
	Maker     string    `db:"maker" json:"maker"`
	MakerName string    `db:"maker_name" json:"makerName"`
	ModelID   uuid.UUID `db:"model_id" json:"modelId"`
	Model     string    `db:"model" json:"model"`
	ModelName string    `db:"model_name" json:"modelName"`
	Version   string    `db:"version" json:"version"`
	Release   string    `db:"release" json:"release"`
	Carrier   string    `db:"carrier" json:"carrier"`
	Region    string    `db:"region" json:"region"`
	// SecurityPatch is as the phone tells it, 2026-03-05.
	SecurityPatch string `db:"security_patch" json:"securityPatch"`
	// Packages is how many it ships, 0 where nobody captured it; Graded those
	// with a load that applies there, Tried those that were taken off phones of
	// it.
	Packages int `db:"packages" json:"packages"`
	Graded   int `db:"graded" json:"graded"`
	Tried    int `db:"tried" json:"tried"`
	// Wanted are packages that current releases of the model take off and that
	// nobody has tried on it.
	Wanted     int        `db:"wanted" json:"wanted"`
	Phones     int        `db:"phones" json:"phones"`
	People     int        `db:"people" json:"people"`
	CapturedAt *time.Time `db:"captured_at" json:"capturedAt,omitempty"`
}

const coverColumns = `
	select b.id, m.slug as maker, m.name as maker_name, d.id as model_id, d.slug as model, d.name as model_name,
		b.version, b.release, b.carrier, b.region, b.security_patch,
		coalesce(v.packages, 0) as packages, coalesce(v.graded, 0) as graded, coalesce(v.tried, 0) as tried,
			coalesce(v.wanted, 0) as wanted, coalesce(v.phones, 0) as phones, coalesce(v.people, 0) as people,
			v.captured_at
	from builds b
	join models d on d.id = b.model_id
	join makers m on m.id = d.maker_id
	left join build_cover v on v.build_id = b.id`

// BuildCovers lists what is known of the builds of models, in the order of
// ModelCovers, oldest first.
func (s *Store) BuildCovers(ctx context.Context, models []uuid.UUID, limit int) ([]BuildCover, error) {
	rows, err := s.pool.Query(ctx, coverColumns+`
		where d.id = any($1)
		order by m.name, m.id, d.name, d.id, `+oldestFirst+` limit $2`, models, limit)
	return collectRows[BuildCover](rows, err)
}

// BuildCoverOf is what is known of one build.
func (s *Store) BuildCoverOf(ctx context.Context, build uuid.UUID) (BuildCover, error) {
	rows, err := s.pool.Query(ctx, coverColumns+` where b.id = $1`, build)
	return one[BuildCover](rows, err)
}

// ModelCover is what is known of a model's builds together.
type ModelCover struct {
	Maker     string    `db:"maker" json:"maker"`
	MakerName string    `db:"maker_name" json:"makerName"`
	ID        uuid.UUID `db:"id" json:"id"`
	Model     string    `db:"model" json:"model"`
	ModelName string    `db:"model_name" json:"modelName"`
	Form      string    `db:"form" json:"form"`
	CoverSum
	Phones int `db:"phones" json:"phones"`
	// People is of the build that most people captured.
	People     int        `db:"people" json:"people"`
	CapturedAt *time.Time `db:"captured_at" json:"capturedAt,omitempty"`
	Releases   int        `db:"releases" json:"releases"`
}

// MakerCover is what is known of a maker's models together.
type MakerCover struct {
	Maker  string `db:"maker" json:"maker"`
	Name   string `db:"name" json:"name"`
	Models int    `db:"models" json:"models"`
	CoverSum
}

// CoverSum sums what is known of builds.
type CoverSum struct {
	Builds   int `db:"builds" json:"builds"`
	Captured int `db:"captured" json:"captured"`
	Packages int `db:"packages" json:"packages"`
	Graded   int `db:"graded" json:"graded"`
	Tried    int `db:"tried" json:"tried"`
	Wanted   int `db:"wanted" json:"wanted"`
}

// Plus sums two sums.
func (c CoverSum) Plus(d CoverSum) CoverSum {
	return CoverSum{c.Builds + d.Builds, c.Captured + d.Captured, c.Packages + d.Packages, c.Graded + d.Graded, c.Tried + d.Tried, c.Wanted + d.Wanted}
}

const coverSum = `coalesce(sum(v.builds), 0)::int as builds, coalesce(sum(v.captured), 0)::int as captured,
			coalesce(sum(v.packages), 0)::int as packages, coalesce(sum(v.graded), 0)::int as graded,
			coalesce(sum(v.tried), 0)::int as tried, coalesce(sum(v.wanted), 0)::int as wanted`

// MakerCovers lists what is known of the makers in a scope, by name.
func (s *Store) MakerCovers(ctx context.Context, sc Scope) ([]MakerCover, error) {
	rows, err := s.pool.Query(ctx, `
		select m.slug as maker, m.name, count(*)::int as models, `+coverSum+`
		from makers m
		join models d on d.maker_id = m.id
		left join model_cover v on v.model_id = d.id
		where (@maker = `+everywhereID+`::uuid or m.id = @maker)
			and (@model = `+everywhereID+`::uuid or d.id = @model)
		group by m.id order by m.name, m.id`, scopeArgs(sc))
	return collectRows[MakerCover](rows, err)
}

// CoverQuery says which models to tell of.
type CoverQuery struct {
	Scope Scope
	// Sort is one of CoverSorts.
	Sort string
	// After is where the page before ended, nil for the first.
	After *CoverPlace
	Limit int
}

// CoverPlace is the place of a model in the order of a CoverQuery.
type CoverPlace struct {
	Order float64   `json:"o"`
	Maker string    `json:"m"`
	Name  string    `json:"n"`
	ID    uuid.UUID `json:"i"`
}

// CoverSorts are the orders of models, each as a number that grows from first to
// last; makers and names decide between equals.
var CoverSorts = map[string]string{
	"model":  `0`,
	"tried":  `coalesce(v.tried::float8 / nullif(v.packages, 0), 0)`,
	"graded": `coalesce(v.graded::float8 / nullif(v.packages, 0), 0)`,
	"wanted": `-coalesce(v.wanted, 0)`,
	"age":    `coalesce(extract(epoch from v.captured_at), 0)`,
}

// ModelCovers lists what is known of models, and the place of the next page's
// first, nil where there is none.
func (s *Store) ModelCovers(ctx context.Context, q CoverQuery) (list []ModelCover, next *CoverPlace, err error) {
	sort, ok := CoverSorts[q.Sort]
	if !ok {
		return nil, nil, fmt.Errorf("coverage has no sort %q", q.Sort)
	}
	args, after := scopeArgs(q.Scope), ""
	args["limit"] = q.Limit + 1
	if p := q.After; p != nil {
		args["order"], args["after_maker"], args["after_name"], args["after"] = p.Order, p.Maker, p.Name, p.ID
		after = `where (ord, maker_name, model_name, id) > (@order::float8, @after_maker, @after_name, @after::uuid)`
	}
	type placed struct {
		ModelCover
		Order float64 `db:"ord"`
	}
	rows, err := s.pool.Query(ctx, `
		with known as (select m.slug as maker, m.name as maker_name, d.id, d.slug as model, d.name as model_name,
				d.form, (`+sort+`)::float8 as ord
			from models d
			join makers m on m.id = d.maker_id
			left join model_cover v on v.model_id = d.id
			where (@maker = `+everywhereID+`::uuid or m.id = @maker)
				and (@model = `+everywhereID+`::uuid or d.id = @model))
		select k.*, coalesce(v.builds, 0) as builds, coalesce(v.captured, 0) as captured,
			coalesce(v.packages, 0) as packages, coalesce(v.graded, 0) as graded, coalesce(v.tried, 0) as tried,
			coalesce(v.wanted, 0) as wanted, coalesce(v.phones, 0) as phones, coalesce(v.people, 0) as people,
			v.captured_at,
			(select count(*)
				from profiles p
				join releases r on r.profile_id = p.id
				where p.model_id = k.id and r.state = 'current')::int as releases
		from (select * from known `+after+` order by ord, maker_name, model_name, id limit @limit) k
		left join model_cover v on v.model_id = k.id
		order by k.ord, k.maker_name, k.model_name, k.id`, args)
	found, err := collectRows[placed](rows, err)
	list = make([]ModelCover, 0, q.Limit)
	for i, m := range found {
		if i == q.Limit {
			last := found[i-1]
			next = &CoverPlace{last.Order, last.MakerName, last.ModelName, last.ID}
			break
		}
		list = append(list, m.ModelCover)
	}
	return list, next, err
}

// Helpful lists the captured builds of a scope on which one more phone would
// help most: those of which most packages that releases take off are untried,
// then those of which least was tried at all; the newest first.
func (s *Store) Helpful(ctx context.Context, sc Scope, limit int) ([]BuildCover, error) {
	args := scopeArgs(sc)
	args["limit"] = limit
	rows, err := s.pool.Query(ctx, `
		with best as (select v.build_id
			from build_cover v
			join builds b on b.id = v.build_id
			join models d on d.id = b.model_id
			where (@maker = `+everywhereID+`::uuid or d.maker_id = @maker)
				and (@model = `+everywhereID+`::uuid or d.id = @model) and v.packages > 0
				and v.tried < v.packages
			order by v.wanted desc, v.tried::float8 / v.packages, b.security_patch desc, b.id
			limit @limit)`+coverColumns+`
		join best on best.build_id = b.id
		order by v.wanted desc, v.tried::float8 / v.packages, b.security_patch desc, b.id`, args)
	return collectRows[BuildCover](rows, err)
}

// staleCover marks what is known of models as to be counted anew.
func staleCover(ctx context.Context, tx pgx.Tx, models []uuid.UUID) error {
	_, err := tx.Exec(ctx, `update models set cover_stale = true where id = any($1) and not cover_stale`, models)
	return err
}

// coverMoved is what moves coverage: trials on builds, loads in places, and loads
// everywhere of packages.
type coverMoved struct{ builds, places, packages []uuid.UUID }

// add takes note of an accepted edit.
func (c *coverMoved) add(e decidedEdit) {
	switch e.Field {
	case string(change.Trial):
		t, readable := Edit{Field: e.Field, Value: e.stands(), Base: e.Base, Takes: e.Takes}.trial()
		if build, err := uuid.Parse(t.Build); readable && err == nil {
			c.builds = append(c.builds, build)
		} else {
			c.packages = append(c.packages, e.PackageID)
		}
	case string(change.Load):
		if e.ScopeKind == string(catalog.Everywhere) {
			c.packages = append(c.packages, e.PackageID)
		} else {
			c.places = append(c.places, e.ScopeID)
		}
	}
}

// stale has coverage counted anew of the models that it concerns.
func (c *coverMoved) stale(ctx context.Context, tx pgx.Tx) error {
	if len(c.builds)+len(c.places)+len(c.packages) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `
		update models
		set cover_stale = true
		where not cover_stale and id in (
			select model_id from builds where id = any($1) or id = any($2)
			union select id from models where id = any($2) or maker_id = any($2)
			union select model_id from shipped_by where package_id = any($3))`, c.builds, c.places, c.packages)
	return err
}

// countedAtOnce bounds how many models are counted in one transaction.
const countedAtOnce = 20

// CountCover counts anew what is known of some models where that has moved. It
// returns those: none when all is counted.
func (s *Store) CountCover(ctx context.Context) (models []uuid.UUID, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			select id
			from models
			where cover_stale
			order by id
			limit $1 for no key update skip locked`, countedAtOnce)
		if err != nil {
			return err
		}
		models, err = pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		if err != nil || len(models) == 0 {
			return err
		}
		_, err = tx.Exec(ctx, `
			with here as (select b.id, b.model_id, d.maker_id
				from builds b
				join models d on d.id = b.model_id
				where b.model_id = any($1)),
			shipped as (
				select h.id, x.package_id,
					exists (select from claims k
						where k.package_id = x.package_id and k.field = 'load' and k.value is not null
							and k.scope_id in (`+everywhereID+`, h.maker_id, h.model_id,
								h.id)) as graded,
					t.build_id is not null as tried,
					w.package_id is not null as released
				from here h join presence x on x.build_id = h.id
					left
					join (select distinct t.build_id, t.package_id
						from here h
						join trials t on t.build_id = h.id
						where `+trialGone+`) t on t.build_id = h.id
						and t.package_id = x.package_id
					left join (
						select distinct m.model_id, y.package_id from (
							select r.id, p.model_id
							from releases r
							join profiles p on p.id = r.profile_id
							where r.state = 'current' and p.model_id = any($1)
							union select r.id, z.model_id
							from releases r
							join profile_sisters z on z.profile_id = r.profile_id
							where r.state = 'current' and z.model_id = any($1)) m
						join release_packages y on y.release_id = m.id
							and y.method is distinct from 'quieten') w on w.model_id = h.model_id
							and w.package_id = x.package_id)
			insert into build_cover (build_id, packages, graded, tried, wanted, phones, people, captured_at)
			select h.id, count(s.id), count(*) filter (where s.graded), count(*) filter (where s.tried),
				count(*) filter (where s.released and not s.tried), c.phones, c.people, c.at
			from here h left join shipped s on s.id = h.id
				cross
				join lateral (select count(distinct nullif(c.phone, '')) as phones,
					count(distinct c.person_id) as people,
					max(c.taken_at) as at from captures c where c.build_id = h.id) c
			group by h.id, c.phones, c.people, c.at
			on conflict (build_id)
			do update set packages = excluded.packages, graded = excluded.graded, tried = excluded.tried,
				wanted = excluded.wanted,
				phones = excluded.phones, people = excluded.people, captured_at = excluded.captured_at`, models)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into model_cover
			select b.model_id, count(*), count(*) filter (where v.packages > 0), sum(v.packages), sum(v.graded),
				sum(v.tried), sum(v.wanted), sum(v.phones), max(v.people), max(v.captured_at)
			from builds b
			join build_cover v on v.build_id = b.id
			where b.model_id = any($1)
			group by 1
			on conflict (model_id)
			do update set builds = excluded.builds, captured = excluded.captured, packages = excluded.packages,
				graded = excluded.graded, tried = excluded.tried, wanted = excluded.wanted, phones = excluded.phones,
				people = excluded.people, captured_at = excluded.captured_at`, models)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update models set cover_stale = false where id = any($1)`, models); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: CoverageCounted})
	})
	return models, err
}
