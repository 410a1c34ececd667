package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
)

// firmwareVersion counts up whenever comparing builds or holding releases
// against them changes, so that what an older program made is made anew.
const firmwareVersion = "1"

// Arrival is a build with what it brings against the one before it.
type Arrival struct {
	BuildID uuid.UUID `db:"build_id" json:"buildId"`
	// SinceID is the build before it in its edition, nil where none is known.
	SinceID *uuid.UUID `db:"since_id" json:"sinceId,omitempty"`
	// At is when the first phone with it was captured.
	At      time.Time       `db:"at" json:"at"`
	Summary catalog.Arrival `db:"summary" json:"summary"`
	// Back counts packages that were off a phone and that the update brought
	// back.
	Back int `db:"back" json:"back"`
}

const arrivalColumns = `a.build_id, a.since_id, a.at, a.summary,
		(select count(distinct k.package_id) from came_back k where k.build_id = a.build_id)::int as back`

// stalePresence marks what is to be made anew when a build is known to ship
// something that it was not known to.
func stalePresence(ctx context.Context, tx pgx.Tx, build uuid.UUID) error {
	_, err := tx.Exec(ctx, `
		with stale as (
			update arrivals a set made_from = '' from builds b
			where b.id = a.build_id and b.model_id = (select model_id from builds where id = $1)
				and (b.id = $1 or a.since_id = $1 or a.since_id is distinct from `+buildBefore+`)
			returning a.build_id)
		update holds set made_from = '' where build_id = $1 or build_id in (select build_id from stale)`, build)
	return err
}

// addCameBack notes what phones had again at captures, though it had been taken
// off them under another firmware: by an earlier capture, or by the journals of
// runs: what was only made quiet was never off. Nil stands for all captures. The runs hear of it, too. It returns how
// much came back that was not noted before.
func addCameBack(ctx context.Context, tx pgx.Tx, captures []uuid.UUID) (back int, err error) {
	const on, off = `x.installed and x.enabled in ('default', 'on', '')`, `not (y.installed and y.enabled in ('default', 'on', ''))`
	err = tx.QueryRow(ctx, `
		with taken as (
			select c.id, c.build_id, c.phone, c.taken_at,
				(select e.id
					from captures e
					where e.phone = c.phone and e.build_id <> c.build_id and e.complete and e.taken_at < c.taken_at
					order by e.taken_at desc
					limit 1) as earlier
			from captures c where c.phone <> '' and ($1::uuid[] is null or c.id = any($1))
				and not exists (select from captures e
					where e.phone = c.phone and e.build_id = c.build_id and e.taken_at < c.taken_at)),
		journal as (
			select t.id, r.id as run_id, p.id as package_id, p.name
			from taken t join runs r on r.phone = t.phone and r.build_id <> t.build_id and r.started_at < t.taken_at
				join run_steps st on st.run_id = r.id and st.kind = 'remove' and st.state = 'done'
					and st.step ->> 'method' <> 'quieten'
				join packages p on p.name = st.package
			where not exists (
				select from run_steps u
				join runs v on v.id = u.run_id
				where v.phone = t.phone and u.package = st.package and u.kind = 'put-back' and u.state = 'done'
					and u.ended_at >= st.ended_at)),
		back as (
			insert into came_back (capture_id, package_id, build_id, phone)
			select t.id, x.package_id, t.build_id, t.phone from taken t cross join sightings_of(t.id) x
			where `+on+` and (
				exists (select from sightings y
					where y.capture_id = t.earlier and y.package_id = x.package_id and `+off+`)
				or exists (select from journal j where j.id = t.id and j.package_id = x.package_id))
			on conflict do nothing returning capture_id, package_id),
		told as (
			update runs r set back = r.back || n.names
			from (select j.run_id, jsonb_object_agg(j.name, 'back-after-update') as names
				from back k
				join journal j on j.id = k.capture_id and j.package_id = k.package_id
				group by 1) n
			where r.id = n.run_id)
		select count(*)::int from back`, captures).Scan(&back)
	return back, err
}

// freshenArrivals makes anew what builds of models bring, where that is not
// known or no longer so; nil stands for all models. It returns the builds that
// were not known before.
func freshenArrivals(ctx context.Context, tx pgx.Tx, models []uuid.UUID) (arrived []uuid.UUID, err error) {
	rows, err := tx.Query(ctx, `
		select b.id, `+buildBefore+` as since,
			(select min(c.taken_at) from captures c where c.build_id = b.id) as at, a.build_id is null as fresh
		from builds b left join arrivals a on a.build_id = b.id
		where ($1::uuid[] is null or b.model_id = any($1)) and coalesce(a.made_from, '') <> $2
			and exists (select from presence where build_id = b.id)
		order by b.id`, models, firmwareVersion)
	type open struct {
		ID    uuid.UUID  `db:"id"`
		Since *uuid.UUID `db:"since"`
		At    time.Time  `db:"at"`
		Fresh bool       `db:"fresh"`
	}
	list, err := collectRows[open](rows, err)
	if err != nil {
		return nil, err
	}
	for _, one := range list {
		summary := catalog.Arrived(catalog.Compare(nil, nil))
		if one.Since != nil {
			if summary, err = arrival(ctx, tx, *one.Since, one.ID); err != nil {
				return nil, fmt.Errorf("build %s: %w", one.ID, err)
			}
		}
		raw, err := json.Marshal(summary)
		if err != nil {
			return nil, err
		}
		_, err = tx.Exec(ctx, `
			insert into arrivals (build_id, since_id, at, summary, made_from) values ($1, $2, $3, $4, $5)
			on conflict (build_id)
			do update set since_id = excluded.since_id, at = excluded.at, summary = excluded.summary,
				made_from = excluded.made_from`,
			one.ID, one.Since, one.At, raw, firmwareVersion)
		if err != nil {
			return nil, err
		}
		if one.Fresh {
			arrived = append(arrived, one.ID)
		}
	}
	return arrived, nil
}

func arrival(ctx context.Context, q querier, since, build uuid.UUID) (catalog.Arrival, error) {
	before, err := shippedBy(ctx, q, since)
	if err != nil {
		return catalog.Arrival{}, err
	}
	after, err := shippedBy(ctx, q, build)
	if err != nil {
		return catalog.Arrival{}, err
	}
	c, err := compareShipped(ctx, q, before, after)
	return catalog.Arrived(c), err
}

// Arrivals are what builds bring, by build; those that nobody captured are left
// out.
func (s *Store) Arrivals(ctx context.Context, builds []uuid.UUID) (map[uuid.UUID]Arrival, error) {
	rows, err := s.pool.Query(ctx, `select `+arrivalColumns+` from arrivals a where a.build_id = any($1)`, builds)
	list, err := collectRows[Arrival](rows, err)
	out := make(map[uuid.UUID]Arrival, len(list))
	for _, a := range list {
		out[a.BuildID] = a
	}
	return out, err
}
