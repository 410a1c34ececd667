package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
)

// buildBefore is the captured build before build b in its edition, as an
// expression.
const buildBefore = `(select o.id
		from builds o
		where o.model_id = b.model_id and (o.carrier, o.region) = (b.carrier, b.region)
			and (o.security_patch, o.version_key) < (b.security_patch, b.version_key)
	and exists (select from presence where build_id = o.id)
	order by o.security_patch desc, o.version_key desc, o.id
	limit 1)`

// shippedColumns are those of catalog.Shipped, from facts f, packages p, builds
// b and makers m.
const shippedColumns = `p.name, f.version_code, f.version_name, f.path, f.partition, f.system, f.privileged, f.persistent, f.starts_at_boot, f.shared_user, f.details, m.manufacturer, b.carrier`

func collectShipped(rows pgx.Rows, err error) ([]catalog.Shipped, error) {
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (catalog.Shipped, error) {
		var x catalog.Shipped
		var d detail
		var system bool
		var of android.Identity
		err := row.Scan(&x.Name, &x.VersionCode, &x.VersionName, &x.Path, &x.Partition, &system, &x.Privileged, &x.Persistent, &x.StartsAtBoot, &x.SharedUser, &d, &of.Manufacturer, &of.Carrier, &x.SwitchedOff)
		d.into(&x)
		x.Origin, _ = catalog.GuessOrigin(android.Package{Name: android.PackageName(x.Name), Path: x.Path, Partition: x.Partition, System: system}, of)
		return x, err
	})
}

// into writes what is compared of a package's details.
func (d *detail) into(x *catalog.Shipped) {
	x.OverlayTarget, x.Signer, x.Requests, x.Provides = d.OverlayTarget, d.Signer, d.Requests, d.Provides
	for _, one := range d.Declares {
		x.Declares = append(x.Declares, one.Name)
	}
	for _, u := range d.Uses {
		x.Uses = append(x.Uses, u.Name)
	}
}

// shippedBy lists what a build's image holds.
func shippedBy(ctx context.Context, q querier, build uuid.UUID) ([]catalog.Shipped, error) {
	return collectShipped(q.Query(ctx, `
		select `+shippedColumns+`, x.switched_off
		from presence x join facts f on f.id = x.facts_id join packages p on p.id = x.package_id
			join builds b on b.id = x.build_id
			join models d on d.id = b.model_id
			join makers m on m.id = d.maker_id
			where x.build_id = $1`, build))
}

// What of a capture is taken: what the image holds, whatever its owner did
// with it; or what is there for its first user, the owner's own apps too.
const (
	imageOnly = `(f.system or f.partition not in ('', 'data'))`
	thereNow  = `x.installed`
)

// shippedIn lists what one phone had.
func shippedIn(ctx context.Context, q querier, capture uuid.UUID, which string) ([]catalog.Shipped, error) {
	off := `x.enabled = 'off'`
	if which == thereNow {
		off = `x.enabled not in ('default', 'on', '')`
	}
	return collectShipped(q.Query(ctx, `
		select `+shippedColumns+`, `+off+`
		from sightings x join facts f on f.id = x.facts_id join packages p on p.id = x.package_id
			join captures c on c.id = x.capture_id
			join builds b on b.id = c.build_id
			join models d on d.id = b.model_id
			join makers m on m.id = d.maker_id
		where x.capture_id = $1 and `+which, capture))
}

// compareShipped compares two sides, renamed packages apart.
func compareShipped(ctx context.Context, q querier, before, after []catalog.Shipped) (catalog.Comparison, error) {
	c := catalog.Compare(before, after)
	if len(c.Gone) == 0 || len(c.New) == 0 {
		return c, nil
	}
	rows, err := q.Query(ctx, `
		select p.name, array_agg(l.label order by l.language, l.label)
		from packages p
		join labels l on l.package_id = p.id
		where (p.name = any($1) or p.name = any($2)) and l.language <> '' group by 1`, c.Gone, c.New)
	if err != nil {
		return c, err
	}
	labels := map[string][]string{}
	var name string
	var list []string
	if _, err := pgx.ForEachRow(rows, []any{&name, &list}, func() error { labels[name], list = list, nil; return nil }); err != nil {
		return c, err
	}
	c.Pair(before, after, labels)
	return c, nil
}
