package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/profile"
	"roster/core/run"
)

// RunLine is a run in a list.
type RunLine struct {
	ID     uuid.UUID `db:"id" json:"id"`
	Number int64     `db:"number" json:"number"`
	// ReleaseID is null for a draft; Release is then 0.
	ReleaseID   *uuid.UUID `db:"release_id" json:"releaseId,omitempty"`
	ProfileID   uuid.UUID  `db:"profile_id" json:"profileId"`
	Release     int        `db:"release" json:"release"`
	Edition     string     `db:"edition" json:"edition"`
	EditionName string     `db:"edition_name" json:"editionName"`
	Maker       string     `db:"maker" json:"maker"`
	MakerName   string     `db:"maker_name" json:"makerName"`
	Model       string     `db:"model" json:"model"`
	ModelName   string     `db:"model_name" json:"modelName"`
	BuildID     uuid.UUID  `db:"build_id" json:"buildId"`
	Version     string     `db:"version" json:"version"`
	Android     string     `db:"android" json:"android"`
	Carrier     string     `db:"carrier" json:"carrier"`
	// Phone is the keyed hash of the phone's serial number.
	Phone     string    `db:"phone" json:"phone"`
	PhoneName string    `db:"phone_name" json:"phoneName"`
	Form      string    `db:"form" json:"form"`
	BenchID   uuid.UUID `db:"bench_id" json:"benchId"`
	PersonID  uuid.UUID `db:"person_id" json:"personId"`
	Person    string    `db:"person" json:"person"`
	// State is lapsed to interrupted where its bench has not been heard of.
	State       run.RunState `db:"state" json:"state" enum:"going,stopped,held,interrupted,finished,put-back"`
	Why         string       `db:"why" json:"why"`
	PuttingBack bool         `db:"putting_back" json:"puttingBack"`
	StopAsked   bool         `db:"stop_asked" json:"stopAsked"`
	Settled     bool         `db:"settled" json:"settled"`
	Attempt     int          `db:"attempt" json:"attempt"`
	Seq         int64        `db:"seq" json:"seq"`
	StartedAt   time.Time    `db:"started_at" json:"startedAt"`
	EndedAt     *time.Time   `db:"ended_at" json:"endedAt,omitempty"`
	DraftedAt   *time.Time   `db:"drafted_at" json:"draftedAt,omitempty"`
	// Counts are steps by state.
	Counts map[run.State]int `db:"counts" json:"counts"`
	Broken int               `db:"broken" json:"broken" doc:"Checks that are broken"`
	Open   int               `db:"open" json:"open" doc:"Checks that nobody has answered"`
}

// lapsed is true for a run whose bench has not been heard of; a lease that
// lies further ahead than any can, after a clock was set, has lapsed, too.
const lapsed = `(r.state = 'going' and (r.lease < now() or r.lease > now() + interval '5 minutes'))`

const runLines = `
	select r.id, r.number, r.release_id, r.profile_id, coalesce(e.number, 0) as release, p.slug as edition,
		p.name as edition_name,
		m.slug as maker, m.name as maker_name, d.slug as model, d.name as model_name, r.build_id, b.version,
			b.release as android, b.carrier,
		r.phone, r.phone_name, r.form, r.bench_id, r.person_id, w.name as person,
		case when ` + lapsed + ` then 'interrupted' else r.state end as state,
		case when ` + lapsed + ` then 'The bench has not been heard of.' else r.why end as why,
		r.putting_back, r.stop_asked, r.settled and not ` + lapsed + ` as settled,
		r.attempt, r.seq, r.started_at, r.ended_at, r.drafted_at,
		coalesce((select jsonb_object_agg(x.state, x.n)
			from (select s.state, count(*) as n from run_steps s where s.run_id = r.id group by 1) x),
			'{}') as counts,
		(select count(*) from run_checks c where c.run_id = r.id and c.answer = 'broken')::int as broken,
		(select count(*) from run_checks c where c.run_id = r.id and c.answer = '')::int as open
	from runs r join profiles p on p.id = r.profile_id left join releases e on e.id = r.release_id
		join builds b on b.id = r.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		join people w on w.id = r.person_id`

