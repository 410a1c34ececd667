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

// ProfileModel is one of the models that a profile is for.
type ProfileModel struct {
	ID     uuid.UUID `db:"id" json:"id"`
	Slug   string    `db:"slug" json:"slug"`
	Name   string    `db:"name" json:"name"`
	Device string    `db:"device" json:"device"`
	Form   string    `db:"form" json:"form"`
}

// Profile is what to take off one model and its sisters, for one purpose.
type Profile struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	Maker     string          `db:"maker" json:"maker"`
	MakerName string          `db:"maker_name" json:"makerName"`
	Model     string          `db:"model" json:"model"`
	ModelID   uuid.UUID       `db:"model_id" json:"modelId"`
	ModelName string          `db:"model_name" json:"modelName"`
	Sisters   []ProfileModel  `db:"sisters" json:"sisters" nullable:"false"`
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

// sistersOf are the sister models of profile p.
const sistersOf = `coalesce((select jsonb_agg(jsonb_build_object('id', x.id, 'slug', x.slug, 'name', x.name, 'device',
				x.device, 'form', x.form)
				order by x.name)
			from profile_sisters y join models x on x.id = y.model_id where y.profile_id = p.id), '[]')`

const profileColumns = `
	select p.id, m.slug as maker, m.name as maker_name, d.slug as model, d.id as model_id, d.name as model_name, p.slug,
		` + sistersOf + ` as sisters, p.name, p.purpose, p.rules, p.revision,
		w.name as changed_by, p.changed_at,
			coalesce((select max(number) from releases where profile_id = p.id), 0) as newest
	from profiles p
	join models d on d.id = p.model_id
	join makers m on m.id = d.maker_id
	join people w on w.id = p.changed_by`

// ErrEditionTaken says that the model has an edition of this name already.
var ErrEditionTaken = errors.New("this model has an edition of that name already")

// NewProfile is a profile that is to be made.
type NewProfile struct {
	Model         uuid.UUID
	Sisters       []uuid.UUID
	Name, Purpose string
	Rules         profile.Rules
}

// AddProfile makes a profile. Sisters are models of the same maker.
func (s *Store) AddProfile(ctx context.Context, n NewProfile, person uuid.UUID) (id uuid.UUID, err error) {
	id = NewID()
	rules, err := json.Marshal(n.Rules)
	if err != nil {
		return id, err
	}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `
			insert into profiles (id, model_id, slug, name, purpose, rules, changed_by)
			values ($1, $2, $3, $4, $5, $6, $7)`,
			id, n.Model, Slug(n.Name), n.Name, n.Purpose, rules, person)
		if violates(err, "profiles_model_id_slug_key") {
			err = ErrEditionTaken
		}
		if err != nil {
			return err
		}
		if err := setSisters(ctx, tx, id, n.Sisters); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "profile.made", Subject: id.String()})
	})
	return id, err
}

// ErrNoSister says that a model can't be a profile's sister.
var ErrNoSister = errors.New("a sister is another model of the same maker")

func setSisters(ctx context.Context, tx pgx.Tx, profile uuid.UUID, sisters []uuid.UUID) error {
	if _, err := tx.Exec(ctx, `
		delete from profile_sisters where profile_id = $1`, profile); err != nil || len(sisters) == 0 {
		return err
	}
	tag, err := tx.Exec(ctx, `
		insert into profile_sisters select p.id, d.id
		from profiles p
		join models own on own.id = p.model_id
		join models d on d.maker_id = own.maker_id and d.id <> own.id
		where p.id = $1 and d.id = any($2)`, profile, sisters)
	if err == nil && int(tag.RowsAffected()) != len(sisters) {
		err = ErrNoSister
	}
	return err
}

// Profiles lists profiles in scope, by model and name.
func (s *Store) Profiles(ctx context.Context, sc Scope, limit int) ([]Profile, error) {
	args := scopeArgs(sc)
	args["limit"] = limit
	rows, err := s.pool.Query(ctx, profileColumns+`
		where (@maker = `+everywhereID+`::uuid or m.id = @maker)
			and (@model = `+everywhereID+`::uuid or d.id = @model
				or exists (select from profile_sisters y where y.profile_id = p.id and y.model_id = @model))
		order by m.name, d.name, p.name limit @limit`, args)
	return collectRows[Profile](rows, err)
}

// Profile reads one profile.
func (s *Store) Profile(ctx context.Context, id uuid.UUID) (Profile, error) {
	return readProfile(ctx, s.pool, id)
}

