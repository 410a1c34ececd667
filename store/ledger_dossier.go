package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/evidence"
)

// Package is one application id.
type Package struct {
	ID           uuid.UUID `db:"id" json:"id"`
	Name         string    `db:"name" json:"name"`
	Origin       string    `db:"origin" json:"origin"`
	OriginReason string    `db:"origin_reason" json:"originReason"`
	FirstSeen    time.Time `db:"first_seen" json:"firstSeen"`
	// Icon is true where a package file gave a picture of it.
	Icon bool `db:"icon" json:"icon"`
}

// Package finds a package by its name.
func (s *Store) Package(ctx context.Context, name string) (Package, error) {
	return oneLagging[Package](ctx, s, `select id, name, origin, origin_reason, first_seen,
		exists (select from package_files k where k.package_id = packages.id and k.icon is not null) as icon
		from packages
		where name = $1`, name)
}

// Claim is what the catalogue says in one field at one scope, and since when.
type Claim struct {
	Field     string          `db:"field" json:"field"`
	ScopeKind string          `db:"scope_kind" json:"scopeKind"`
	ScopeID   uuid.UUID       `db:"scope_id" json:"scopeId"`
	ScopeName string          `db:"scope_name" json:"scopeName"`
	Value     json.RawMessage `db:"value" json:"value"`
	Reason    string          `db:"reason" json:"reason"`
	SetBy     string          `db:"set_by" json:"setBy"`
	SetAt     time.Time       `db:"set_at" json:"setAt"`
	Change    int64           `db:"change" json:"change"`
}

// Scope is where the claim holds.
func (c Claim) Scope() catalog.Scope { return scopeOf(c.ScopeKind, c.ScopeID) }

// scopeName writes a scope as people say it.
const scopeName = `case %[1]s.scope_kind
	when 'maker' then (select name from makers where id = %[1]s.scope_id)
	when 'model' then (select name from models where id = %[1]s.scope_id)
	when 'build' then (select d.name || ' ' || trim(b.carrier || ' ' || b.version)
		from builds b
		join models d on d.id = b.model_id
		where b.id = %[1]s.scope_id)
	else 'everywhere' end`

// Claims lists everything that the catalogue says of a package.
func (s *Store) Claims(ctx context.Context, pkg uuid.UUID) ([]Claim, error) {
	return collectLagging[Claim](ctx, s, `
		select c.field, c.scope_kind, c.scope_id, `+named(scopeName, "c")+` as scope_name,
			c.value, c.reason, p.name as set_by, c.set_at, h.number as change
		from claims c join people p on p.id = c.set_by join changes h on h.id = c.change_id
		where c.package_id = $1 and c.value is not null order by c.field, c.scope_kind, c.scope_id limit 500`, pkg)
}

// Trial is one trial as a page lists it. The phone is only ever its hash.
type Trial struct {
	ID          uuid.UUID `db:"id" json:"id"`
	Phone       string    `db:"phone" json:"phone"`
	Person      string    `db:"person" json:"person"`
	Maker       string    `db:"maker" json:"maker"`
	Model       string    `db:"model" json:"model"`
	Version     string    `db:"version" json:"version"`
	Carrier     string    `db:"carrier" json:"carrier"`
	Release     string    `db:"release" json:"release"`
	Method      string    `db:"method" json:"method"`
	Outcome     string    `db:"outcome" json:"outcome"`
	Function    string    `db:"function" json:"function"`
	Persistence string    `db:"persistence" json:"persistence"`
	Recovery    string    `db:"recovery" json:"recovery"`
	// ByHand says whether its owner could switch it off in the phone's settings.
	ByHand      string `db:"by_hand" json:"byHand" enum:"done,not-offered,"`
	WatchedDays int    `db:"watched_days" json:"watchedDays"`
	Note        string `db:"note" json:"note"`
	// Tried lists what was tried afterwards.
	Tried       []string    `db:"tried" json:"tried" nullable:"false"`
	Attachments []uuid.UUID `db:"attachments" json:"attachments" nullable:"false"`
	At          time.Time   `db:"at" json:"at"`
	Change      int64       `db:"change" json:"change"`
	// Run is the number of the run that it was drafted from, 0 for none.
	Run int64 `db:"run" json:"run"`
}

