package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
	"roster/core/impact"
	"roster/core/run"
)

// CheckAnswer is what somebody found when they tried something after a run.
type CheckAnswer struct {
	Answer      run.Answer
	Note        string
	Attachments []uuid.UUID
	// At is when it was tried; zero is now.
	At time.Time
}

// AnswerCheck writes the answer to a check; the last one stands.
func (s *Store) AnswerCheck(ctx context.Context, id uuid.UUID, number int, person uuid.UUID, a CheckAnswer) error {
	return s.changeRun(ctx, id, func(tx pgx.Tx, _ *lockedRun) error {
		if err := useAttachments(ctx, tx, person, a.Attachments); err != nil {
			return err
		}
		if a.Attachments == nil {
			a.Attachments = []uuid.UUID{}
		}
		var at *time.Time
		if !a.At.IsZero() {
			at = &a.At
		}
		tag, err := tx.Exec(ctx, `
			update run_checks
			set answer = $3, note = $4, attachments = $5, answered_by = case when $3 = '' then null
				else $6::uuid end, answered_at = case when $3 = '' then null else coalesce($7::timestamptz, now()) end
			where run_id = $1 and number = $2`, id, number, string(a.Answer), a.Note, a.Attachments, person, at)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		// Whoever has finished the list needs no reminder of it.
		_, err = tx.Exec(ctx, `
			update runs
			set remind_at = null
			where id = $1 and not exists (select from run_checks where run_id = $1 and answer = '')`, id)
		if err != nil {
			return err
		}
		return speakFor(ctx, tx, id)
	})
}

// didAll says that run r did at least all that release e takes off a phone, by
// the same methods, and left none of it out for this phone.
const didAll = `not exists (
	select from release_packages x
	join packages k on k.id = x.package_id
	where x.release_id = e.id and not exists (
		select from run_steps s
		where s.run_id = r.id and s.kind = 'remove' and s.package = k.name and s.step ->> 'method' = x.method
			and s.state in ('done', 'already', 'absent', 'refused')))`

// speakFor notes of which releases a run did at least all that they do, and
// what it says of them.
func speakFor(ctx context.Context, tx pgx.Tx, id uuid.UUID) error {
	found, narrowed, err := narrowedDown(ctx, tx, id)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from release_runs where run_id = $1`, id); err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		insert into release_runs (release_id, run_id, phone, checked, harmed)
		select e.id, r.id, r.phone, c.whole and c.until >= r.ended_at + interval '1 day', c.broken
		from runs r
		join profiles p on p.id = r.profile_id
		join profiles o on o.model_id = p.model_id
		join releases e on e.profile_id = o.id
		cross join lateral (
			select coalesce(bool_and(answer in ('works', 'broken')), false) as whole,
				coalesce(bool_or(answer = 'broken'), false) as broken, max(answered_at) as until
			from run_checks where run_id = r.id) c
		where r.id = $1 and r.state in ('finished', 'put-back') and (c.broken or r.state = 'finished')
			and `+didAll+`
			and (not $2
				or exists (select from release_packages x
					join packages k on k.id = x.package_id
					where x.release_id = e.id and k.name = any($3)))`, id, narrowed, found)
	if err != nil {
		return err
	}
	// The public pages tell of it.
	return notify(ctx, tx, Event{Topic: ReleasesChanged})
}

// narrowedDown are the packages that what was broken after a run was narrowed
// down to, and whether each of it was: then the run says nothing of releases
// that leave all of them alone.
func narrowedDown(ctx context.Context, tx pgx.Tx, id uuid.UUID) (found []string, all bool, err error) {
	var hunts []run.Hunt
	var broken []int
	err = tx.QueryRow(ctx, `
		select hunts, array(select number from run_checks where run_id = r.id and answer = 'broken')
		from runs r where r.id = $1`, id).Scan(&hunts, &broken)
	if err != nil {
		return nil, false, err
	}
	at := map[int]string{}
	for _, h := range hunts {
		if h.Found != "" {
			at[h.Check] = string(h.Found)
		}
	}
	found = []string{}
	for _, number := range broken {
		if at[number] != "" {
			found = append(found, at[number])
		}
	}
	return found, len(broken) > 0 && len(found) == len(broken), nil
}

