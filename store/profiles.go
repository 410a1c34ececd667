package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/profile"
)

// Profile is what to take off one model, for one purpose.
type Profile struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	Maker     string          `db:"maker" json:"maker"`
	MakerName string          `db:"maker_name" json:"makerName"`
	Model     string          `db:"model" json:"model"`
	ModelName string          `db:"model_name" json:"modelName"`
	Slug      string          `db:"slug" json:"slug"`
	Name      string          `db:"name" json:"name"`
	Purpose   string          `db:"purpose" json:"purpose"`
	Rules     json.RawMessage `db:"rules" json:"-"`
	Revision  int             `db:"revision" json:"revision"`
	ChangedBy string          `db:"changed_by" json:"changedBy"`
	ChangedAt time.Time       `db:"changed_at" json:"changedAt"`
	// Newest is the number of the newest release, 0 without one.
	Newest int `db:"newest" json:"newest"`
}

const profileColumns = `
	select p.id, m.slug as maker, m.name as maker_name, d.slug as model, d.name as model_name, p.slug, p.name, p.purpose, p.rules, p.revision,
		w.name as changed_by, p.changed_at, coalesce((select max(number) from releases where profile_id = p.id), 0) as newest
	from profiles p join models d on d.id = p.model_id join makers m on m.id = d.maker_id join people w on w.id = p.changed_by`

// ErrEditionTaken says that the model has an edition of this name already.
var ErrEditionTaken = errors.New("this model has an edition of that name already")

// AddProfile makes a profile for a model, with the default rules.
func (s *Store) AddProfile(ctx context.Context, model uuid.UUID, name, purpose string, person uuid.UUID) (uuid.UUID, error) {
	id := NewID()
	rules, err := json.Marshal(profile.DefaultRules)
	if err != nil {
		return id, err
	}
	return id, s.inTx(ctx, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `insert into profiles (id, model_id, slug, name, purpose, rules, changed_by) values ($1, $2, $3, $4, $5, $6, $7)`,
			id, model, Slug(name), name, purpose, rules, person)
		if violates(err, "profiles_model_id_slug_key") {
			err = ErrEditionTaken
		}
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "profile.made", Subject: id.String()})
	})
}

// Profiles lists profiles in scope, by model and name.
func (s *Store) Profiles(ctx context.Context, sc Scope, limit int) ([]Profile, error) {
	args := scopeArgs(sc)
	args["limit"] = limit
	rows, err := s.pool.Query(ctx, profileColumns+`
		where (@maker = '00000000-0000-0000-0000-000000000000'::uuid or m.id = @maker) and (@model = '00000000-0000-0000-0000-000000000000'::uuid or d.id = @model)
		order by m.name, d.name, p.name limit @limit`, args)
	return all[Profile](rows, err)
}

// Profile reads one profile.
func (s *Store) Profile(ctx context.Context, id uuid.UUID) (Profile, error) {
	rows, err := s.pool.Query(ctx, profileColumns+` where p.id = $1`, id)
	return one[Profile](rows, err)
}

// SetRules changes a profile's rules and purpose; revision is the one that
// was read. It fails with ErrStale where somebody else was faster.
func (s *Store) SetRules(ctx context.Context, id uuid.UUID, revision int, purpose string, rules profile.Rules, person uuid.UUID) error {
	raw, err := json.Marshal(rules)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update profiles set rules = $3, purpose = $4, changed_by = $5, changed_at = now(), revision = revision + 1
			where id = $1 and revision = $2`, id, revision, raw, purpose, person)
		if err == nil && tag.RowsAffected() == 0 {
			if _, err := s.Profile(ctx, id); err != nil {
				return err
			}
			return ErrStale
		}
		if err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "profile.set", Subject: id.String(), Detail: map[string]int{"revision": revision + 1}})
	})
}

// Candidates loads what a profile for the scope's model can be composed of:
// each preinstalled package that a build of the model ships, with its
// effective load and its figures for the method.
func (s *Store) Candidates(ctx context.Context, sc Scope, method string) ([]profile.Candidate, error) {
	return candidates(ctx, s.pool, sc, method, nil)
}

func candidates(ctx context.Context, q querier, sc Scope, method string, names []string) ([]profile.Candidate, error) {
	args := scopeArgs(sc)
	args["method"], args["names"] = method, names
	rows, err := q.Query(ctx, `
		select p.name,
			`+bestLabel+`,
			coalesce((select value #>> '{}' from claims where package_id = p.id and field = 'origin' and scope_kind = 'everywhere'), p.origin),
			coalesce(g.value ->> 'load', suggested_load(f.suggested, `+called(sc)+`)), g.value is null,
			coalesce(array(select jsonb_array_elements_text(g.value -> 'conditions')), '{}'),
			array(select distinct t.function from trials t where t.package_id = p.id and t.outcome = 'function-lost' and t.function <> '' order by 1),
			coalesce(f.ceiling, 1), coalesce(f.floor, 0), coalesce(f.standing, 'untried'), coalesce(f.phones, 0), coalesce(f.people, 0), coalesce(f.harmed_phones, 0),
			length(f.strip) - length(regexp_replace(f.strip, '[CLFN]', '', 'g')), length(f.strip) - length(replace(f.strip, 'r', '')),
			exists (select from presence x join builds b on b.id = x.build_id join facts k on k.id = x.facts_id
				where x.package_id = p.id and b.model_id = @model and k.starts_at_boot)
		from packages p
		`+figuresJoin(sc, args)+`
		`+claimJoin(sc, "load", "g")+`
		where (@names::text[] is null or p.name = any(@names)) and `+inScope(sc), args)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) (c profile.Candidate, err error) {
		var back, refused *int
		err = r.Scan(&c.Package, &c.Label, &c.Origin, &c.Load, &c.BySuggestion, &c.Conditions, &c.Lost, &c.Ceiling, &c.Floor, &c.Standing,
			&c.Phones, &c.People, &c.Harmed, &back, &refused, &c.StartsAtBoot)
		if back != nil {
			c.ComesBack, c.Refused = *back, *refused
		}
		return c, err
	})
}