// Trials lists a package's trials, newest first.
func (s *Store) Trials(ctx context.Context, pkg uuid.UUID, limit int) ([]Trial, error) {
	return collectLagging[Trial](ctx, s, `
		select t.id, t.phone, p.name as person, m.name as maker, d.name as model, b.version, b.carrier, b.release,
			t.method, t.outcome, t.function, t.persistence, t.recovery, t.by_hand, t.watched_days, t.note, t.tried,
				t.attachments, t.at, c.number as change, coalesce(r.number, 0) as run
		from trials t
		join people p on p.id = t.person_id
		join builds b on b.id = t.build_id
		join models d on d.id = b.model_id
			join makers m on m.id = d.maker_id join changes c on c.id = t.change_id left join runs r on r.id = t.run_id
		where t.package_id = $1 order by t.at desc, t.id desc limit $2`, pkg, limit)
}

// HandTrial is what an owner met who tried to switch a package off in their phone's
// settings: "done" or "not-offered".
type HandTrial struct {
	Phone  string `db:"phone"`
	ByHand string `db:"by_hand"`
}

// maxHandTrials bounds how many of them count: so many phones agree or differ.
const maxHandTrials = 500

// HandTrials lists what people tried by hand with a package, newest first.
func (s *Store) HandTrials(ctx context.Context, pkg uuid.UUID) ([]HandTrial, error) {
	return collectLagging[HandTrial](ctx, s, `
		select phone, by_hand
		from trials
		where package_id = $1 and by_hand <> '' order by at desc, id desc limit $2`, pkg, maxHandTrials)
}

// Evidence loads a package's trials as the calculations take them, and the
// installation's yardstick.
func (s *Store) Evidence(ctx context.Context, pkg uuid.UUID) ([]evidence.Trial, evidence.Yardstick, error) {
	y, _, err := yardstick(ctx, s.pool)
	if err != nil {
		return nil, y, err
	}
	trials, err := s.trialsNow(ctx, []uuid.UUID{pkg})
	return trials[pkg].trials(), y, err
}

// EvidenceOf loads the trials of several packages by name, where a build
// stands, and the installation's yardstick. Packages that are not known are
// left out.
func (s *Store) EvidenceOf(ctx context.Context, names []string, build uuid.UUID) (map[string][]evidence.Trial, evidence.Firmware, evidence.Yardstick, error) {
	var firmware evidence.Firmware
	y, _, err := yardstick(ctx, s.pool)
	if err != nil {
		return nil, firmware, y, err
	}
	known, _, err := s.Known(ctx, names, nil)
	if err != nil {
		return nil, firmware, y, err
	}
	ids := make([]uuid.UUID, 0, len(known))
	for _, id := range known {
		ids = append(ids, id)
	}
	trials, err := s.trialsNow(ctx, ids)
	if err != nil {
		return nil, firmware, y, err
	}
	where, err := firmwares(ctx, s.pool, []uuid.UUID{build})
	if err != nil {
		return nil, firmware, y, err
	}
	firmware, ok := where[build.String()]
	if !ok {
		return nil, firmware, y, fmt.Errorf("build %s: %w", build, ErrNotFound)
	}
	out := make(map[string][]evidence.Trial, len(known))
	for name, id := range known {
		out[name] = trials[id].trials()
	}
	return out, firmware, y, nil
}

