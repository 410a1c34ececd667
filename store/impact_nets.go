package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/impact"
)

// netsVersion counts up whenever reading a net changes, so that what an older
// program counted is counted anew.
const netsVersion = 1

// keptNets bounds the nets that a process keeps, netsAtOnce how many are read
// in one go.
const (
	keptNets   = 24_000_000
	netsAtOnce = 24
)

// bytesOf is about how much a net takes.
func bytesOf(n *impact.Net) int { return 900*len(n.Names()) + 250*len(n.Links) }

// netKey is everything that a build's net is read from: captures and facts
// never change, and what a build ships has a stamp.
type netKey struct {
	build, capture uuid.UUID
	shipped        int
	stated         string
}

// standing is a build of which a net can be read, and the capture whose roles,
// administrators and sizes stand for it.
type standing struct {
	ID      uuid.UUID `db:"id"`
	Form    string    `db:"form"`
	Capture uuid.UUID `db:"capture"`
	Shipped int       `db:"shipped_stamp"`
	Facts   []byte    `db:"facts"`
}

// Net reads what rests on what on a build: what all captures of it say that it
// ships, with the roles of the newest one that told any, and the links that
// people state.
func (s *Store) Net(ctx context.Context, build uuid.UUID) (*impact.Net, error) {
	return s.net(ctx, s.pool, build)
}

func (s *Store) net(ctx context.Context, q querier, build uuid.UUID) (*impact.Net, error) {
	nets, err := s.nets(ctx, q, []uuid.UUID{build})
	if err != nil {
		return nil, err
	}
	if nets[build] == nil {
		return nil, fmt.Errorf("build %s: %w", build, ErrNotFound)
	}
	return nets[build], nil
}

// keptLeaning bounds what a process keeps of what leans on builds.
const keptLeaning = 4_000_000

// leaningOn are, for models, the packages that something leans on, or that lean
// on something, on any captured build of them: see impact.Net.Leans.
func (s *Store) leaningOn(ctx context.Context, models []uuid.UUID) (map[uuid.UUID]map[android.PackageName]bool, error) {
	stamp, err := statedStamp(ctx, s.pool)
	if err != nil {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, `
		select b.id, b.model_id, c.id as capture, b.shipped_stamp
		from builds b
		cross join lateral `+standingCapture+` c
		where b.model_id = any($1)`, models)
	type captured struct {
		ID      uuid.UUID `db:"id"`
		Model   uuid.UUID `db:"model_id"`
		Capture uuid.UUID `db:"capture"`
		Shipped int       `db:"shipped_stamp"`
	}
	list, err := collectRows[captured](rows, err)
	if err != nil {
		return nil, err
	}
	out := make(map[uuid.UUID]map[android.PackageName]bool, len(models))
	for _, m := range models {
		out[m] = map[android.PackageName]bool{}
	}
	var missing []captured
	add := func(c captured, names []android.PackageName) {
		for _, name := range names {
			out[c.Model][name] = true
		}
	}
	for _, c := range list {
		if names, ok := s.leaning.get(netKey{c.ID, c.Capture, c.Shipped, stamp}); ok {
			add(c, names)
		} else {
			missing = append(missing, c)
		}
	}
	for some := range slices.Chunk(missing, netsAtOnce) {
		builds := make([]uuid.UUID, len(some))
		for i, c := range some {
			builds[i] = c.ID
		}
		nets, err := s.nets(ctx, s.pool, builds)
		if err != nil {
			return nil, err
		}
		for _, c := range some {
			names := slices.DeleteFunc(slices.Clone(nets[c.ID].Names()), func(name android.PackageName) bool { return !nets[c.ID].Leans(name) })
			s.leaning.put(netKey{c.ID, c.Capture, c.Shipped, stamp}, slices.Clip(names), 100+50*len(names))
			add(c, names)
		}
	}
	return out, nil
}

// standingCapture is the capture that stands for build b: see standing.
const standingCapture = `(select c.id, c.phone_facts from captures c where c.build_id = b.id
				order by (c.phone_facts ? 'roles' or c.phone_facts ? 'keyboards') desc, c.complete desc,
					c.taken_at desc, c.id
				limit 1)`

// madeFrom is everything that the nets of builds are read from: the same for as
// long as they are the same.
func (s *Store) madeFrom(ctx context.Context, builds ...uuid.UUID) (of string, err error) {
	stamp, err := statedStamp(ctx, s.pool)
	if err != nil {
		return "", err
	}
	err = s.pool.QueryRow(ctx, `
		select coalesce(string_agg(concat(b.id, c.id, ' ', b.shipped_stamp, ' '), '' order by b.id), '')
		from builds b
		cross join lateral `+standingCapture+` c
		where b.id = any($1)`, builds).Scan(&of)
	return of + stamp, err
}

