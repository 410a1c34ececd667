package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
)

// Intake is what a capture means: how it compares with what was known.
type Intake struct {
	// New says which of these were never captured before.
	NewMaker bool `json:"newMaker"`
	NewModel bool `json:"newModel"`
	NewBuild bool `json:"newBuild"`
	// Phone is what the phone says of itself beyond its packages.
	Phone android.PhoneFacts `json:"phone"`
	// Before is the build of this model and edition before this one, with
	// what lies between.
	Before *BuildDifference `json:"before,omitempty"`
	// Sisters are other editions of the same version.
	Sisters []BuildDifference `json:"sisters" nullable:"false"`
	// Earlier are differences from the capture of this build before this one,
	// in what the image holds: both captures are kept.
	Earlier *CaptureDifference `json:"earlier,omitempty"`
	// NeverSeen are packages that no phone had before; Ungraded those of the
	// build that nobody has graded here.
	NeverSeen []IntakePackage `json:"neverSeen" nullable:"false"`
	Ungraded  []IntakePackage `json:"ungraded" nullable:"false"`
	// Unnamed counts packages whose files were not read for their names yet.
	Unnamed int `json:"unnamed"`
}

// BuildDifference is another build, with what lies between it and this one.
type BuildDifference struct {
	ID      uuid.UUID `json:"id"`
	Version string    `json:"version"`
	Release string    `json:"release"`
	Carrier string    `json:"carrier"`
	Region  string    `json:"region"`
	catalog.Comparison
}

// CaptureDifference is another capture of the same build.
type CaptureDifference struct {
	ID uuid.UUID `json:"id"`
	catalog.Comparison
}

// IntakePackage is a package on the intake page, with who probably put it
// there and why Roster thinks so.
type IntakePackage struct {
	ID           uuid.UUID `db:"id" json:"id"`
	Name         string    `db:"name" json:"name"`
	Label        string    `db:"label" json:"label"`
	Origin       string    `db:"origin" json:"origin"`
	OriginReason string    `db:"origin_reason" json:"originReason"`
	// Elsewhere counts other models that ship it.
	Elsewhere int `db:"elsewhere" json:"elsewhere"`
}

// maxIntake bounds each list of packages; a phone has some hundred.
const maxIntake = 1000

// Intake tells what a stored capture means.
func (s *Store) Intake(ctx context.Context, capture uuid.UUID) (in Intake, err error) {
	in = Intake{Sisters: []BuildDifference{}}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var build, model, maker uuid.UUID
		var facts []byte
		err := tx.QueryRow(ctx, `
			select b.id, d.id, d.maker_id, c.phone_facts,
				not exists (select from captures x where x.build_id = b.id and x.taken_at < c.taken_at),
				not exists (select from captures x
					join builds y on y.id = x.build_id
					where y.model_id = d.id and x.taken_at < c.taken_at),
				not exists (select from captures x
					join builds y on y.id = x.build_id
					join models m on m.id = y.model_id
					where m.maker_id = d.maker_id and x.taken_at < c.taken_at)
			from captures c
			join builds b on b.id = c.build_id
			join models d on d.id = b.model_id
			where c.id = $1`, capture).
			Scan(&build, &model, &maker, &facts, &in.NewBuild, &in.NewModel, &in.NewMaker)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := json.Unmarshal(facts, &in.Phone); err != nil {
			return fmt.Errorf("capture %s: %w", capture, err)
		}
		if err := compareBuilds(ctx, tx, &in, build); err != nil {
			return err
		}
		if err := compareCaptures(ctx, tx, &in, capture, build); err != nil {
			return err
		}
		return intakePackages(ctx, tx, &in, capture, build, model, maker)
	})
	return in, err
}