// Shipping is a package on one build.
type Shipping struct {
	BuildID     uuid.UUID `db:"build_id" json:"buildId"`
	Maker       string    `db:"maker" json:"maker"`
	Model       string    `db:"model" json:"model"`
	ModelSlug   string    `db:"model_slug" json:"modelSlug"`
	Version     string    `db:"version" json:"version"`
	Carrier     string    `db:"carrier" json:"carrier"`
	Region      string    `db:"region" json:"region"`
	Release     string    `db:"release" json:"release"`
	Ships       bool      `db:"ships" json:"ships"`
	SwitchedOff bool      `db:"switched_off" json:"switchedOff"`
	VersionName string    `db:"version_name" json:"versionName"`
	Path        string    `db:"path" json:"path"`
	Privileged  bool      `db:"privileged" json:"privileged"`
	Boot        bool      `db:"boot" json:"boot"`
	// Icon is "yes" where it has an icon on the screen, "" where no capture told.
	Icon string `db:"icon" json:"icon" enum:"yes,no,"`
	// Platform is true where the key that signed the platform signed it.
	Platform   bool   `db:"platform" json:"platform"`
	SharedUser string `db:"shared_user" json:"sharedUser"`
	// Requests are the permissions that it asks for.
	Requests []string `db:"requests" json:"requests" nullable:"false"`
	Phones   int      `db:"phones" json:"phones"`
	// FirstSeen and LastSeen are the times of captures that have it; nil where
	// none does.
	FirstSeen *time.Time `db:"first_seen" json:"firstSeen,omitempty"`
	LastSeen  *time.Time `db:"last_seen" json:"lastSeen,omitempty"`
}

// shippedModels bounds the models that Ships lists.
const shippedModels = 20

// Ships lists the builds of models of which a build ships the package, oldest
// first: the model and the maker's models of the scope before others, and those
// that got it last. It tells how many such models there are in all.
func (s *Store) Ships(ctx context.Context, pkg uuid.UUID, sc Scope) (list []Shipping, models int, err error) {
	args := scopeArgs(sc)
	args["package"], args["most"] = pkg, shippedModels
	rows, err := s.pool.Query(ctx, `
		with nearest as materialized (
			select d.id, d.name, d.slug, m.id as maker_id, m.name as maker
			from shipped_by y
			join models d on d.id = y.model_id
			join makers m on m.id = d.maker_id
			where y.package_id = @package
			order by d.id = @model desc, m.id = @maker desc, y.newest desc, d.id
			limit @most)
		select b.id as build_id, d.maker, d.name as model, d.slug as model_slug, b.version, b.carrier, b.region,
			b.release,
			x.package_id is not null as ships, coalesce(x.switched_off, false) as switched_off,
			coalesce(f.version_name, '') as version_name, coalesce(f.path, '') as path,
			coalesce(f.privileged, false) as privileged, coalesce(f.starts_at_boot, false) as boot,
			coalesce(f.shared_user, '') as shared_user,
			case x.icon when true then 'yes' when false then 'no' else '' end as icon,
			coalesce(f.details ->> 'signer' = (select pf.details ->> 'signer'
				from presence ph
				join facts pf on pf.id = ph.facts_id
				where ph.build_id = b.id
					and ph.package_id = (select id from packages where name = 'android')), false) as platform,
			coalesce(array(select jsonb_array_elements_text(f.details -> 'requests') order by 1), '{}') as requests,
			(select count(distinct phone) from captures where build_id = b.id)::int as phones, seen.first_seen,
			seen.last_seen
		from nearest d
		join builds b on b.model_id = d.id
		left join presence x on x.build_id = b.id and x.package_id = @package
		left join facts f on f.id = x.facts_id
		cross join lateral (select min(c.taken_at) as first_seen, max(c.taken_at) as last_seen
			from captures c
			where c.build_id = b.id and found_in(c.id, c.inventory_id, @package)) seen
		order by d.id = @model desc, d.maker_id = @maker desc, d.maker, d.name, d.id, `+oldestFirst, args)
	if list, err = collectRows[Shipping](rows, err); err != nil {
		return nil, 0, err
	}
	err = s.pool.QueryRow(ctx, `select count(*)::int from shipped_by where package_id = $1`, pkg).Scan(&models)
	return list, models, err
}