// RunQuery says which runs are wanted; zero values mean all.
type RunQuery struct {
	Phone   string
	Release uuid.UUID
	Profile uuid.UUID
	Scope   Scope
	// Open wants only runs that are going, or can be gone on with.
	Open bool
	// Before continues a list after its last run's number.
	Before int64
	Limit  int
}

// Runs lists runs, newest first.
func (s *Store) Runs(ctx context.Context, q RunQuery) ([]RunLine, error) {
	args := scopeArgs(q.Scope)
	args["phone"], args["release"], args["profile"], args["open"], args["before"], args["limit"] = q.Phone, q.Release, q.Profile, q.Open, q.Before, q.Limit
	rows, err := s.pool.Query(ctx, runLines+`
		where (@phone = '' or r.phone = @phone)
			and (@release = `+everywhereID+`::uuid or r.release_id = @release)
			and (@profile = `+everywhereID+`::uuid or r.profile_id = @profile)
			and (@maker = `+everywhereID+`::uuid or m.id = @maker)
				and (@model = `+everywhereID+`::uuid or d.id = @model)
			and (not @open or r.state in ('going', 'stopped', 'held', 'interrupted'))
				and (@before = 0 or r.number < @before)
		order by r.number desc limit @limit`, args)
	return collectRows[RunLine](rows, err)
}

// Run is a run with everything but its steps.
type Run struct {
	RunLine
	Choices run.Choices `db:"choices" json:"choices"`
	// Jobs are who does what on the phone now, beside before the run.
	Jobs      []run.Job                      `db:"-" json:"jobs" nullable:"false"`
	LockCode  android.LockCode               `db:"-" json:"lockCode"`
	NowAt     *time.Time                     `db:"now_at" json:"nowAt,omitempty"`
	Restarted bool                           `db:"restarted" json:"restarted"`
	Back      map[android.PackageName]string `db:"back" json:"back" doc:"What returned by itself, and when"`
	Hunts     []run.Hunt                     `db:"hunts" json:"hunts" nullable:"false"`
	Checks    []RunCheck                     `db:"-" json:"checks" nullable:"false"`
	document  *profile.Document
	before    *run.Seen
	now       *run.Seen
}

// Document is what was run.
func (r *Run) Document() *profile.Document { return r.document }

// RunCheck is a check with who answered it.
type RunCheck struct {
	run.Check
	AnsweredBy string     `json:"answeredBy"`
	AnsweredAt *time.Time `json:"answeredAt,omitempty"`
}

// RunStep is a step of a run with what came of it.
type RunStep struct {
	run.Journal
	SentAt  *time.Time `json:"sentAt,omitempty"`
	EndedAt *time.Time `json:"endedAt,omitempty"`
	Took    int        `json:"took" doc:"Milliseconds"`
	Seq     int64      `json:"seq"`
	// Means explains a bad end, nil where there is none.
	Means *run.Meaning `json:"means,omitempty"`
}

// RunByID reads a run.
func (s *Store) RunByID(ctx context.Context, id uuid.UUID) (Run, error) {
	return readRun(ctx, s.pool, id)
}

// RunByNumber finds a run by its number.
func (s *Store) RunByNumber(ctx context.Context, number int64) (Run, error) {
	var id uuid.UUID
	if err := s.pool.QueryRow(ctx, `select id from runs where number = $1`, number).Scan(&id); err != nil {
		if isNone(err) {
			err = ErrNotFound
		}
		return Run{}, err
	}
	return readRun(ctx, s.pool, id)
}

