package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/impact"
	"roster/core/profile"
)

// freshenFirmware brings everything up to date that builds of models are
// compared for: what they bring, and how current releases stand on them. Nil
// stands for all models. It returns the builds that were not known before.
func (s *Store) freshenFirmware(ctx context.Context, tx pgx.Tx, models []uuid.UUID) (arrived []uuid.UUID, err error) {
	if arrived, err = freshenArrivals(ctx, tx, models); err != nil {
		return nil, err
	}
	return arrived, s.freshenHolds(ctx, tx, models)
}

// freshenHolds holds current releases against the captured builds of their
// models where that was not done, or is no longer so.
func (s *Store) freshenHolds(ctx context.Context, tx pgx.Tx, models []uuid.UUID) error {
	rows, err := tx.Query(ctx, `
		with made_for as (
			select r.id, p.id as profile_id, p.model_id
			from releases r
			join profiles p on p.id = r.profile_id
			where r.state = 'current'
			union select r.id, p.id, y.model_id
			from releases r
			join profiles p on p.id = r.profile_id
			join profile_sisters y on y.profile_id = p.id
			where r.state = 'current')
		select m.id as release, m.profile_id as profile, b.model_id as model, b.id as build,
			b.fingerprint, `+buildBefore+` as before, coalesce(h.stops, '') as stops
		from made_for m
		join builds b on b.model_id = m.model_id
		left join holds h on h.release_id = m.id and h.build_id = b.id
		where ($1::uuid[] is null or m.model_id = any($1)) and coalesce(h.made_from, '') <> $2
			and exists (select from captures c where c.build_id = b.id)
		order by b.model_id, m.id, b.id`, models, firmwareVersion)
	list, err := collectRows[openHold](rows, err)
	if err != nil || len(list) == 0 {
		return err
	}
	var releases []uuid.UUID
	for _, h := range list {
		releases = append(releases, h.Release)
	}
	documents, err := s.readDocuments(ctx, tx, releases)
	if err != nil {
		return err
	}
	for len(list) > 0 {
		n := slices.IndexFunc(list, func(h openHold) bool { return h.Model != list[0].Model })
		if n < 0 {
			n = len(list)
		}
		if err := s.holdAgainst(ctx, tx, list[:n], documents); err != nil {
			return err
		}
		list = list[n:]
	}
	return nil
}

// openHold is a release that is to be held against a build.
type openHold struct {
	Release     uuid.UUID  `db:"release"`
	Profile     uuid.UUID  `db:"profile"`
	Model       uuid.UUID  `db:"model"`
	Build       uuid.UUID  `db:"build"`
	Fingerprint string     `db:"fingerprint"`
	Before      *uuid.UUID `db:"before"`
	Stops       string     `db:"stops"`
}

// holdAgainst works out holds on builds of one model, and writes them.
func (s *Store) holdAgainst(ctx context.Context, tx pgx.Tx, list []openHold, documents map[uuid.UUID]*profile.Document) error {
	b, err := s.beside(ctx, tx, list, documents)
	if err != nil {
		return err
	}
	for _, open := range list {
		d := documents[open.Release]
		if d == nil || b.nets[open.Build] == nil {
			continue
		}
		on := profile.OnBuild{Fingerprint: open.Fingerprint, Net: b.nets[open.Build], Renamed: b.renamed[open.Build], CameBack: b.back[open.Build]}
		if open.Before != nil {
			on.Before = b.nets[*open.Before]
		}
		if made, ok := b.made(d, open.Build); ok {
			on.Made = b.nets[made]
		}
		if err := writeHold(ctx, tx, open, profile.Holds(d, on)); err != nil {
			return err
		}
	}
	return nil
}

// writeHold keeps a hold, and tells whoever has to know where it newly stops
// something.
func writeHold(ctx context.Context, tx pgx.Tx, open openHold, h profile.Hold) error {
	findings, err := json.Marshal(h.Findings)
	if err != nil {
		return err
	}
	stops := stopsDigest(h)
	_, err = tx.Exec(ctx, `
		insert into holds as h (release_id, build_id, state, claimed, ships, findings, stops, stopped_at, made_from)
		values ($1, $2, $3, $4, $5, $6, $7, case when $7 <> '' then now() end, $8)
		on conflict (release_id, build_id)
		do update set state = excluded.state, claimed = excluded.claimed, ships = excluded.ships,
			findings = excluded.findings, made_from = excluded.made_from,
			stops = excluded.stops, stopped_at = case when excluded.stops = '' then null
				when h.stops = excluded.stops then h.stopped_at else now() end`,
		open.Release, open.Build, string(h.State), h.Claimed, h.Ships, findings, stops, firmwareVersion)
	if err != nil || stops == open.Stops {
		return err
	}
	if stops != "" {
		if err := tellStops(ctx, tx, open, h); err != nil {
			return err
		}
	}
	return notify(ctx, tx, Event{Topic: ReleasesChanged})
}