// nets reads the nets of builds; builds without a capture have none.
func (s *Store) nets(ctx context.Context, q querier, builds []uuid.UUID) (map[uuid.UUID]*impact.Net, error) {
	stamp, err := statedStamp(ctx, q)
	if err != nil {
		return nil, err
	}
	rows, err := q.Query(ctx, `
		select b.id, d.form, c.id as capture, c.phone_facts as facts, b.shipped_stamp
		from unnest($1::uuid[]) as wanted (id) join builds b using (id) join models d on d.id = b.model_id
			cross join lateral `+standingCapture+` c`, builds)
	list, err := collectRows[standing](rows, err)
	if err != nil {
		return nil, err
	}
	out := make(map[uuid.UUID]*impact.Net, len(list))
	missing := map[uuid.UUID]standing{}
	for _, b := range list {
		if n, ok := s.readNets.get(netKey{b.ID, b.Capture, b.Shipped, stamp}); ok {
			out[b.ID] = n
		} else {
			missing[b.ID] = b
		}
	}
	if len(missing) == 0 {
		return out, nil
	}
	stated, err := statedLinks(ctx, q)
	if err != nil {
		return nil, err
	}
	packages, err := shippedPackages(ctx, q, missing)
	if err != nil {
		return nil, err
	}
	for id, b := range missing {
		phone := impact.Phone{Form: b.Form, Packages: packages[id], Stated: stated}
		if len(b.Facts) > 0 {
			if err := json.Unmarshal(b.Facts, &phone.Facts); err != nil {
				return nil, fmt.Errorf("capture %s: %w", b.Capture, err)
			}
		}
		// Whether one owner had set a code says nothing of the build.
		phone.Facts.LockCode = ""
		out[id] = impact.Read(phone)
		s.readNets.put(netKey{id, b.Capture, b.Shipped, stamp}, out[id], bytesOf(out[id]))
	}
	return out, nil
}

// shippedPackages are what builds ship, with sizes as the capture that stands
// for each tells them. Facts that builds have in common are read once.
func shippedPackages(ctx context.Context, q querier, builds map[uuid.UUID]standing) (map[uuid.UUID][]android.Package, error) {
	var ids, captures []uuid.UUID
	for id, b := range builds {
		ids, captures = append(ids, id), append(captures, b.Capture)
	}
	rows, err := q.Query(ctx, `
		with wanted as (select * from unnest($1::uuid[], $2::uuid[]) w (build, capture)),
		shipped as (select w.build, w.capture, x.package_id, x.facts_id, x.switched_off
			from wanted w
			join presence x on x.build_id = w.build)
		select distinct f.id, p.name, f.path, f.shared_user, f.starts_at_boot, f.persistent, f.details
		from shipped s join facts f on f.id = s.facts_id join packages p on p.id = s.package_id`, ids, captures)
	if err != nil {
		return nil, err
	}
	facts := map[uuid.UUID]android.Package{}
	_, err = pgx.CollectRows(rows, func(r pgx.CollectableRow) (struct{}, error) {
		var id uuid.UUID
		var p android.Package
		var d detail
		if err := r.Scan(&id, &p.Name, &p.Path, &p.SharedUser, &p.StartsAtBoot, &p.Persistent, &d); err != nil {
			return struct{}{}, err
		}
		p.Declares, p.Requests, p.Provides, p.Uses, p.OverlayTarget, p.Signer = d.Declares, d.Requests, d.Provides, d.Uses, d.OverlayTarget, d.Signer
		p.System, p.SystemPath, p.Installed = true, p.Path, true
		facts[id] = p
		return struct{}{}, nil
	})
	if err != nil {
		return nil, err
	}
	rows, err = q.Query(ctx, `
		with wanted as (select * from unnest($1::uuid[], $2::uuid[]) w (build, capture)),
		-- Capture by capture: by package, the platform's are in every other one.
		seen as materialized (select w.build, s.*
			from wanted w
			cross join sightings_of(w.capture) s)
		select x.build_id, x.facts_id, x.switched_off, coalesce(s.updated, false),
			coalesce(s.app_bytes, 0), coalesce(s.data_bytes, 0), coalesce(s.cache_bytes, 0)
		from wanted w
		join presence x on x.build_id = w.build
		left join seen s on s.build = x.build_id and s.package_id = x.package_id`,
		ids, captures)
	if err != nil {
		return nil, err
	}
	out := map[uuid.UUID][]android.Package{}
	var build, id uuid.UUID
	var off, updated bool
	var app, data, cache int64
	_, err = pgx.ForEachRow(rows, []any{&build, &id, &off, &updated, &app, &data, &cache}, func() error {
		p := facts[id]
		p.AppBytes, p.DataBytes, p.CacheBytes = app, data, cache
		p.Enabled = android.EnabledDefault
		if off {
			p.Enabled = android.EnabledOff
		}
		if updated {
			p.Path = "/data/app"
		}
		out[build] = append(out[build], p)
		return nil
	})
	return out, err
}

// statedStamp changes whenever a stated link does.
func statedStamp(ctx context.Context, q querier) (stamp string, err error) {
	err = q.QueryRow(ctx, `
		select count(*) || ' ' || coalesce(max(set_at)::text, '')
		from claims
		where field = '`+string(change.Links)+`'`).Scan(&stamp)
	return stamp, err
}

