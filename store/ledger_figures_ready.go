package store

import (
	"context"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/evidence"
)

// ReadyFigures makes what is lacking of the figures of models, as their Ledger
// shows them, before somebody asks.
func (s *Store) ReadyFigures(ctx context.Context, models []uuid.UUID) error {
	targets, err := firmwares(ctx, s.pool, models)
	if err != nil {
		return err
	}
	var wanted []figuresFrom // what several lack is gathered once
	for _, model := range models {
		target, ok := targets[model.String()]
		if !ok {
			continue
		}
		packages, err := lackingOf(ctx, s.pool, target, `
			select package_id from shipped_by where model_id = $3`, model)
		if err != nil {
			return err
		}
		if len(packages) > 0 {
			wanted = append(wanted, figuresFrom{target, packages})
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	return makeFigures(ctx, s.pool, &s.tried, wanted...)
}

// readyFigures makes what is lacking of the figures of some packages from a target.
func (s *Store) readyFigures(ctx context.Context, target evidence.Firmware, packages []uuid.UUID) error {
	lacking, err := lackingOf(ctx, s.pool, target, `select unnest($3::uuid[])`, packages)
	if err != nil || len(lacking) == 0 {
		return err
	}
	return makeFigures(ctx, s.pool, &s.tried, figuresFrom{target, lacking})
}

// lackingOf are those of packages whose figures from a target are lacking. Among says
// which, by the argument.
func lackingOf(ctx context.Context, q querier, target evidence.Firmware, among string, argument any) ([]uuid.UUID, error) {
	place, release := placeOf(target)
	rows, err := q.Query(ctx, `
		select p.id
		from packages p
		where p.id in (`+among+`) and p.trials_stamp > 0
			and not exists (select from figures g
				where g.place = $1 and g.release = $2 and g.package_id = p.id and g.stamp = p.trials_stamp)`,
		place, release, argument)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// Readier makes figures, as Ledgers of models show them, of packages whose trials
// change, before somebody asks, and reads again what was asked for lately. It is for
// one goroutine.
type Readier struct {
	store *Store
	as    moment
}

// Readier begins with what changes from now on.
func (s *Store) Readier() *Readier { return &Readier{store: s} }

// readiedAtOnce bounds the packages whose figures are made in one transaction: what
// ships everywhere has some for every model.
const readiedAtOnce = 10

// Next makes the figures of packages whose trials changed since it was called last,
// tells of how many packages, and reads again what was asked for lately. Where more changed at once than touched names they
// are made when they are asked for.
func (r *Readier) Next(ctx context.Context) (packages int, err error) {
	var changed []uuid.UUID
	now, _, err := touchedSince(ctx, r.store.pool, []string{"stamps"}, r.as, func(_ string, id uuid.UUID) {
		if id != uuid.Nil {
			changed = append(changed, id)
		}
	})
	if err != nil {
		return 0, err
	}
	changed = slices.Compact(inOrder(changed))
	for len(changed) > 0 {
		some := changed[:min(readiedAtOnce, len(changed))]
		if err := r.ready(ctx, some); err != nil {
			return packages, err
		}
		packages, changed = packages+len(some), changed[len(some):]
	}
	r.as = now
	return packages, r.store.lately.again(ctx)
}

// ready makes again what figures of packages there were, seen from the newest builds
// of models.
func (r *Readier) ready(ctx context.Context, packages []uuid.UUID) error {
	rows, err := r.store.pool.Query(ctx, `
		with newest as materialized (
			select d.id as model, d.maker_id, n.id, n.release
			from models d
			cross join lateral (select b.id, b.release
				from builds b
				where b.model_id = d.id
				order by `+newestBuild+`
				limit 1) n
			where d.id in (select x.model_id from shipped_by x where x.package_id = any($1)))
		select n.id::text, n.model::text, n.maker_id::text, n.release, array_agg(p.id)
		from newest n
		cross join packages p
		where p.id = any($1) and p.trials_stamp > 0
			and exists (select from figures g
				where g.place = n.id and g.release = '' and g.package_id = p.id and g.stamp < p.trials_stamp)
		group by 1, 2, 3, 4`, packages)
	if err != nil {
		return err
	}
	var wanted []figuresFrom
	var w figuresFrom
	_, err = pgx.ForEachRow(rows, []any{&w.target.Build, &w.target.Model, &w.target.Maker, &w.target.Release, &w.packages}, func() error {
		wanted = append(wanted, w)
		w.packages = nil
		return nil
	})
	if err != nil || len(wanted) == 0 {
		return err
	}
	return makeFigures(ctx, r.store.pool, &r.store.tried, wanted...)
}
