package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
)

// everywhereID stands in SQL for the id of a maker, model or build where none is
// meant: figures and claims that hold everywhere have it, and scopes that are
// open at that end.
const everywhereID = `'00000000-0000-0000-0000-000000000000'`

// Maker, Model and Build are what the scope bar chooses from.
type Maker struct {
	ID   uuid.UUID `db:"id" json:"id"`
	Slug string    `db:"slug" json:"slug"`
	Name string    `db:"name" json:"name"`
	// Models counts the maker's models.
	Models int `db:"models" json:"models"`
}

// Model is one device type of a maker.
type Model struct {
	ID     uuid.UUID `db:"id" json:"id"`
	Maker  string    `db:"maker" json:"maker"`
	Slug   string    `db:"slug" json:"slug"`
	Name   string    `db:"name" json:"name"`
	Device string    `db:"device" json:"device"`
	Form   string    `db:"form" json:"form"`
	Builds int       `db:"builds" json:"builds"`
}

// Build is one firmware of a model.
type Build struct {
	ID            uuid.UUID `db:"id" json:"id"`
	ModelID       uuid.UUID `db:"model_id" json:"modelId"`
	Fingerprint   string    `db:"fingerprint" json:"fingerprint"`
	Version       string    `db:"version" json:"version"`
	Release       string    `db:"release" json:"release"`
	SecurityPatch string    `db:"security_patch" json:"securityPatch"`
	Region        string    `db:"region" json:"region"`
	Carrier       string    `db:"carrier" json:"carrier"`
	FirstSeen     time.Time `db:"first_seen" json:"firstSeen"`
	Packages      int       `db:"packages" json:"packages"`
}

// maxScope bounds each list of the scope bar.
const maxScope = 500

// Makers lists makers by name whose name holds the text.
func (s *Store) Makers(ctx context.Context, text string) ([]Maker, error) {
	rows, err := s.pool.Query(ctx, `
		select m.id, m.slug, m.name, (select count(*) from models where maker_id = m.id)::int as models
		from makers m
		where $1 = '' or m.name ilike $2
		order by m.name
		limit $3`, text, "%"+escapeLike(text)+"%", maxScope)
	return collectRows[Maker](rows, err)
}

// Models lists the models of a maker, by slug, whose name holds the text.
func (s *Store) Models(ctx context.Context, maker, text string) ([]Model, error) {
	rows, err := s.pool.Query(ctx, `
		select d.id, m.slug as maker, d.slug, d.name, d.device, d.form,
			(select count(*) from builds where model_id = d.id)::int as builds
		from models d join makers m on m.id = d.maker_id
		where m.slug = $1 and ($2 = '' or d.name ilike $3)
		order by d.name
		limit $4`, maker, text, "%"+escapeLike(text)+"%", maxScope)
	return collectRows[Model](rows, err)
}

const buildColumns = `b.id, b.model_id, b.fingerprint, b.version, b.release, b.security_patch,
	b.region, b.carrier, b.first_seen,
	(select count(*) from presence where build_id = b.id)::int as packages`

// oldestFirst orders builds as presence strips show them.
const oldestFirst = `b.carrier <> '', b.carrier, b.security_patch, b.version_key, b.id`

// newestBuild is the order in which a model's first build stands for it.
const newestBuild = `b.security_patch desc, b.version_key desc, b.carrier, b.id`

// Builds lists a model's builds, oldest first, open editions before carriers'.
func (s *Store) Builds(ctx context.Context, maker, model string) ([]Build, error) {
	rows, err := s.pool.Query(ctx, `
		select `+buildColumns+`
		from builds b join models d on d.id = b.model_id join makers m on m.id = d.maker_id
		where m.slug = $1 and d.slug = $2 order by `+oldestFirst+` limit $3`, maker, model, maxScope)
	return collectRows[Build](rows, err)
}

// Fingerprint is a build's.
func (s *Store) Fingerprint(ctx context.Context, build uuid.UUID) (fingerprint string, err error) {
	err = s.pool.QueryRow(ctx, `select fingerprint from builds where id = $1`, build).Scan(&fingerprint)
	if isNone(err) {
		err = ErrNotFound
	}
	return fingerprint, err
}

