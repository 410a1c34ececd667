package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Followed is something that a person wants to hear of.
type Followed struct {
	// Kind is package, model or profile: the latter with all its releases.
	Kind string    `db:"kind" json:"kind" enum:"package,model,profile"`
	ID   uuid.UUID `db:"id" json:"id"`
	// Name is what people call it, Maker and Model the scope that it lies in;
	// empty for packages.
	Name  string    `db:"name" json:"name"`
	Maker string    `db:"maker" json:"maker"`
	Model string    `db:"model" json:"model"`
	At    time.Time `db:"at" json:"at"`
}

// maxFollows bounds what one person follows.
const maxFollows = 1000

// ErrTooManyFollows says that a person follows more than can be told of.
var ErrTooManyFollows = errors.New("you follow a thousand things already: let some go first")

// Follow makes a person hear of what happens to something; ErrNotFound where
// there is no such thing.
func (s *Store) Follow(ctx context.Context, person uuid.UUID, kind string, subject uuid.UUID) error {
	table, ok := map[string]string{"package": "packages", "model": "models", "profile": "profiles"}[kind]
	if !ok {
		return ErrNotFound
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var n int
		if err := tx.QueryRow(ctx, `select count(*) from follows where person_id = $1`, person).Scan(&n); err != nil {
			return err
		}
		if n >= maxFollows {
			return ErrTooManyFollows
		}
		var there bool
		if err := tx.QueryRow(ctx, `
			select exists (select from `+table+` where id = $1)`, subject).Scan(&there); err != nil {
			return err
		}
		if !there {
			return ErrNotFound
		}
		_, err := tx.Exec(ctx, `
			insert into follows (person_id, kind, subject_id)
			values ($1, $2, $3)
			on conflict
			do nothing`, person, kind, subject)
		return err
	})
}

// Unfollow ends that.
func (s *Store) Unfollow(ctx context.Context, person uuid.UUID, kind string, subject uuid.UUID) error {
	_, err := s.pool.Exec(ctx, `
		delete from follows where person_id = $1 and kind = $2 and subject_id = $3`, person, kind, subject)
	return err
}

// Follows lists what a person follows, by kind and name.
func (s *Store) Follows(ctx context.Context, person uuid.UUID) ([]Followed, error) {
	rows, err := s.pool.Query(ctx, `
		select f.kind, f.subject_id as id,
			coalesce(k.name, m.name || ' ' || d.name || coalesce(': ' || p.name, ''), '') as name,
			coalesce(m.slug, '') as maker, coalesce(d.slug, '') as model, f.at
		from follows f left join packages k on f.kind = 'package' and k.id = f.subject_id
			left join profiles p on f.kind = 'profile' and p.id = f.subject_id
			left
			join models d on d.id = case f.kind when 'model' then f.subject_id else p.model_id end
			left join makers m on m.id = d.maker_id
		where f.person_id = $1 order by 1, 3 limit $2`, person, maxFollows)
	return collectRows[Followed](rows, err)
}

// FollowsIt reports whether a person follows something.
func (s *Store) FollowsIt(ctx context.Context, person uuid.UUID, kind string, subject uuid.UUID) (follows bool, err error) {
	err = s.pool.QueryRow(ctx, `
		select exists (select from follows
			where person_id = $1 and kind = $2 and subject_id = $3)`, person, kind, subject).Scan(&follows)
	return follows, err
}