// stopsDigest is the same while the same would stop, "" where nothing would.
func stopsDigest(h profile.Hold) string {
	sum := sha256.New()
	n := 0
	for _, f := range h.Findings {
		if f.State == profile.HoldStops {
			n++
			fmt.Fprintf(sum, "%q %q %q\n", f.Packages, f.Others, f.Role)
		}
	}
	if n == 0 {
		return ""
	}
	return hex.EncodeToString(sum.Sum(nil)[:16])
}

// tellStops tells maintainers, and those who follow the release, that it would
// stop something on a build.
func tellStops(ctx context.Context, tx pgx.Tx, open openHold, h profile.Hold) error {
	var words string
	err := tx.QueryRow(ctx, `
		select 'Not for ' || version || case when carrier <> '' then ' (' || carrier || ')' else '' end
		from builds
		where id = $1`, open.Build).Scan(&words)
	if err != nil {
		return err
	}
	for _, f := range h.Findings {
		if f.State == profile.HoldStops {
			words += ": " + f.Why
			break
		}
	}
	people, err := maintainersAndFollowers(ctx, tx, open.Profile, open.Model)
	if err != nil {
		return err
	}
	return addNotices(ctx, tx, people, NewNotice{Kind: "stops", Profile: &open.Profile, Build: &open.Build, Words: words})
}

// besides are what holds on builds of a model are worked out from.
type besides struct {
	nets    map[uuid.UUID]*impact.Net
	renamed map[uuid.UUID][]catalog.Renamed
	back    map[uuid.UUID]map[android.PackageName]int
	// newest are the builds of the model and its releases' claims, newest
	// first.
	newest []madeFor
}

type madeFor struct {
	ID          uuid.UUID `db:"id"`
	Fingerprint string    `db:"fingerprint"`
}

// made is the newest captured build that a release was made for, other than
// one.
func (b *besides) made(d *profile.Document, but uuid.UUID) (uuid.UUID, bool) {
	for _, m := range b.newest {
		if m.ID != but && b.nets[m.ID] != nil && slices.ContainsFunc(d.Builds, func(x profile.Build) bool { return x.Fingerprint == m.Fingerprint }) {
			return m.ID, true
		}
	}
	return uuid.Nil, false
}

func (s *Store) beside(ctx context.Context, tx pgx.Tx, list []openHold, documents map[uuid.UUID]*profile.Document) (*besides, error) {
	b := &besides{renamed: map[uuid.UUID][]catalog.Renamed{}, back: map[uuid.UUID]map[android.PackageName]int{}}
	rows, err := tx.Query(ctx, `
		select b.id, b.fingerprint
		from builds b
		where b.model_id = $1 and exists (select from captures c where c.build_id = b.id)
		order by `+newestBuild+` limit $2`, list[0].Model, maxScope)
	if b.newest, err = collectRows[madeFor](rows, err); err != nil {
		return nil, err
	}
	var builds []uuid.UUID
	want := map[uuid.UUID]bool{}
	for _, open := range list {
		builds = append(builds, open.Build)
		want[open.Build] = true
		if open.Before != nil {
			want[*open.Before] = true
		}
		// The two newest that it was made for: one of them may be the build
		// itself.
		for _, m := range b.newest {
			if d := documents[open.Release]; d != nil && slices.ContainsFunc(d.Builds, func(x profile.Build) bool { return x.Fingerprint == m.Fingerprint }) {
				want[m.ID] = true
				if m.ID != open.Build {
					break
				}
			}
		}
	}
	if b.nets, err = s.nets(ctx, tx, sortedIDs(want)); err != nil {
		return nil, err
	}
	rows, err = tx.Query(ctx, `select build_id, summary -> 'renamed' from arrivals where build_id = any($1)`, builds)
	if err != nil {
		return nil, err
	}
	var build uuid.UUID
	var renamed []catalog.Renamed
	if _, err := pgx.ForEachRow(rows, []any{&build, &renamed}, func() error { b.renamed[build], renamed = renamed, nil; return nil }); err != nil {
		return nil, err
	}
	rows, err = tx.Query(ctx, `
		select k.build_id, p.name, count(distinct k.phone)::int
		from came_back k
		join packages p on p.id = k.package_id
		where k.build_id = any($1)
		group by 1, 2`, builds)
	if err != nil {
		return nil, err
	}
	var name android.PackageName
	var n int
	_, err = pgx.ForEachRow(rows, []any{&build, &name, &n}, func() error {
		if b.back[build] == nil {
			b.back[build] = map[android.PackageName]int{}
		}
		b.back[build][name] = n
		return nil
	})
	return b, err
}

// Hold is how a release stands on a build.
type Hold struct {
	ReleaseID uuid.UUID `db:"release_id" json:"releaseId"`
	BuildID   uuid.UUID `db:"build_id" json:"buildId"`
	profile.Hold
	// StoppedAt is since when it is marked as not for this build; nil where it
	// is not, or where that was lifted.
	StoppedAt *time.Time `db:"stopped_at" json:"stoppedAt,omitempty"`
	// Lifted is who lifted the mark, and why.
	LiftedBy string     `db:"lifted_by" json:"liftedBy,omitempty"`
	LiftedAt *time.Time `db:"lifted_at" json:"liftedAt,omitempty"`
	Lifted   string     `db:"lifted" json:"lifted,omitempty"`
	Words    string     `json:"words"`
}

