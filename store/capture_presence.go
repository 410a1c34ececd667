package store

import (
	"context"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
)

// addPresence notes what the build ships and what of it has an icon, where that
// was not known. It reports whether it ships something that was not known.
func addPresence(ctx context.Context, tx pgx.Tx, rows []row, sum *CaptureSummary) (bool, error) {
	fresh, err := freshOn(ctx, tx, rows, sum)
	if err != nil {
		return false, err
	}
	seen, icons := iconNews(rows)
	if len(fresh) == 0 && len(seen) == 0 {
		return false, nil
	}
	if len(fresh) > 0 && !sum.NewBuild {
		// Two captures of a build that both bring the same package must neither
		// collide nor count it twice: whoever comes second looks again.
		if err := lockCatalogue(ctx, tx); err != nil {
			return false, err
		}
		if fresh, err = freshOn(ctx, tx, rows, sum); err != nil {
			return false, err
		}
	}
	if err := lockCounted(ctx, tx, fresh, seen, sum.BuildID); err != nil {
		return false, err
	}
	if len(fresh) > 0 {
		if err := addFresh(ctx, tx, fresh, sum); err != nil {
			return false, err
		}
	}
	return len(fresh) > 0, addIcons(ctx, tx, sum.BuildID, seen, icons)
}

// lockCounted locks what counts and icons are written to. Captures of a model
// count one after the other; packages are locked in the order in which accepting
// trials locks them, too.
func lockCounted(ctx context.Context, tx pgx.Tx, fresh []freshRow, seen []uuid.UUID, build uuid.UUID) error {
	if _, err := tx.Exec(ctx, `
		select from models
		where id = (select model_id from builds where id = $1) for no key update`, build); err != nil {
		return err
	}
	ids := slices.Clone(seen)
	for _, r := range fresh {
		ids = append(ids, r.pkg)
	}
	_, err := tx.Exec(ctx, lockPackages, ids)
	return err
}

// addFresh notes what the build is found to ship.
func addFresh(ctx context.Context, tx pgx.Tx, fresh []freshRow, sum *CaptureSummary) error {
	var ids, added []uuid.UUID // all, and those of which not even a list told
	for _, r := range fresh {
		ids = append(ids, r.pkg)
		if !r.listed {
			added = append(added, r.pkg)
		}
	}
	if len(ids) > len(added) {
		_, err := tx.Exec(ctx, `delete from presence where build_id = $1 and package_id = any($2)`, sum.BuildID, ids)
		if err != nil {
			return err
		}
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"presence"}, []string{"build_id", "package_id", "switched_off", "facts_id", "icon"},
		pgx.CopyFromSlice(len(fresh), func(i int) ([]any, error) {
			r := fresh[i]
			return []any{sum.BuildID, r.pkg, r.p.Enabled == android.EnabledOff, r.facts, r.icon()}, nil
		}))
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, countShipped, sum.BuildID, added); err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `update builds set shipped_stamp = shipped_stamp + 1 where id = $1`, sum.BuildID)
	if err != nil {
		return err
	}
	if err := stalePresence(ctx, tx, sum.BuildID); err != nil {
		return err
	}
	return guessAgain(ctx, tx, ids)
}

// freshRow is a package that a build was not known to ship, or of which only a
// list told.
type freshRow struct {
	row
	listed bool
}

// freshOn are those packages of a capture that its build is found to ship.
func freshOn(ctx context.Context, tx pgx.Tx, rows []row, sum *CaptureSummary) (fresh []freshRow, err error) {
	var others []uuid.UUID // known with other facts, or with facts that are new
	for _, r := range rows {
		if !r.alike {
			others = append(others, r.pkg)
		}
	}
	// What the build is known to ship of them; true where only a list told of it.
	bare := map[uuid.UUID]bool{}
	if !sum.NewBuild && len(others) > 0 {
		r, err := tx.Query(ctx, `
			select x.package_id, f.version_name = '' and f.details->>'signer' is null and f.details->'requests' is null
			from presence x
			join facts f on f.id = x.facts_id
			where x.build_id = $1 and x.package_id = any($2)`, sum.BuildID, others)
		if err != nil {
			return nil, err
		}
		var id uuid.UUID
		var only bool
		if _, err := pgx.ForEachRow(r, []any{&id, &only}, func() error { bare[id] = only; return nil }); err != nil {
			return nil, err
		}
	}
	for _, r := range rows {
		only, known := bare[r.pkg]
		tells := r.p.VersionName != "" || r.p.Signer != "" || len(r.p.Requests) > 0
		if r.p.Preinstalled() && !r.alike && (!known || only && tells) {
			fresh = append(fresh, freshRow{r, known})
		}
	}
	return fresh, nil
}

// countShipped counts packages that a build is found to ship, once for each
// build: those of its model, and with them the packages' own counts, on how many
// builds and by how many makers. Nothing is counted anew.
const countShipped = `
	with here as (select d.id as model_id, d.maker_id, b.first_seen
		from builds b
		join models d on d.id = b.model_id
		where b.id = $1),
	was as (select s.package_id
		from shipped_by s
		where s.model_id = (select model_id from here) and s.package_id = any($2)),
	now as (insert into shipped_by as s (model_id, package_id, builds, newest)
		select h.model_id, p, 1, h.first_seen
		from here h cross join unnest($2::uuid[]) p
		on conflict (model_id, package_id)
		do update set builds = s.builds + 1, newest = greatest(s.newest, excluded.newest)
		returning package_id),
	moved as (select n.package_id, h.maker_id, h.first_seen,
		case when w.package_id is null and not exists (
			select from models d
			join shipped_by s on s.model_id = d.id and s.package_id = n.package_id
			where d.maker_id = h.maker_id and d.id <> h.model_id) then 1 else 0 end as makers
		from now n
		cross join here h
		left join was w on w.package_id = n.package_id)
	update packages p
	set builds = p.builds + 1, newest_build = greatest(p.newest_build, m.first_seen), makers = p.makers + m.makers,
		maker_id = case when p.makers + m.makers = 1 then coalesce(p.maker_id, m.maker_id) end
	from moved m
	where m.package_id = p.id`

// guessAgain looks whether packages of unknown origin are shipped by several
// makers by now.
func guessAgain(ctx context.Context, tx pgx.Tx, ids []uuid.UUID) error {
	rows, err := tx.Query(ctx, `
		select id, makers from packages where id = any($1) and origin = $2`, ids, string(catalog.Unknown))
	if err != nil {
		return err
	}
	var changed []uuid.UUID
	var origins, reasons []string
	var id uuid.UUID
	var n int
	_, err = pgx.ForEachRow(rows, []any{&id, &n}, func() error {
		if origin, why, changes := catalog.OriginOfMany(catalog.Unknown, n); changes {
			changed, origins, reasons = append(changed, id), append(origins, string(origin)), append(reasons, why)
		}
		return nil
	})
	if err != nil || len(changed) == 0 {
		return err
	}
	_, err = tx.Exec(ctx, `
		update packages p set origin = k.origin, origin_reason = k.reason
		from unnest($1::uuid[], $2::text[], $3::text[]) k (id, origin, reason)
		where p.id = k.id`, changed, origins, reasons)
	return err
}