// PublicRuns lists the numbers of the runs of releases that have ended, the
// latest first.
func (s *Store) PublicRuns(ctx context.Context, limit int) ([]int64, error) {
	rows, err := s.pool.Query(ctx, `
		select number
		from runs
		where release_id is not null and state in ('finished', 'put-back')
		order by number desc
		limit $1`, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// OwnFigures are what releases' own runs come to, by release.
func (s *Store) OwnFigures(ctx context.Context, releases []uuid.UUID) (map[uuid.UUID]run.Own, error) {
	rows, err := s.pool.Query(ctx, `
		select release_id, phone, coalesce(checked, false), harmed
		from release_runs
		where release_id = any($1)`, releases)
	if err != nil {
		return nil, err
	}
	lists := map[uuid.UUID][]run.Ran{}
	var release uuid.UUID
	var one run.Ran
	if _, err := pgx.ForEachRow(rows, []any{&release, &one.Phone, &one.Checked, &one.Harmed}, func() error {
		lists[release] = append(lists[release], one)
		return nil
	}); err != nil {
		return nil, err
	}
	out := make(map[uuid.UUID]run.Own, len(releases))
	for _, id := range releases {
		out[id] = run.OwnCeiling(lists[id])
	}
	return out, nil
}

// Carried are the functions that packages carry by what people say, and those
// that trials found missing without them.
func (s *Store) Carried(ctx context.Context, names []string) (carries, missed map[android.PackageName][]string, err error) {
	rows, err := s.pool.Query(ctx, `
		select p.name,
			coalesce((select array(select jsonb_array_elements_text(k.value))
				from claims k
				where k.package_id = p.id and k.field = 'functions' and k.scope_kind = 'everywhere'
					and k.value is not null),
				'{}'),
			array(select distinct t.function
				from trials t
				where t.package_id = p.id and t.outcome = 'function-lost' and t.function <> '')
		from packages p where p.name = any($1)`, names)
	if err != nil {
		return nil, nil, err
	}
	carries, missed = map[android.PackageName][]string{}, map[android.PackageName][]string{}
	var name android.PackageName
	var c, m []string
	_, err = pgx.ForEachRow(rows, []any{&name, &c, &m}, func() error {
		carries[name], missed[name] = c, m
		c, m = nil, nil
		return nil
	})
	return carries, missed, err
}

// Pointers are what is known of packages on a build that points to what is
// broken.
func (s *Store) Pointers(ctx context.Context, build uuid.UUID, names []string) (run.Pointers, error) {
	carries, missed, err := s.Carried(ctx, names)
	if err != nil {
		return run.Pointers{}, err
	}
	net, err := s.Net(ctx, build)
	return run.Pointers{Carries: carries, Missed: missed, Net: net}, err
}

// ErrHunting says that something of the run is being narrowed down already.
var ErrHunting = errors.New("something else of this run is being narrowed down: answer that first")

// setHunt writes how far a halving of a locked run is: one for each check, one
// at a time.
func setHunt(ctx context.Context, tx pgx.Tx, id uuid.UUID, hunt run.Hunt) error {
	var hunts []run.Hunt
	if err := tx.QueryRow(ctx, `select hunts from runs where id = $1`, id).Scan(&hunts); err != nil {
		return err
	}
	at := -1
	for i, h := range hunts {
		if h.Check == hunt.Check {
			at = i
		} else if !h.Over {
			return ErrHunting
		}
	}
	if at >= 0 {
		hunts[at] = hunt
	} else {
		hunts = append(hunts, hunt)
	}
	raw, err := json.Marshal(hunts)
	if err != nil {
		return err
	}
	if _, err = tx.Exec(ctx, `update runs set hunts = $2 where id = $1`, id, raw); err != nil || !hunt.Over {
		return err
	}
	return speakFor(ctx, tx, id)
}

// RunRecord puts together what a run has come to, for its draft.
func (s *Store) RunRecord(ctx context.Context, r Run) (run.RunRecord, error) {
	steps, err := s.RunSteps(ctx, r.ID, 0)
	if err != nil {
		return run.RunRecord{}, err
	}
	f := run.RunRecord{
		Run:       r.ID.String(),
		Build:     r.BuildID.String(),
		Phone:     r.Phone,
		On:        r.StartedAt.UTC().Format(time.DateOnly),
		Journal:   journalOf(steps),
		Back:      r.Back,
		Restarted: r.Restarted,
		Hunts:     r.Hunts,
	}
	names := []string{}
	for _, j := range f.Journal {
		if j.Kind == run.Remove {
			names = append(names, string(j.Package))
		}
	}
	if f.Carries, _, err = s.Carried(ctx, names); err != nil {
		return f, err
	}
	for _, loss := range r.document.Costs {
		for _, name := range loss.Packages {
			f.Carries[name] = append(f.Carries[name], loss.Function)
		}
	}
	for _, c := range r.Checks {
		f.Checks = append(f.Checks, c.Check)
		if c.AnsweredAt != nil && r.EndedAt != nil {
			f.WatchedDays = max(f.WatchedDays, int(c.AnsweredAt.Sub(*r.EndedAt).Hours()/24))
		}
	}
	return f, nil
}

// DraftRun puts the trials that a run comes to into a person's tray, but for
// those that were drafted from it before. It returns how many.
func (s *Store) DraftRun(ctx context.Context, r Run, person uuid.UUID, drafts []run.Drafted) (n int, err error) {
	names := make([]string, len(drafts))
	for i, d := range drafts {
		names[i] = string(d.Package)
	}
	known, _, err := s.Known(ctx, names, nil)
	if err != nil {
		return 0, err
	}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `select from runs where id = $1 for update`, r.ID); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `
			select p.name || ' ' || (e.value ->> 'method') || ' ' || (e.value ->> 'outcome')
			from edits e
			join packages p on p.id = e.package_id
			where e.field = 'trial' and e.value ? 'run' and e.value ->> 'run' = $1
				and e.state in ('in-tray', 'open', 'accepted')`, r.ID.String())
		if err != nil {
			return err
		}
		there, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		drafted := map[string]bool{}
		for _, k := range there {
			drafted[k] = true
		}
		var edits []NewEdit
		for _, d := range drafts {
			if drafted[fmt.Sprint(d.Package, " ", d.Value.Method, " ", d.Value.Outcome)] {
				continue
			}
			value, err := json.Marshal(d.Value)
			if err != nil {
				return err
			}
			if err := change.Check(change.Trial, catalog.Scope{Kind: catalog.Everywhere}, value); err != nil {
				return fmt.Errorf("the trial of %s: %w", d.Package, err)
			}
			edits = append(
				edits,
				NewEdit{
					Package: known[string(d.Package)],
					Field:   change.Trial,
					Scope:   catalog.Scope{Kind: catalog.Everywhere},
					Value:   value,
					Reason:  fmt.Sprintf("Seen in run %d of %s.", r.Number, runName(r.RunLine)),
				},
			)
		}
		n = len(edits)
		if n == 0 {
			return nil
		}
		if _, _, err := addEdits(ctx, tx, person, edits); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update runs set drafted_at = now(), remind_at = null where id = $1`, r.ID)
		return err
	})
	return n, err
}

// runName is what a run applied, in words.
func runName(r RunLine) string {
	if r.Release == 0 {
		return r.EditionName + ", a draft"
	}
	return fmt.Sprintf("%s, no. %d", r.EditionName, r.Release)
}

// RemindOfRuns tells people whose check lists are due, once.
func (s *Store) RemindOfRuns(ctx context.Context) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			with due as (select id, person_id, profile_id, number, phone_name
				from runs
				where remind_at <= now() for update skip locked),
			told as (insert into notices (id, person_id, kind, profile_id, run_id, words)
				select gen_random_uuid(), d.person_id, 'check-due', d.profile_id, d.id,
					'Used for a week? The check list of run ' || d.number || ' on ' || d.phone_name || ' waits for you.'
				from due d)
			update runs r set remind_at = null from due d where r.id = d.id`)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		return notify(ctx, tx, Event{Topic: NoticesAdded})
	})
}

