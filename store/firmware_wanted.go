package store

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/evidence"
)

// WantedTrials are what would prove a draft on a build: packages that phones of it
// should go without.
type WantedTrials struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	ProfileID uuid.UUID       `db:"profile_id" json:"profileId"`
	Edition   string          `db:"edition" json:"edition"`
	BuildID   uuid.UUID       `db:"build_id" json:"buildId"`
	Maker     string          `db:"maker" json:"maker"`
	Model     string          `db:"model" json:"model"`
	ModelName string          `db:"model_name" json:"modelName"`
	Version   string          `db:"version" json:"version"`
	Carrier   string          `db:"carrier" json:"carrier"`
	Region    string          `db:"region" json:"region"`
	Method    evidence.Method `db:"method" json:"method"`
	Ceiling   float64         `db:"ceiling" json:"ceiling"`
	Packages  []string        `db:"packages" json:"packages" nullable:"false"`
	Left      []string        `db:"left" json:"left" nullable:"false" doc:"Those that nobody has tried there yet"`
	AskedBy   string          `db:"asked_by" json:"askedBy"`
	AskedAt   time.Time       `db:"asked_at" json:"askedAt"`
	ClosedAt  *time.Time      `db:"closed_at" json:"closedAt,omitempty"`
}

// trialGone holds for trials t in which the package was gone from the phone: not
// refused, and not only made quiet.
const trialGone = `t.outcome <> 'refused' and t.method <> 'quieten'`

const wantedColumns = `
	select w.id, w.profile_id, p.name as edition, w.build_id, m.slug as maker, d.slug as model, d.name as model_name,
		b.version, b.carrier, b.region, w.method, w.ceiling, w.packages,
		array(select u.name from unnest(w.packages) u (name) where not exists (
			select from trials t
			join packages k on k.id = t.package_id
			where k.name = u.name and t.build_id = w.build_id
				and ` + trialGone + `)) as left, a.name as asked_by, w.asked_at, w.closed_at
	from wanted_trials w
	join profiles p on p.id = w.profile_id
	join builds b on b.id = w.build_id
	join models d on d.id = b.model_id
	join makers m on m.id = d.maker_id
	join people a on a.id = w.asked_by`

// Wanted reads what would prove a draft.
func (s *Store) Wanted(ctx context.Context, id uuid.UUID) (WantedTrials, error) {
	rows, err := s.pool.Query(ctx, wantedColumns+` where w.id = $1`, id)
	return one[WantedTrials](rows, err)
}

// WantedFor is what is being asked for to prove a profile on a build; nil for
// nothing.
func (s *Store) WantedFor(ctx context.Context, profile, build uuid.UUID) (*WantedTrials, error) {
	rows, err := s.pool.Query(ctx, wantedColumns+` where w.profile_id = $1 and w.build_id = $2 and w.closed_at is null`,
		profile, build)
	w, err := one[WantedTrials](rows, err)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return &w, err
}

// WantTrials asks technicians who have phones of a build for trials that prove
// a draft; asking again replaces what was asked for. None asks for nothing any
// more.
func (s *Store) WantTrials(ctx context.Context, profile, build uuid.UUID, method evidence.Method, ceiling float64, packages []string, person uuid.UUID) (id uuid.UUID, err error) {
	id = NewID()
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if len(packages) == 0 {
			_, err := tx.Exec(ctx, `
				update wanted_trials
				set closed_at = now(), closed_by = $3
				where profile_id = $1 and build_id = $2 and closed_at is null`, profile, build, person)
			return err
		}
		err := tx.QueryRow(ctx, `
			insert into wanted_trials (id, profile_id, build_id, method, ceiling, packages, asked_by)
			values ($1, $2, $3, $4, $5, $6, $7)
			on conflict (profile_id, build_id)
			where closed_at is null
			do update set method = excluded.method, ceiling = excluded.ceiling, packages = excluded.packages,
				asked_by = excluded.asked_by, asked_at = now()
			returning id`, id, profile, build, string(method), ceiling, packages, person).Scan(&id)
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "trials.wanted", Subject: id.String(), Detail: map[string]any{"profile": profile, "build": build, "packages": len(packages)}})
	})
	return id, err
}

// CloseWanted asks for nothing any more.
func (s *Store) CloseWanted(ctx context.Context, id, person uuid.UUID) error {
	tag, err := s.pool.Exec(ctx, `
		update wanted_trials set closed_at = now(), closed_by = $2 where id = $1 and closed_at is null`, id, person)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrState
	}
	return err
}

// Unsettled is what packages' trials weigh on a build, for a plan of what would
// prove them there.
func (s *Store) Unsettled(ctx context.Context, build uuid.UUID, method evidence.Method, names []string) ([]evidence.Unsettled, error) {
	sc, err := scopeOfBuild(ctx, s.pool, build)
	if err != nil {
		return nil, err
	}
	y, _, err := yardstick(ctx, s.pool)
	if err != nil {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, `select id, name from packages where name = any($1) order by name`, names)
	if err != nil {
		return nil, err
	}
	named := map[uuid.UUID]string{}
	var ids []uuid.UUID
	var id uuid.UUID
	var name string
	if _, err := pgx.ForEachRow(rows, []any{&id, &name}, func() error { named[id] = name; ids = append(ids, id); return nil }); err != nil {
		return nil, err
	}
	trials, err := s.trialsNow(ctx, ids)
	if err != nil {
		return nil, err
	}
	var limits evidence.Limits
	list := make([]evidence.Unsettled, len(ids))
	for i, id := range ids {
		f := trials[id].gathered().Of(method).Summary(sc.Target, y, &limits)
		list[i] = evidence.Unsettled{Package: named[id], Harmed: f.Harmed, Clean: f.Weight - f.Harmed,
			Tried: slices.ContainsFunc(trials[id].trials(), func(t evidence.Trial) bool {
				return t.On.Build == build.String() && t.Outcome != evidence.Refused
			})}
	}
	return list, nil
}