// statedLinks are the links that people state, everywhere.
func statedLinks(ctx context.Context, q querier) ([]impact.Link, error) {
	rows, err := q.Query(ctx, `
		select p.name, c.value, w.name, c.reason
		from claims c
		join packages p on p.id = c.package_id
		join people w on w.id = c.set_by
		where c.field = '`+string(change.Links)+`' and c.value is not null`)
	if err != nil {
		return nil, err
	}
	var list []impact.Link
	var from android.PackageName
	var value []change.StatedLink
	var person, reason string
	_, err = pgx.ForEachRow(rows, []any{&from, &value, &person, &reason}, func() error {
		for _, l := range value {
			list = append(list, impact.Link{From: from, On: android.PackageName(l.On), Strength: l.Strength, By: []string{l.Why}, Lines: []string{person + " says so: " + l.Why}})
		}
		value = nil
		return nil
	})
	return list, err
}

// freshenResting counts anew how much rests on the packages of models whose
// counts were read from something else than what is known now; nil stands for
// all models.
func (s *Store) freshenResting(ctx context.Context, q querier, models []uuid.UUID) error {
	rows, err := q.Query(ctx, `
		select d.id, b.id as build, d.resting_as as was,
			concat_ws(' ', b.id, (select c.id from `+standingCapture+` c), b.shipped_stamp, $2::text) as is
		from models d
		cross
			join lateral (select b.id, b.shipped_stamp from builds b where b.model_id = d.id
				and exists (select from captures c where c.build_id = b.id)
			order by `+newestBuild+` limit 1) b
		where $1::uuid[] is null or d.id = any($1)
		order by d.id for no key update of d`, models, strconv.Itoa(netsVersion))
	type counted struct {
		ID    uuid.UUID `db:"id"`
		Build uuid.UUID `db:"build"`
		Was   string    `db:"was"`
		Is    string    `db:"is"`
	}
	list, err := collectRows[counted](rows, err)
	if err != nil {
		return err
	}
	stamp, err := statedStamp(ctx, q)
	if err != nil {
		return err
	}
	list = slices.DeleteFunc(list, func(c counted) bool { return c.Was == c.Is+" "+stamp })
	for some := range slices.Chunk(list, netsAtOnce) {
		builds := make([]uuid.UUID, len(some))
		for i, c := range some {
			builds[i] = c.Build
		}
		nets, err := s.nets(ctx, q, builds)
		if err != nil {
			return err
		}
		for _, c := range some {
			if err := writeResting(ctx, q, c.ID, c.Is+" "+stamp, nets[c.Build]); err != nil {
				return err
			}
		}
	}
	return nil
}

func writeResting(ctx context.Context, q querier, model uuid.UUID, as string, n *impact.Net) error {
	var names, called []string
	var hard, soft []int
	resting := n.Resting()
	for _, name := range n.Names() {
		r, load := resting[name], n.Structure(name).Called()
		if r != (impact.Resting{}) || load != "" {
			names, hard, soft, called = append(names, string(name)), append(hard, r.Hard), append(soft, r.Soft), append(called, string(load))
		}
	}
	var done int
	return q.QueryRow(ctx, `
		with counted as (select p.id, c.hard, c.soft, c.called
			from unnest($3::text[], $4::int[], $5::int[], $6::text[]) c (name, hard, soft, called)
			join packages p using (name)),
		now as (select x.package_id, coalesce(c.hard, 0) as hard, coalesce(c.soft, 0) as soft,
			coalesce(c.called, '') as called
			from shipped_by x left join counted c on c.id = x.package_id where x.model_id = $1),
		written as (update shipped_by x set hard = n.hard, soft = n.soft, called = n.called from now n
			where x.model_id = $1 and x.package_id = n.package_id
				and (x.hard, x.soft, x.called) <> (n.hard, n.soft, n.called)
			returning x.package_id),
		worst as (select n.package_id, array_position(`+calledOrder+`, n.called) as here,
				-- Of what calls for something, which is little: there is an index of it.
				(select min(array_position(`+calledOrder+`, x.called))
					from shipped_by x
					where x.package_id = n.package_id and x.model_id <> $1 and x.called <> '') as elsewhere
			from now n),
		whole as (update packages p set called = (`+calledOrder+`)[least(w.here, w.elsewhere)] from worst w
			where p.id = w.package_id and p.called <> (`+calledOrder+`)[least(w.here, w.elsewhere)] returning 1)
		update models
		set resting_as = $2
		where id = $1
		returning (select count(*) from written)::int`, model, as, names, hard, soft, called).Scan(&done)
}

// calledOrder is the loads that structure can call for, the heaviest first; what
// it calls for nothing comes last.
const calledOrder = `array['` + string(evidence.LoadBearing) + `', '` + string(evidence.TiedIn) + `', '` +
	string(evidence.LeanedOn) + `', '']`