// Subject is the phone of a capture as a run is rehearsed for it: its own
// packages and facts, what people state, and what trials on its build met.
func (s *Store) Subject(ctx context.Context, capture uuid.UUID) (sub run.Subject, build uuid.UUID, phone string, err error) {
	return s.subject(ctx, s.pool, capture)
}

func (s *Store) subject(ctx context.Context, q querier, capture uuid.UUID) (sub run.Subject, build uuid.UUID, phone string, err error) {
	var facts android.PhoneFacts
	id := &sub.Identity
	err = q.QueryRow(ctx, `
		select c.build_id, c.phone, c.phone_facts, b.fingerprint, b.version, b.release, b.sdk, b.region, b.carrier,
			d.name, d.device, d.form, m.manufacturer
		from captures c
		join builds b on b.id = c.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		where c.id = $1`, capture).
		Scan(&build, &phone, &facts, &id.Fingerprint, &id.Incremental, &id.Release, &id.SDK, &id.Region, &id.Carrier, &id.MarketName, &id.Device, &id.Form, &id.Manufacturer)
	if isNone(err) {
		err = ErrNotFound
	}
	if err != nil {
		return sub, build, phone, err
	}
	sub.Facts, sub.Labels = facts, map[android.PackageName]string{}
	rows, err := q.Query(ctx, `
		select p.name, `+bestLabel+`,
			f.path, f.shared_user, f.starts_at_boot, f.persistent, f.system, f.partition, f.details, x.installed,
			x.enabled, x.updated, x.app_bytes, x.data_bytes, x.cache_bytes
		from sightings_of($1) x
		join packages p on p.id = x.package_id
		join facts f on f.id = x.facts_id`, capture)
	if err != nil {
		return sub, build, phone, err
	}
	sub.Packages, err = pgx.CollectRows(rows, func(r pgx.CollectableRow) (p android.Package, err error) {
		var label string
		var d detail
		var updated bool
		if err = r.Scan(&p.Name, &label, &p.Path, &p.SharedUser, &p.StartsAtBoot, &p.Persistent, &p.System, &p.Partition, &d, &p.Installed, &p.Enabled, &updated, &p.AppBytes, &p.DataBytes, &p.CacheBytes); err != nil {
			return p, err
		}
		p.Declares, p.Requests, p.Provides, p.Uses, p.OverlayTarget, p.Signer = d.Declares, d.Requests, d.Provides, d.Uses, d.OverlayTarget, d.Signer
		if updated {
			p.SystemPath, p.Path = p.Path, "/data/app"
		}
		sub.Labels[p.Name] = label
		return p, nil
	})
	if err != nil {
		return sub, build, phone, err
	}
	stated, err := statedLinks(ctx, q)
	if err != nil {
		return sub, build, phone, err
	}
	sub.Net = impact.Read(impact.Phone{Form: id.Form, Packages: sub.Packages, Facts: facts, Stated: stated})
	sub.Refused, sub.ComesBack, err = metOn(ctx, q, build)
	return sub, build, phone, err
}