func readRun(ctx context.Context, q querier, id uuid.UUID) (Run, error) {
	rows, err := q.Query(ctx, runLines+` where r.id = $1`, id)
	line, err := one[RunLine](rows, err)
	if err != nil {
		return Run{}, err
	}
	r := Run{RunLine: line, Jobs: []run.Job{}, Checks: []RunCheck{}, Hunts: []run.Hunt{}, Back: map[android.PackageName]string{}}
	err = q.QueryRow(ctx, `
		select choices, now_at, restarted, back, hunts, document, before, now from runs where id = $1`, id).
		Scan(&r.Choices, &r.NowAt, &r.Restarted, &r.Back, &r.Hunts, &r.document, &r.before, &r.now)
	if err != nil {
		return r, err
	}
	if r.before != nil && r.now != nil {
		r.Jobs, r.LockCode = run.Jobs(r.Form, r.before, r.now), r.now.Facts.LockCode
	}
	crows, err := q.Query(ctx, `
		select c.number, c.text, c.function, c.answer, c.note, c.attachments::text[], coalesce(w.name, ''),
			c.answered_at
		from run_checks c left join people w on w.id = c.answered_by where c.run_id = $1 order by c.number`, id)
	if err != nil {
		return r, err
	}
	r.Checks, err = pgx.CollectRows(crows, func(row pgx.CollectableRow) (c RunCheck, err error) {
		err = row.Scan(&c.Number, &c.Text, &c.Function, &c.Answer, &c.Note, &c.Attachments, &c.AnsweredBy, &c.AnsweredAt)
		return c, err
	})
	return r, err
}

// RunSteps lists a run's steps that changed after seq; 0 for all. What its
// bench had under way when it was last heard of is unknown.
func (s *Store) RunSteps(ctx context.Context, id uuid.UUID, after int64) ([]RunStep, error) {
	return runSteps(ctx, s.pool, id, after)
}

func runSteps(ctx context.Context, q querier, id uuid.UUID, after int64) ([]RunStep, error) {
	rows, err := q.Query(ctx, `
		select s.step, case when s.state = 'sent' and `+lapsed+` then 'unknown' else s.state end,
			s.words, s.before, s.sent_at, s.ended_at, s.took, s.seq
		from run_steps s
		join runs r on r.id = s.run_id
		where s.run_id = $1 and s.seq > $2
		order by s.number`, id, after)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (st RunStep, err error) {
		if err = row.Scan(&st.Step, &st.State, &st.Words, &st.Before, &st.SentAt, &st.EndedAt, &st.Took, &st.Seq); err != nil {
			return st, err
		}
		if st.State == run.Refused || st.State == run.Failed {
			m := st.Explain(st.Words)
			st.Means = &m
		}
		return st, nil
	})
}

func journalOf(steps []RunStep) []run.Journal {
	list := make([]run.Journal, len(steps))
	for i, s := range steps {
		list[i] = s.Journal
	}
	return list
}

// NewRun is a run that is to begin.
type NewRun struct {
	Profile  uuid.UUID
	Release  *uuid.UUID
	Document *profile.Document
	Build    uuid.UUID
	Capture  uuid.UUID
	Phone    string
	Name     string
	Form     string
	Bench    uuid.UUID
	Person   uuid.UUID
	Choices  run.Choices
	// Ask is what the bench is asked for then; nil for a run that is written
	// down without one.
	Ask func(id uuid.UUID) Ask
}

// DateRun sets when a run was that is written down later than it was done.
func (s *Store) DateRun(ctx context.Context, id uuid.UUID, at time.Time) error {
	_, err := s.pool.Exec(ctx, `
		update runs
		set started_at = $2::timestamptz, ended_at = case when ended_at is null then null
			else $2::timestamptz + interval '3 minutes' end, remind_at = null
		where id = $1`, id, at)
	if err != nil {
		return err
	}
	_, err = s.pool.Exec(ctx, `update measurements set at = $2 where run_id = $1`, id, at)
	return err
}

// ErrRunning says that a run is going on the phone already.
var ErrRunning = errors.New("a run is going on this phone already")