// Scope is what a page is about: everywhere, or narrowed to a maker, a model
// or a build.
type Scope struct {
	Maker *Maker
	Model *Model
	Build *Build
	// Target is the firmware that figures are seen from: the build, the
	// model's newest build, the maker or nothing.
	Target evidence.Firmware
}

// Claims is the narrowest claim scope of the page.
func (sc Scope) Claims() catalog.Scope {
	switch {
	case sc.Build != nil:
		return catalog.Scope{Kind: catalog.OfBuild, ID: sc.Build.ID.String()}
	case sc.Model != nil:
		return catalog.Scope{Kind: catalog.OfModel, ID: sc.Model.ID.String()}
	case sc.Maker != nil:
		return catalog.Scope{Kind: catalog.OfMaker, ID: sc.Maker.ID.String()}
	}
	return catalog.Scope{Kind: catalog.Everywhere}
}

// FindScope resolves the slugs of a maker and model and the id of a build;
// each may be empty, but a narrower one needs the wider ones.
func (s *Store) FindScope(ctx context.Context, maker, model, build string) (Scope, error) {
	return findScope(ctx, s.pool, maker, model, build)
}

func findScope(ctx context.Context, q querier, maker, model, build string) (Scope, error) {
	var sc Scope
	if maker == "" {
		return sc, nil
	}
	rows, err := q.Query(ctx, `select id, slug, name, 0 as models from makers where slug = $1`, maker)
	m, err := one[Maker](rows, err)
	if err != nil {
		return sc, fmt.Errorf("maker %q: %w", maker, err)
	}
	sc.Maker, sc.Target.Maker = &m, m.ID.String()
	if model == "" {
		return sc, nil
	}
	rows, err = q.Query(ctx, `
		select d.id, $1::text as maker, d.slug, d.name, d.device, d.form, 0 as builds
		from models d
		where d.maker_id = $2 and d.slug = $3`, maker, m.ID, model)
	d, err := one[Model](rows, err)
	if err != nil {
		return sc, fmt.Errorf("model %q: %w", model, err)
	}
	sc.Model, sc.Target.Model = &d, d.ID.String()
	where, arg := `where b.model_id = $1 order by `+newestBuild+` limit 1`, d.ID
	if build != "" {
		id, err := uuid.Parse(build)
		if err != nil {
			return sc, fmt.Errorf("build %q: %w", build, ErrNotFound)
		}
		where, arg = `where b.id = $1`, id
	}
	rows, err = q.Query(ctx, `select `+buildColumns+` from builds b `+where, arg)
	b, err := one[Build](rows, err)
	if err == nil && b.ModelID != d.ID {
		err = ErrNotFound
	}
	if err != nil {
		return sc, fmt.Errorf("build %q of %s: %w", build, d.Name, err)
	}
	if build != "" {
		sc.Build = &b
	}
	sc.Target.Build, sc.Target.Release = b.ID.String(), b.Release
	return sc, nil
}

// Columns lists the builds whose presence a page shows, at most limit: all of
// the scope's, oldest first, model by model.
func (s *Store) Columns(ctx context.Context, sc Scope, limit int) ([]Build, error) {
	where, args := `false`, []any{limit}
	switch {
	case sc.Model != nil:
		where, args = `b.model_id = $2`, append(args, sc.Model.ID)
	case sc.Maker != nil:
		where, args = `d.maker_id = $2`, append(args, sc.Maker.ID)
	}
	rows, err := s.pool.Query(ctx, `
		select `+buildColumns+` from builds b join models d on d.id = b.model_id
		where `+where+` order by d.name, `+oldestFirst+` limit $1`, args...)
	return collectRows[Build](rows, err)
}

var notSlug = regexp.MustCompile(`[^a-z0-9]+`)

// Slug turns a name into lower-case words joined by hyphens.
func Slug(name string) string {
	s := strings.Trim(notSlug.ReplaceAllString(strings.ToLower(name), "-"), "-")
	if len(s) > 80 {
		s = strings.Trim(s[:80], "-")
	}
	if s == "" {
		return "unnamed"
	}
	return s
}