// metOn counts, for packages that were tried on a build, the trials in which
// its phones refused to remove them, and those in which they returned.
func metOn(ctx context.Context, q querier, build uuid.UUID) (refused, back map[android.PackageName]int, err error) {
	rows, err := q.Query(ctx, `
		select p.name, count(*) filter (where t.outcome = 'refused' and t.method = 'remove-for-user')::int,
			count(*) filter (where t.persistence in ('back-after-restart', 'back-after-update') and `+trialGone+`)::int
		from trials t join packages p on p.id = t.package_id where t.build_id = $1 group by 1`, build)
	if err != nil {
		return nil, nil, err
	}
	refused, back = map[android.PackageName]int{}, map[android.PackageName]int{}
	var name android.PackageName
	var r, b int
	_, err = pgx.ForEachRow(rows, []any{&name, &r, &b}, func() error {
		refused[name], back[name] = r, b
		return nil
	})
	return refused, back, err
}

// StepHistory is what trials of a package's removal met on a build and elsewhere.
type StepHistory struct {
	Build   uuid.UUID `db:"build" json:"build"`
	Version string    `db:"version" json:"version"`
	Carrier string    `db:"carrier" json:"carrier"`
	Refused int       `db:"refused" json:"refused"`
	Let     int       `db:"let" json:"let"`
}

// MetBy lists what phones of a build's model did when a package was to be
// removed: how many refused, and how many let it go; that build first.
func (s *Store) MetBy(ctx context.Context, build uuid.UUID, name string) ([]StepHistory, error) {
	rows, err := s.pool.Query(ctx, `
		select b.id as build, b.version, b.carrier,
			count(distinct t.phone) filter (where t.outcome = 'refused')::int as refused,
			count(distinct t.phone) filter (where t.outcome <> 'refused')::int as let
		from trials t join packages p on p.id = t.package_id join builds b on b.id = t.build_id
		where p.name = $2 and t.method = 'remove-for-user' and b.model_id = (select model_id from builds where id = $1)
		group by b.id order by b.id = $1 desc, b.security_patch desc, b.version_key desc limit 20`, build, name)
	return collectRows[StepHistory](rows, err)
}