// StartRun writes down a run with all its steps before anything of it is sent,
// and asks its bench for it.
func (s *Store) StartRun(ctx context.Context, n NewRun) (id uuid.UUID, err error) {
	id = NewID()
	document, err := json.Marshal(n.Document)
	if err != nil {
		return id, err
	}
	choices, err := json.Marshal(n.Choices)
	if err != nil {
		return id, err
	}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if err := lapseRuns(ctx, tx, n.Phone); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `
			insert into runs (id, profile_id, release_id, document, build_id, capture_id, phone, phone_name, form,
				bench_id, person_id, choices, state, lease, seq)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, 'going', now() + $13::interval, 1)`,
			id, n.Profile, n.Release, document, n.Build, n.Capture, n.Phone, n.Name, n.Form, n.Bench, n.Person, choices, leaseOf(ctx, firstLease))
		if violates(err, "one_run_per_phone") {
			err = ErrRunning
		}
		if err != nil {
			return err
		}
		if err := addRunSteps(ctx, tx, id, run.Plan(n.Document, n.Choices), 1); err != nil {
			return err
		}
		if err := addRunChecks(ctx, tx, id, run.CheckList(n.Document)); err != nil {
			return err
		}
		if n.Ask != nil {
			if _, err := addJob(ctx, tx, n.Person, n.Ask(id)); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, Event{Topic: RunChanged, ID: id.String()}); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: n.Person, Action: "run.started", Subject: id.String(), Detail: map[string]any{"profile": n.Profile, "release": n.Release}})
	})
	return id, err
}

func addRunSteps(ctx context.Context, tx pgx.Tx, id uuid.UUID, steps []run.Step, seq int64) error {
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"run_steps"}, []string{"run_id", "number", "step", "kind", "package", "seq"},
		pgx.CopyFromSlice(len(steps), func(i int) ([]any, error) {
			raw, err := json.Marshal(steps[i])
			return []any{id, steps[i].Number, raw, string(steps[i].Kind), string(steps[i].Package), seq}, err
		}))
	return err
}

func addRunChecks(ctx context.Context, tx pgx.Tx, id uuid.UUID, checks []run.Check) error {
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"run_checks"}, []string{"run_id", "number", "text", "function"},
		pgx.CopyFromSlice(len(checks), func(i int) ([]any, error) {
			return []any{id, checks[i].Number, checks[i].Text, string(checks[i].Function)}, nil
		}))
	return err
}

// Draft composes a profile as it is now, as the release that it would become.
func (s *Store) Draft(ctx context.Context, p Profile) (*profile.Document, error) {
	return s.compile(ctx, s.pool, p, profile.Heading{Number: p.Newest + 1, Published: time.Now(), Publisher: "nobody yet: a draft"})
}

// RunnableRelease is a current release with what it does.
type RunnableRelease struct {
	ID        uuid.UUID `db:"id"`
	ProfileID uuid.UUID `db:"profile_id"`
	Document  []byte    `db:"document"`
}

// Runnable lists what could be run on phones of a device type: the current
// releases of its maker, and the profiles of its model as drafts.
func (s *Store) Runnable(ctx context.Context, manufacturer, device string, limit int) ([]RunnableRelease, []Profile, error) {
	rows, err := s.pool.Query(ctx, `
		select r.id, r.profile_id, r.document
		from releases r
		join profiles p on p.id = r.profile_id
		join models d on d.id = p.model_id
		join makers m on m.id = d.maker_id
		where r.state = 'current' and lower(m.manufacturer) = lower($1)
		order by d.device = $2 desc, r.published_at desc
		limit $3`, manufacturer, device, limit)
	releases, err := collectRows[RunnableRelease](rows, err)
	if err != nil {
		return nil, nil, err
	}
	rows, err = s.pool.Query(ctx, profileColumns+`
		where lower(m.manufacturer) = lower($1)
			and (d.device = $2
				or exists (select from profile_sisters y
					join models x on x.id = y.model_id
					where y.profile_id = p.id and x.device = $2))
		order by p.name limit $3`, manufacturer, device, limit)
	profiles, err := collectRows[Profile](rows, err)
	return releases, profiles, err
}

// ProfileOf finds the profile of a release.
func (s *Store) ProfileOf(ctx context.Context, release uuid.UUID) (id uuid.UUID, err error) {
	err = s.pool.QueryRow(ctx, `select profile_id from releases where id = $1`, release).Scan(&id)
	if isNone(err) {
		err = ErrNotFound
	}
	return id, err
}