// Recognised says what of a capture's phone was known before.
type Recognised struct {
	NewMaker bool `json:"newMaker"`
	NewModel bool `json:"newModel"`
	NewBuild bool `json:"newBuild"`
}

// ensureBuild finds the phone's build, making it and its model and maker
// where they are new. Makers of new things wait for each other.
func ensureBuild(ctx context.Context, tx pgx.Tx, id android.Identity, at time.Time) (build uuid.UUID, r Recognised, err error) {
	err = tx.QueryRow(ctx, `select id from builds where fingerprint = $1`, id.Fingerprint).Scan(&build)
	if !errors.Is(err, pgx.ErrNoRows) {
		return build, r, err
	}
	if err := lockCatalogue(ctx, tx); err != nil {
		return build, r, err
	}
	name, version := cmp.Or(id.MarketName, id.Model), cmp.Or(id.Incremental, id.DisplayID)
	var maker, model uuid.UUID
	r.NewMaker, err = ensure(ctx, tx, &maker,
		`select id from makers where lower(manufacturer) = lower($1)`, []any{id.Manufacturer},
		`
			insert into makers (id, slug, name, manufacturer)
			values ($1, $2, $3, $3)`, Slug(id.Manufacturer), id.Manufacturer)
	if err != nil {
		return build, r, fmt.Errorf("maker %s: %w", id.Manufacturer, err)
	}
	// Two device types may be sold under one name: the second's address
	// carries its device name too.
	r.NewModel, err = ensure(ctx, tx, &model,
		`select id from models where maker_id = $1 and device = $2`, []any{maker, id.Device},
		`insert into models (id, maker_id, slug, name, device, form) values ($1, $2,
			$3 || case when exists (select from models where maker_id = $2 and slug = $3) then $4
				else '' end, $5, $6, $7)`,
		maker, Slug(name), "-"+Slug(id.Device), name, id.Device, id.Form)
	if err != nil {
		return build, r, fmt.Errorf("model %s: %w", name, err)
	}
	r.NewBuild, err = ensure(ctx, tx, &build,
		`select id from builds where fingerprint = $1`, []any{id.Fingerprint},
		`
			insert into builds (id, model_id, fingerprint, version, release, sdk, security_patch, display_id, region,
				carrier, first_seen)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
		model, id.Fingerprint, version, id.Release, id.SDK, id.SecurityPatch, id.DisplayID, id.Region, id.Carrier, at)
	if err != nil {
		return build, r, fmt.Errorf("build %s: %w", id.Fingerprint, err)
	}
	return build, r, nil
}

// ensure finds a row or, under the catalogue's lock, inserts one with a new id
// as the first argument.
func ensure(ctx context.Context, tx pgx.Tx, id *uuid.UUID, find string, by []any, insert string, args ...any) (fresh bool, err error) {
	err = tx.QueryRow(ctx, find, by...).Scan(id)
	if !errors.Is(err, pgx.ErrNoRows) {
		return false, err
	}
	*id = NewID()
	_, err = tx.Exec(ctx, insert, append([]any{*id}, args...)...)
	return true, err
}

// lockCatalogue makes transactions that add makers, models, builds, packages
// or facts wait for each other.
func lockCatalogue(ctx context.Context, tx pgx.Tx) error {
	_, err := tx.Exec(ctx, `select pg_advisory_xact_lock(420)`)
	return err
}

// escapeLike makes text match itself in LIKE.
func escapeLike(text string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(text)
}

// ScopeByNames finds a claim's scope by the slugs of a maker and model or the
// fingerprint of a build.
func (s *Store) ScopeByNames(ctx context.Context, maker, model, fingerprint string) (catalog.Scope, error) {
	if fingerprint != "" {
		var id uuid.UUID
		err := s.pool.QueryRow(ctx, `select id from builds where fingerprint = $1`, fingerprint).Scan(&id)
		if isNone(err) {
			err = fmt.Errorf("build %q: %w", fingerprint, ErrNotFound)
		}
		return catalog.Scope{Kind: catalog.OfBuild, ID: id.String()}, err
	}
	sc, err := s.FindScope(ctx, maker, model, "")
	return sc.Claims(), err
}
