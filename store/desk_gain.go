package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/desk"
	"roster/core/gain"
	"roster/core/profile"
	"roster/core/wording"
)

// countGain makes anew what is kept of what releases brought, after a run of one of
// them, or a phone of such a run, was measured: for all current releases of the
// profiles that were run on the phone.
func (s *Store) countGain(ctx context.Context, phone string) error {
	rows, err := s.pool.Query(ctx, `
		select r.id, r.profile_id, r.document
		from releases r
		where r.state = 'current' and r.profile_id in (select x.profile_id from runs x where x.phone = $1)
		limit 50`, phone)
	if err != nil {
		return err
	}
	type current struct {
		id, profile uuid.UUID
		document    []byte
	}
	list, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (c current, err error) {
		err = r.Scan(&c.id, &c.profile, &c.document)
		return c, err
	})
	if err != nil || len(list) == 0 {
		return err
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		for _, c := range list {
			d, err := profile.ParseDocument(c.document)
			if err != nil {
				return fmt.Errorf("release %s: %w", c.id, err)
			}
			many, err := gainOfDocument(ctx, tx, c.profile, d)
			if err != nil {
				return err
			}
			if many == nil {
				continue
			}
			_, err = tx.Exec(ctx, `
				insert into release_gains as x (release_id, phones, verdict) values ($1, $2, $3)
				on conflict (release_id) do update
				set phones = excluded.phones, verdict = excluded.verdict,
					since = case when x.verdict = excluded.verdict then x.since else now() end`,
				c.id, len(many.Phones), many.verdict())
			if err != nil {
				return err
			}
		}
		return notify(ctx, tx, Event{Topic: ReleasesChanged})
	})
}

// felt are the quantities by which people would notice a gain.
var felt = []gain.Quantity{gain.Memory, gain.Start, gain.Wakeups, gain.Processor, gain.Traffic, gain.Opening}

// verdict is a gain where any quantity is gained that people would notice, none where
// all that are told are none, and else too few phones.
func (g *ManyGain) verdict() gain.Verdict {
	out := gain.TooFew
	for _, q := range felt {
		switch f, ok := g.Figures[q]; {
		case !ok || f.Verdict == gain.TooFew:
		case f.Verdict == gain.Gains:
			return gain.Gains
		default:
			out = gain.None
		}
	}
	return out
}

// The least by which what a package uses has to rise, and on how many phones of both
// builds, for anybody to be told.
const (
	risenTimes   = 1.5
	risenMemory  = 20e6 // bytes
	risenWakeups = 4    // in an hour
	risenPhones  = 3
)

// countRisen makes anew which packages use much more on a build than on the one
// before it, of the same edition, that was measured, and on the one after it than on
// this one.
func countRisen(ctx context.Context, tx pgx.Tx, build uuid.UUID) error {
	var next *uuid.UUID
	err := tx.QueryRow(ctx, `
		select (select b.id
			from builds b
			where b.model_id = h.model_id and b.carrier = h.carrier and b.region = h.region
				and (b.security_patch, b.version_key) > (h.security_patch, h.version_key)
				and exists (select from package_uses u where u.place = b.id)
			order by b.security_patch, b.version_key
			limit 1)
		from builds h
		where h.id = $1`, build).Scan(&next)
	if err != nil {
		return err
	}
	if next != nil {
		if err := countRisenOn(ctx, tx, *next); err != nil {
			return err
		}
	}
	return countRisenOn(ctx, tx, build)
}

func countRisenOn(ctx context.Context, tx pgx.Tx, build uuid.UUID) error {
	_, err := tx.Exec(ctx, `
		with here as (select * from builds where id = $1),
		earlier as (
			select b.id
			from here h
			join builds b on b.model_id = h.model_id and b.carrier = h.carrier and b.region = h.region and b.id <> h.id
			where (b.security_patch, b.version_key) < (h.security_patch, h.version_key)
				and exists (select from package_uses u where u.place = b.id)
			order by b.security_patch desc, b.version_key desc
			limit 1),
		both_sides as (
			select u.package_id, e.id as from_build, least(u.phones, o.phones) as phones, q.quantity, q.before,
				q.after, q.least
			from earlier e
			join package_uses o on o.place = e.id
			join package_uses u on u.place = $1 and u.package_id = o.package_id
			cross join lateral (values ('memory', o.memory, u.memory, $3::float8),
				('wakeups', o.wakeups, u.wakeups, $4::float8)) q (quantity, before, after, least)
			where least(u.phones, o.phones) >= $5),
		now_risen as (select * from both_sides where after >= $2 * before and after - before >= least),
		over as (
			delete from uses_risen x
			where x.build_id = $1
				and not exists (select from now_risen n where (n.package_id, n.quantity) = (x.package_id, x.quantity)))
		insert into uses_risen (build_id, package_id, from_build, quantity, before, after, phones)
		select $1, package_id, from_build, quantity, before, after, phones
		from now_risen
		on conflict (build_id, package_id, quantity) do update
		set from_build = excluded.from_build, before = excluded.before, after = excluded.after,
			phones = excluded.phones`,
		build, risenTimes, risenMemory, risenWakeups, risenPhones)
	return err
}