// SourceRow is a source as a page lists it.
type SourceRow struct {
	ID    uuid.UUID `db:"id" json:"id"`
	Title string    `db:"title" json:"title"`
	Link  string    `db:"link" json:"link"`
	Quote string    `db:"quote" json:"quote"`
	Claim string    `db:"claim" json:"claim" enum:"about,clean,function-lost,fault,no-start,refused"`
	// Load is what the document calls the package, "" where it does not say.
	Load string `db:"load" json:"load"`
	// ScopeName is which builds it speaks of.
	ScopeName  string     `db:"scope_name" json:"scopeName"`
	Attachment *uuid.UUID `db:"attachment_id" json:"attachment,omitempty"`
	Person     string     `db:"person" json:"person"`
	At         time.Time  `db:"at" json:"at"`
	Change     int64      `db:"change" json:"change"`
}

// Sources lists what documents say of a package, newest first.
func (s *Store) Sources(ctx context.Context, pkg uuid.UUID, limit int) ([]SourceRow, error) {
	rows, err := s.pool.Query(ctx, `
		select s.id, s.title, s.link, s.quote, s.claim,
			s.load, `+named(scopeName, "s")+` as scope_name, s.attachment_id, p.name as person, s.at, c.number as change
		from sources s join people p on p.id = s.person_id join changes c on c.id = s.change_id
		where s.package_id = $1 order by s.at desc, s.id desc limit $2`, pkg, limit)
	return collectRows[SourceRow](rows, err)
}

// Past is one entry of a package's history.
type Past struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	At        time.Time       `db:"at" json:"at"`
	Author    string          `db:"author" json:"author"`
	Accepted  string          `db:"accepted" json:"acceptedBy"`
	Change    int64           `db:"change" json:"change"`
	Field     string          `db:"field" json:"field"`
	ScopeKind string          `db:"scope_kind" json:"scopeKind"`
	ScopeID   uuid.UUID       `db:"scope_id" json:"scopeId"`
	ScopeName string          `db:"scope_name" json:"scopeName"`
	Before    json.RawMessage `db:"before" json:"before"`
	After     json.RawMessage `db:"after" json:"after"`
	Reason    string          `db:"reason" json:"reason"`
	// Alone is true where its author accepted it, as the only one there.
	Alone bool `db:"alone" json:"alone"`
}

// History lists what was changed about a package, newest first.
func (s *Store) History(ctx context.Context, pkg uuid.UUID, limit int) ([]Past, error) {
	return collectLagging[Past](ctx, s, `
		select h.id, h.at, a.name as author, r.name as accepted, c.number as change, h.field, h.scope_kind,
			h.scope_id, `+named(scopeName, "h")+` as scope_name, h.before, h.after, h.reason, h.alone
		from history h
		join people a on a.id = h.author_id
		join people r on r.id = h.accepted_by
		join changes c on c.id = h.change_id
		where h.package_id = $1 order by h.at desc, h.id desc limit $2`, pkg, limit)
}

// LabelsOf lists names of a package by language; aliases have none.
func (s *Store) LabelsOf(ctx context.Context, pkg uuid.UUID) (map[string]string, []string, error) {
	rows, err := s.pool.Query(ctx, `
		select language, label
		from labels
		where package_id = $1
		order by language, not from_file, label
		limit 500`, pkg)
	if err != nil {
		return nil, nil, err
	}
	labels, aliases := map[string]string{}, []string{}
	var language, label string
	_, err = pgx.ForEachRow(rows, []any{&language, &label}, func() error {
		if language == "" {
			aliases = append(aliases, label)
		} else {
			labels[language] = label
		}
		return nil
	})
	return labels, aliases, err
}

// ReleasesWith names the current releases that take a package off.
func (s *Store) ReleasesWith(ctx context.Context, name string) ([]ReleaseLine, error) {
	rows, err := s.pool.Query(ctx, releaseLines+`
		where r.state = 'current'
			and r.id in (select x.release_id
				from release_packages x
				join packages k on k.id = x.package_id
				where k.name = $1)
		order by m.name, d.name, p.name limit 50`, name)
	return collectRows[ReleaseLine](rows, err)
}

// isNone reports whether a single-row query found nothing.
func isNone(err error) bool { return errors.Is(err, pgx.ErrNoRows) }
