package store

import (
	"context"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
)

// tellIcons notes in the rows what a capture says of icons: nothing, where the
// phone was not asked; nothing of a package that is switched off or removed, of
// which a phone shows none in any case.
func tellIcons(rows []row, icons []android.PackageName) {
	if len(icons) == 0 {
		return
	}
	for i := range rows {
		if p := rows[i].p; p.Installed && p.Enabled.On() {
			_, has := slices.BinarySearch(icons, p.Name)
			rows[i].told = &has
		}
	}
}

// icon is what is known of a row's icon with what the capture told.
func (r row) icon() *bool {
	if r.told == nil || r.known != nil && *r.known {
		return r.known
	}
	return r.told
}

// iconNews are the packages of the image of which a capture tells more than was
// known of its build.
func iconNews(rows []row) (ids []uuid.UUID, icons []bool) {
	for _, r := range rows {
		if now := r.icon(); now != nil && r.p.Preinstalled() && (r.known == nil || *r.known != *now) {
			ids, icons = append(ids, r.pkg), append(icons, *now)
		}
	}
	return ids, icons
}

// addIcons writes what iconNews found, for the build, its model and everywhere.
// The model and the packages are locked.
func addIcons(ctx context.Context, tx pgx.Tx, build uuid.UUID, ids []uuid.UUID, icons []bool) error {
	if len(ids) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `
		with told as (select * from unnest($2::uuid[], $3::boolean[]) t (package_id, icon)),
		here as (update presence x set icon = t.icon
			from told t
			where x.build_id = $1 and x.package_id = t.package_id and (x.icon is null or t.icon and not x.icon)),
		model as (update shipped_by s set icon = t.icon
			from told t
			where s.model_id = (select model_id from builds where id = $1) and s.package_id = t.package_id
				and (s.icon is null or t.icon and not s.icon))
		update packages p set icon = t.icon
		from told t
		where p.id = t.package_id and (p.icon is null or t.icon and not p.icon)`, build, ids, icons)
	return err
}