// triedThere says whether package x of a release was taken off a phone of build
// h.build_id by the release's method; who was removed for the user stands for
// disabled, too, and every trial for quietened, as in profile.Holds.
const triedThere = `exists (select from trials t
					where t.package_id = x.package_id and t.build_id = h.build_id and t.outcome <> 'refused'
				and (x.method = 'quieten' or t.method in (coalesce(x.method, 'remove-for-user'), 'remove-for-user')))`

// HoldsOn lists how releases stand on builds: those of releases, or all that
// are current where releases is nil.
func (s *Store) HoldsOn(ctx context.Context, builds, releases []uuid.UUID) ([]Hold, error) {
	rows, err := s.pool.Query(ctx, `
		select h.release_id, h.build_id, h.state, h.claimed, h.ships, h.findings, case
			when l.at is null then h.stopped_at end, coalesce(w.name, ''), l.at, coalesce(l.why, ''),
			(select count(*)
				from release_packages x
				join presence y on y.package_id = x.package_id and y.build_id = h.build_id
				where x.release_id = h.release_id and `+triedThere+`)::int
		from holds h join releases r on r.id = h.release_id
			left
			join lifts l on l.release_id = h.release_id and l.build_id = h.build_id and l.stops = h.stops
				and h.stops <> ''
			left join people w on w.id = l.person_id
		where h.build_id = any($1)
			and ($2::uuid[] is null and r.state = 'current' or h.release_id = any($2))`, builds, releases)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (h Hold, err error) {
		err = row.Scan(&h.ReleaseID, &h.BuildID, &h.State, &h.Claimed, &h.Ships, &h.Findings, &h.StoppedAt, &h.LiftedBy, &h.LiftedAt, &h.Lifted, &h.Tried)
		if h.State == profile.HoldUnproven && h.Claimed && h.Tried >= h.Ships {
			h.State = profile.Covered // trials came after it was written down
		}
		h.Words = h.Hold.Words()
		return h, err
	})
}

// NotFor is a build that a release would stop something on.
type NotFor struct {
	BuildID     uuid.UUID `db:"build_id" json:"-"`
	Fingerprint string    `db:"fingerprint" json:"fingerprint"`
	Version     string    `db:"version" json:"version"`
	Carrier     string    `db:"carrier" json:"carrier,omitempty"`
	Region      string    `db:"region" json:"region,omitempty"`
	Why         string    `db:"why" json:"why"`
	Since       time.Time `db:"since" json:"since"`
}

// Name is what people call the build.
func (n NotFor) Name() string {
	return strings.Join(strings.Fields(n.Carrier+" "+n.Region+" "+n.Version), " ")
}

// NotFor lists the builds that releases are marked as not for, by release: what
// would stop there, unless somebody lifted the mark.
func (s *Store) NotFor(ctx context.Context, releases []uuid.UUID) (map[uuid.UUID][]NotFor, error) {
	rows, err := s.pool.Query(ctx, `
		select h.release_id, b.id, b.fingerprint, b.version, b.carrier, b.region,
			coalesce((select f ->> 'why'
				from jsonb_array_elements(h.findings) f
				where f ->> 'state' = 'stops'
				limit 1),
				''),
			h.stopped_at
		from holds h join builds b on b.id = h.build_id
		where h.release_id = any($1) and h.stops <> ''
			and not exists (select from lifts l
				where l.release_id = h.release_id and l.build_id = h.build_id and l.stops = h.stops)
		order by `+newestBuild, releases)
	if err != nil {
		return nil, err
	}
	out := map[uuid.UUID][]NotFor{}
	var release uuid.UUID
	var n NotFor
	_, err = pgx.ForEachRow(rows, []any{&release, &n.BuildID, &n.Fingerprint, &n.Version, &n.Carrier, &n.Region, &n.Why, &n.Since}, func() error {
		out[release] = append(out[release], n)
		return nil
	})
	return out, err
}

// Lift takes the mark off a release that it would stop something on a build: a
// person says why it may run there all the same. It stands until something
// else would stop. ErrState where there is no mark.
func (s *Store) Lift(ctx context.Context, release, build, person uuid.UUID, why string) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			insert into lifts (release_id, build_id, stops, person_id, why) select release_id, build_id, stops, $3, $4
			from holds
			where release_id = $1 and build_id = $2 and stops <> ''
			on conflict do nothing`, release, build, person, why)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrState
		}
		if err != nil {
			return err
		}
		var profile, model uuid.UUID
		if err := tx.QueryRow(ctx, `
			select r.profile_id, b.model_id
			from releases r, builds b
			where r.id = $1 and b.id = $2`, release, build).Scan(&profile, &model); err != nil {
			return err
		}
		people, err := maintainersAndFollowers(ctx, tx, profile, model)
		if err != nil {
			return err
		}
		if err := addNotices(ctx, tx, people, NewNotice{Kind: "lifted", Profile: &profile, Build: &build, By: &person, Words: why}); err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: ReleasesChanged}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "release.lifted", Subject: release.String(), Detail: map[string]any{"build": build, "why": why}})
	})
}