// followers are those who follow one of some things of a kind.
func followers(ctx context.Context, q querier, kind string, subjects ...uuid.UUID) ([]uuid.UUID, error) {
	rows, err := q.Query(ctx, `
		select distinct person_id from follows where kind = $1 and subject_id = any($2)`, kind, subjects)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// maintainersAndFollowers are all who have to know what befalls a profile's
// release on a model.
func maintainersAndFollowers(ctx context.Context, q querier, profile, model uuid.UUID) ([]uuid.UUID, error) {
	rows, err := q.Query(ctx, `
		select id from people where role in ('maintainer', 'keeper') and removed_at is null
		union select person_id
		from follows
		where kind = 'profile' and subject_id = $1 or kind = 'model' and subject_id = $2`, profile, model)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// followersOfRelease are those who follow a release's profile, its models, or
// a package that it takes off.
func followersOfRelease(ctx context.Context, q querier, release uuid.UUID) ([]uuid.UUID, error) {
	rows, err := q.Query(ctx, `
		select f.person_id from releases r join profiles p on p.id = r.profile_id
			join follows f on f.kind = 'profile' and f.subject_id = p.id or f.kind = 'model'
				and (f.subject_id = p.model_id
					or f.subject_id in (select y.model_id from profile_sisters y where y.profile_id = p.id))
		where r.id = $1
		union select f.person_id
		from release_packages x
		join follows f on f.kind = 'package' and f.subject_id = x.package_id
		where x.release_id = $1`, release)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// tellArrived tells those who follow a model of builds that were captured for
// the first time, and those who follow a package what became of it there.
func tellArrived(ctx context.Context, tx pgx.Tx, builds []uuid.UUID) error {
	for _, build := range builds {
		rows, err := tx.Query(ctx, `select `+arrivalColumns+` from arrivals a where a.build_id = $1`, build)
		a, err := one[Arrival](rows, err)
		if err != nil {
			return err
		}
		var model uuid.UUID
		var name string
		if err := tx.QueryRow(ctx, `
			select d.id, concat_ws(' ', d.name, nullif(b.carrier, ''), nullif(b.region, ''), b.version)
			from builds b
			join models d on d.id = b.model_id
			where b.id = $1`, build).Scan(&model, &name); err != nil {
			return err
		}
		people, err := followers(ctx, tx, "model", model)
		if err != nil {
			return err
		}
		words := "Firmware " + name + " arrived"
		if a.SinceID != nil {
			words += ": " + a.Summary.Words(a.Back)
		}
		if err := addNotices(ctx, tx, people, NewNotice{Kind: "followed-model", Build: &build, Words: words + "."}); err != nil {
			return err
		}
		if err := tellOfPackages(ctx, tx, a, name); err != nil {
			return err
		}
	}
	return nil
}

// tellOfPackages tells those who follow packages that came, went or have
// another name with a build.
func tellOfPackages(ctx context.Context, tx pgx.Tx, a Arrival, build string) error {
	words := map[string]string{}
	for _, n := range a.Summary.Gone {
		words[n] = "It is gone from " + build + "."
	}
	for _, n := range a.Summary.New {
		words[n] = "It is new on " + build + "."
	}
	for _, r := range a.Summary.Renamed {
		words[r.From] = fmt.Sprintf("On %s it is probably called %s.", build, r.To)
	}
	rows, err := tx.Query(ctx, `
		select p.id, p.name, array_agg(f.person_id)
		from follows f
		join packages p on p.id = f.subject_id
		where f.kind = 'package' and p.name = any($1)
		group by 1, 2`, sortedKeys(words))
	if err != nil {
		return err
	}
	type told struct {
		id     uuid.UUID
		name   string
		people []uuid.UUID
	}
	list, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (t told, err error) {
		return t, r.Scan(&t.id, &t.name, &t.people)
	})
	if err != nil {
		return err
	}
	for _, t := range list {
		if err := addNotices(ctx, tx, t.people, NewNotice{Kind: "followed-package", Package: &t.id, Build: &a.BuildID, Words: words[t.name]}); err != nil {
			return err
		}
	}
	return nil
}

// fieldNames are fields of the catalogue as people call them.
var fieldNames = map[string]string{
	"load":        "load",
	"trial":       "trials",
	"description": "what it does",
	"origin":      "who put it there",
	"functions":   "functions",
	"labels":      "names",
	"aliases":     "other names",
	"source":      "sources",
	"substitutes": "substitutes",
	"countries":   "countries",
	"links":       "what it rests on",
}

// tellFollowersOfPackages tells those who follow packages which of their fields
// a change has moved.
func tellFollowersOfPackages(ctx context.Context, tx pgx.Tx, fields map[uuid.UUID][]string, change, by uuid.UUID) error {
	ids := make([]uuid.UUID, 0, len(fields))
	for id := range fields {
		ids = append(ids, id)
	}
	rows, err := tx.Query(ctx, `
		select subject_id, array_agg(person_id)
		from follows
		where kind = 'package' and subject_id = any($1)
		group by 1`, ids)
	if err != nil {
		return err
	}
	people := map[uuid.UUID][]uuid.UUID{}
	var id uuid.UUID
	var list []uuid.UUID
	if _, err := pgx.ForEachRow(rows, []any{&id, &list}, func() error { people[id], list = list, nil; return nil }); err != nil {
		return err
	}
	for id, list := range people {
		var names []string
		for _, f := range fields[id] {
			names = append(names, fieldNames[f])
		}
		slices.Sort(names)
		if err := addNotices(ctx, tx, list, NewNotice{Kind: "followed-package", Package: &id, Change: &change, By: &by, Words: "Changed: " + strings.Join(names, ", ") + "."}); err != nil {
			return err
		}
	}
	return nil
}