// gainedNothing are current releases that brought their phones nothing that could be
// measured.
func gainedNothing(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.publishes(), desk.GainedNothing) {
		return nil, nil
	}
	rows, err := q.Query(ctx, `
		select r.id, p.id, p.name, r.number, m.slug, d.slug, d.name, g.phones, g.since, `+ranIt+`
		from release_gains g
		join releases r on r.id = g.release_id and r.state = 'current'
		join profiles p on p.id = r.profile_id
		join models d on d.id = p.model_id
		join makers m on m.id = d.maker_id
		where g.verdict = 'none' and ($1 or r.id = any($2))
		order by g.since desc
		limit $3`, d.publishes(), d.ids(desk.GainedNothing), maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var release, of uuid.UUID
		var edition, maker, model, modelName string
		var number, phones, ran int
		var since time.Time
		if err = row.Scan(&release, &of, &edition, &number, &maker, &model, &modelName, &phones, &since, &ran); err != nil {
			return l, err
		}
		l = desk.Line{Key: lineKey(desk.GainedNothing, release), Kind: desk.GainedNothing, Since: since, Affected: ran}
		l.Whom = wording.Count(ran, "phone") + " ran it"
		l.To = address("/profiles/"+of.String(), maker, model, "", "sheet", "gain")
		l.Text = fmt.Sprintf("%s %s, no. %d, brought %s nothing that could be measured.", modelName, edition, number, wording.Count(phones, "phone"))
		return l, nil
	})
}

// costsMore are builds on which packages began to use much more than on the one
// before.
func costsMore(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.publishes(), desk.CostsMore) {
		return nil, nil
	}
	rows, err := q.Query(ctx, `
		select b.id, b.version, b.carrier, b.region, o.version, m.slug, d.slug, d.name, x.n, x.phones, x.since,
			x.names, x.quantity, x.before, x.after,
			(select count(distinct c.phone) from captures c where c.build_id = b.id and c.phone <> '')::int
		from (select build_id, min(from_build::text)::uuid as from_build, count(distinct package_id)::int as n,
				max(phones) as phones, max(since) as since,
				(array_agg(k.name order by x.after - x.before desc))[1:1] as names,
				(array_agg(x.quantity order by x.after - x.before desc))[1] as quantity,
				(array_agg(x.before order by x.after - x.before desc))[1] as before,
				(array_agg(x.after order by x.after - x.before desc))[1] as after
			from uses_risen x
			join packages k on k.id = x.package_id
			where $1 or x.build_id = any($2)
			group by build_id
			order by max(since) desc
			limit $3) x
		join builds b on b.id = x.build_id
		join builds o on o.id = x.from_build
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id`, d.publishes(), d.ids(desk.CostsMore), maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var build uuid.UUID
		var version, carrier, region, was, maker, model, modelName, quantity string
		var n, phones, known int
		var since time.Time
		var names []string
		var before, after float64
		err = row.Scan(&build, &version, &carrier, &region, &was, &maker, &model, &modelName, &n, &phones, &since, &names, &quantity, &before, &after, &known)
		if err != nil {
			return l, err
		}
		l = desk.Line{Key: lineKey(desk.CostsMore, build), Kind: desk.CostsMore, Since: since, Affected: known}
		l.Whom = wording.Count(known, "phone") + " known with it"
		now, then := wording.Bytes(int64(after))+" of memory", wording.Bytes(int64(before))
		if quantity == "wakeups" {
			now, then = fmt.Sprintf("%.0f wake-ups an hour", after), fmt.Sprintf("%.0f", before)
		}
		more := ""
		if n > 1 {
			more = fmt.Sprintf(". So did %s", wording.Count(n-1, "package"))
		}
		l.To = address("/packages/"+names[0], maker, model, "")
		l.Text = fmt.Sprintf("On %s %s, %s began to use %s; on %s it was %s%s.", modelName, buildName(carrier, region, version), names[0], now, was, then, more)
		return l, nil
	})
}