func readProfile(ctx context.Context, q querier, id uuid.UUID) (Profile, error) {
	rows, err := q.Query(ctx, profileColumns+` where p.id = $1`, id)
	return one[Profile](rows, err)
}

// SetRules changes a profile's rules and purpose; revision is the one that
// was read. It fails with ErrStale where somebody else was faster.
func (s *Store) SetRules(ctx context.Context, id uuid.UUID, revision int, purpose string, sisters []uuid.UUID, rules profile.Rules, person uuid.UUID) error {
	raw, err := json.Marshal(rules)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		before, err := lockProfile(ctx, tx, id, revision)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			update profiles
			set rules = $3, purpose = $4, changed_by = $5, changed_at = moment(), revision = revision + 1
			where id = $1 and revision = $2`, id, revision, raw, purpose, person)
		if err != nil {
			return err
		}
		if err := setSisters(ctx, tx, id, sisters); err != nil {
			return err
		}
		if err := outdate(ctx, tx, id, person); err != nil {
			return err
		}
		if err := forgetDraft(ctx, tx, person, DraftRules, id); err != nil {
			return err
		}
		was, err := profile.ParseRules(before.Rules)
		if err != nil {
			return err
		}
		return recordTurned(ctx, tx, Act{Person: person, Action: "profile.set", Subject: id.String()}, was, rules)
	})
}

// candidates are the preinstalled packages that a build in scope ships, by name
// or all, each with its effective load and its figures for a method.
func (s *Store) candidates(ctx context.Context, q querier, sc Scope, method string, names []string) ([]profile.Candidate, error) {
	args := scopeArgs(sc)
	args["method"], args["names"] = method, names
	var list []profile.Candidate
	err := s.readingFigures(ctx, q, sc, func() (missing []uuid.UUID, err error) {
		rows, err := q.Query(ctx, `
			select p.id, p.name,
				`+bestLabel+`,
				coalesce((select value #>> '{}'
					from claims
					where package_id = p.id and field = 'origin' and scope_kind = 'everywhere'),
					p.origin),
				coalesce(g.value ->> 'load', suggested_load(f.suggested, p.called)), g.value is null,
				coalesce(array(select jsonb_array_elements_text(g.value -> 'conditions')), '{}'),
				array(select distinct t.function
					from trials t
					where t.package_id = p.id and t.outcome = 'function-lost' and t.function <> ''
					order by 1),
				coalesce((select array(select jsonb_array_elements_text(k.value))
					from claims k
					where k.package_id = p.id and k.field = 'functions' and k.value is not null),
					'{}'),
				(select k.value from claims k where k.package_id = p.id and k.field = 'substitutes'),
				coalesce(f.strip, ''), coalesce(f.ceiling, 1), coalesce(f.floor, 0), coalesce(f.standing, 'untried'),
				coalesce(f.phones, 0), coalesce(f.people, 0), coalesce(f.harmed_phones, 0),
				coalesce(f.suggested, 'unproven'),
				length(f.strip) - length(regexp_replace(f.strip, '[CLFN]', '', 'g')),
				length(f.strip) - length(replace(f.strip, 'r', '')),
				exists (select from presence x join builds b on b.id = x.build_id join facts k on k.id = x.facts_id
					where x.package_id = p.id and b.model_id = @model and k.starts_at_boot), `+lacking(sc)+`
			from `+held(sc)+`
			`+figuresJoin(sc, args)+`
			`+claimJoin(sc, "load", "g")+`
			where @names::text[] is null or p.name = any(@names)`, planned, args)
		if err != nil {
			return nil, err
		}
		list, err = pgx.CollectRows(rows, func(r pgx.CollectableRow) (c profile.Candidate, err error) {
			var id uuid.UUID
			var back, refused *int
			var without bool
			err = r.Scan(&id, &c.Package, &c.Label, &c.Origin, &c.Load, &c.BySuggestion, &c.Conditions, &c.Lost,
				&c.Functions, &c.Substitutes, &c.Strip, &c.Ceiling, &c.Floor, &c.Standing, &c.Phones, &c.People,
				&c.Harmed, &c.Suggested, &back, &refused, &c.StartsAtBoot, &without)
			if back != nil {
				c.ComesBack, c.Refused = *back, *refused
			}
			if without {
				missing = append(missing, id)
			}
			return c, err
		})
		return missing, err
	})
	return list, err
}