// compareBuilds looks at the build before this one and at its sister editions.
func compareBuilds(ctx context.Context, tx pgx.Tx, in *Intake, build uuid.UUID) error {
	here, err := shippedBy(ctx, tx, build)
	if err != nil {
		return err
	}
	rows, err := tx.Query(ctx, `
		(select o.id, o.version, o.release, o.carrier, o.region, false as sister
			from builds b
			join builds o on o.id = `+buildBefore+` where b.id = $1)
		union all
		(select o.id, o.version, o.release, o.carrier, o.region, true
			from builds b
			join builds o on o.model_id = b.model_id and o.id <> b.id
			and o.version = b.version and (o.carrier, o.region) <> (b.carrier, b.region)
			where b.id = $1 and exists (select from presence where build_id = o.id)
			order by o.carrier, o.region
			limit 5)`, build)
	if err != nil {
		return err
	}
	type other struct {
		BuildDifference
		sister bool
	}
	others, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (o other, err error) {
		return o, row.Scan(&o.ID, &o.Version, &o.Release, &o.Carrier, &o.Region, &o.sister)
	})
	if err != nil {
		return err
	}
	for _, o := range others {
		there, err := shippedBy(ctx, tx, o.ID)
		if err != nil {
			return err
		}
		if o.Comparison, err = compareShipped(ctx, tx, there, here); err != nil {
			return err
		}
		if o.sister {
			in.Sisters = append(in.Sisters, o.BuildDifference)
		} else {
			in.Before = &o.BuildDifference
		}
	}
	return nil
}

// compareCaptures looks at the complete capture of the same build before this
// one.
func compareCaptures(ctx context.Context, tx pgx.Tx, in *Intake, capture, build uuid.UUID) error {
	var earlier uuid.UUID
	err := tx.QueryRow(ctx, `
		select x.id
		from captures c
		join captures x on x.build_id = c.build_id and x.taken_at < c.taken_at and x.complete
		where c.id = $1 and c.complete order by x.taken_at desc limit 1`, capture).Scan(&earlier)
	if isNone(err) {
		return nil
	}
	if err != nil {
		return err
	}
	// Only what the image holds can contradict: what owners did with it, or
	// added and updated, differs from phone to phone.
	before, err := shippedIn(ctx, tx, earlier, imageOnly)
	if err != nil {
		return err
	}
	after, err := shippedIn(ctx, tx, capture, imageOnly)
	if err != nil {
		return err
	}
	if c := catalog.Compare(before, after); !c.Empty() {
		in.Earlier = &CaptureDifference{earlier, c}
	}
	return nil
}

func intakePackages(ctx context.Context, tx pgx.Tx, in *Intake, capture, build, model, maker uuid.UUID) error {
	const columns = `p.id, p.name, ` + bestLabel + ` as label,
		coalesce((select k.value #>> '{}'
			from claims k
			where k.package_id = p.id and k.field = 'origin' and k.value is not null
				and k.scope_id in ($2, $3, $4, $5)
			order by array_position(array[$5, $4, $3, $2], k.scope_id) limit 1), p.origin) as origin,
		p.origin_reason,
			(select count(distinct b.model_id)
				from presence x
				join builds b on b.id = x.build_id
				where x.package_id = p.id and b.model_id <> $4)::int as elsewhere`
	args := []any{capture, uuid.Nil, maker, model, build, maxIntake}
	rows, err := tx.Query(ctx, `
		select `+columns+`
		from sightings x
		join captures c on c.id = x.capture_id
		join packages p on p.id = x.package_id
		where c.id = $1 and p.first_seen = c.taken_at order by p.name limit $6`, args...)
	if in.NeverSeen, err = collectRows[IntakePackage](rows, err); err != nil {
		return err
	}
	rows, err = tx.Query(ctx, `
		select `+columns+`
		from sightings x
		join packages p on p.id = x.package_id
		join presence y on y.build_id = $5 and y.package_id = p.id
		where x.capture_id = $1 and not exists (
			select from claims k
			where k.package_id = p.id and k.field = 'load' and k.value is not null and k.scope_id in ($2, $3, $4, $5))
		order by p.name limit $6`, args...)
	if in.Ungraded, err = collectRows[IntakePackage](rows, err); err != nil {
		return err
	}
	return tx.QueryRow(ctx, `
		select count(*)::int from sightings x join facts f on f.id = x.facts_id
		where x.capture_id = $1 and x.installed and not exists (
			select from package_files k
			where k.package_id = x.package_id and k.version_code = f.version_code
				and k.signer = coalesce(f.details->>'signer', ''))`, capture).Scan(&in.Unnamed)
}
