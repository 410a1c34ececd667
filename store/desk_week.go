package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// Week is what happened in a span of time, counted and named.
type Week struct {
	From time.Time `json:"from"`
	To   time.Time `json:"to"`
	// Captures and Phones count what was captured, Packages those that were
	// never seen before.
	Captures int `json:"captures"`
	Phones   int `json:"phones"`
	Packages int `json:"packages"`
	// Trials are those that were accepted, by outcome.
	Trials map[string]int `json:"trials"`
	// Edits are what became of edits: accepted, returned, turned-down.
	Edits map[string]int `json:"edits"`
	// Sent counts changes that were sent, Waiting those that wait at its end.
	Sent    int `json:"sent"`
	Waiting int `json:"waiting"`
	// Runs are those that ended, by how; Broken counts those after which
	// something was.
	Runs     map[string]int `json:"runs"`
	Broken   int            `json:"broken"`
	Arrived  []WeekBuild    `json:"arrived" nullable:"false"`
	Released []WeekRelease  `json:"released" nullable:"false"`
	Loads    []WeekLoad     `json:"loads" nullable:"false"`
	People   []WeekPerson   `json:"people" nullable:"false"`
}

// WeekBuild is a firmware that arrived.
type WeekBuild struct {
	Arrival
	Maker     string `db:"maker" json:"maker"`
	Model     string `db:"model" json:"model"`
	ModelName string `db:"model_name" json:"modelName"`
	Version   string `db:"version" json:"version"`
	Carrier   string `db:"carrier" json:"carrier"`
	Region    string `db:"region" json:"region"`
	Words     string `db:"-" json:"words"`
}

// WeekRelease is a release to which something happened.
type WeekRelease struct {
	ID        uuid.UUID `db:"id" json:"id"`
	What      string    `db:"what" json:"what" enum:"published,withdrawn,marked"`
	Maker     string    `db:"maker" json:"maker"`
	Model     string    `db:"model" json:"model"`
	ModelName string    `db:"model_name" json:"modelName"`
	Edition   string    `db:"edition" json:"edition"`
	Slug      string    `db:"slug" json:"slug"`
	Number    int       `db:"number" json:"number"`
	Words     string    `db:"words" json:"words"`
	At        time.Time `db:"at" json:"at"`
}

// WeekLoad is a load that somebody's change set.
type WeekLoad struct {
	Package string    `db:"package" json:"package"`
	Label   string    `db:"label" json:"label"`
	Before  string    `db:"before" json:"before"`
	After   string    `db:"after" json:"after"`
	At      time.Time `db:"at" json:"at"`
}

// WeekPerson is what somebody did.
type WeekPerson struct {
	Name     string `db:"name" json:"name"`
	Captures int    `db:"captures" json:"captures"`
	Trials   int    `db:"trials" json:"trials"`
	Decided  int    `db:"decided" json:"decided"`
	Runs     int    `db:"runs" json:"runs"`
}

// maxWeek bounds each list of a week.
const maxWeek = 200

// WeekFrom tells what happened between two moments.
func (s *Store) WeekFrom(ctx context.Context, from, to time.Time) (Week, error) {
	w := Week{From: from, To: to, Trials: map[string]int{}, Edits: map[string]int{}, Runs: map[string]int{}}
	err := s.pool.QueryRow(ctx, `
		select (select count(*) from captures where taken_at >= $1 and taken_at < $2)::int,
			(select count(distinct phone) from captures where taken_at >= $1 and taken_at < $2 and phone <> '')::int,
			(select count(*) from packages where first_seen >= $1 and first_seen < $2)::int,
			coalesce((select jsonb_object_agg(outcome, n)
				from (select t.outcome, count(*) as n
					from history h
					join trials t on t.id = h.edit_id
					where h.field = 'trial'
					and h.at >= $1 and h.at < $2 group by 1) x),
				'{}'),
			coalesce((select jsonb_object_agg(state, n)
				from (select state, count(*) as n from edits where state in ('accepted', 'returned', 'turned-down')
					and decided_at >= $1 and decided_at < $2 group by 1) x),
				'{}'),
			(select count(*) from changes where sent_at >= $1 and sent_at < $2)::int,
				(select count(*) from changes where state = 'sent')::int,
			coalesce((select jsonb_object_agg(state, n)
				from (select state, count(*) as n from runs where ended_at >= $1 and ended_at < $2
					and state in ('finished', 'put-back') group by 1) x),
				'{}'),
			(select count(distinct c.run_id)
				from run_checks c
				where c.answer = 'broken' and c.answered_at >= $1 and c.answered_at < $2)::int`, from, to).
		Scan(&w.Captures, &w.Phones, &w.Packages, &w.Trials, &w.Edits, &w.Sent, &w.Waiting, &w.Runs, &w.Broken)
	if err != nil {
		return w, err
	}
	rows, err := s.pool.Query(ctx, `
		select `+arrivalColumns+`,
			m.slug as maker, d.slug as model, d.name as model_name, b.version, b.carrier, b.region
		from arrivals a
		join builds b on b.id = a.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		where a.at >= $1 and a.at < $2
		order by a.at
		limit $3`, from, to, maxWeek)
	if w.Arrived, err = collectRows[WeekBuild](rows, err); err != nil {
		return w, err
	}
	for i, a := range w.Arrived {
		if w.Arrived[i].Words = "the first of its edition"; a.SinceID != nil {
			w.Arrived[i].Words = a.Summary.Words(a.Back)
		}
	}
	const of = ` m.slug as maker, d.slug as model, d.name as model_name, p.name as edition, p.slug, r.number`
	const joins = `
		join profiles p on p.id = r.profile_id
		join models d on d.id = p.model_id
		join makers m on m.id = d.maker_id`
	rows, err = s.pool.Query(ctx, `
		select * from (
			select r.id, 'published' as what,`+of+`, '' as words, r.published_at as at
				from releases r`+joins+` where r.published_at >= $1 and r.published_at < $2
			union all select r.id, 'withdrawn',`+of+`, r.withdrawn_reason, r.withdrawn_at
				from releases r`+joins+` where r.withdrawn_at >= $1 and r.withdrawn_at < $2
			union all select r.id, 'marked',`+of+`, 'not for ' || trim(b.carrier || ' ' || b.version), h.stopped_at
				from holds h
				join builds b on b.id = h.build_id
				join releases r on r.id = h.release_id`+joins+`
				where h.stops <> '' and h.stopped_at >= $1 and h.stopped_at < $2) x
		order by at limit $3`, from, to, maxWeek)
	if w.Released, err = collectRows[WeekRelease](rows, err); err != nil {
		return w, err
	}
	rows, err = s.pool.Query(ctx, `
		select p.name as package, `+bestLabel+` as label, 
			coalesce(h.before ->> 'load', '') as before, coalesce(h.after ->> 'load', '') as after, h.at
		from history h
		join packages p on p.id = h.package_id
		where h.field = 'load' and h.at >= $1 and h.at < $2
		order by h.at
		limit $3`, from, to, maxWeek)
	if w.Loads, err = collectRows[WeekLoad](rows, err); err != nil {
		return w, err
	}
	rows, err = s.pool.Query(ctx, `
		select p.name, coalesce(c.n, 0)::int as captures, coalesce(t.n, 0)::int as trials,
			coalesce(e.n, 0)::int as decided, coalesce(r.n, 0)::int as runs
		from people p
			left
			join (select person_id, count(*) as n from captures where taken_at >= $1
				and taken_at < $2 group by 1) c on c.person_id = p.id
			left
			join (select author_id, count(*) as n from history where field = 'trial' and at >= $1
				and at < $2 group by 1) t on t.author_id = p.id
			left
			join (select decided_by, count(*) as n from edits where decided_at >= $1
				and decided_at < $2 group by 1) e on e.decided_by = p.id
			left
			join (select person_id, count(*) as n from runs where started_at >= $1
				and started_at < $2 group by 1) r on r.person_id = p.id
		where coalesce(c.n, t.n, e.n, r.n) is not null
		order by coalesce(c.n, 0) + coalesce(t.n, 0) + coalesce(e.n, 0) + coalesce(r.n, 0) desc, p.name
		limit $3`, from, to, maxWeek)
	w.People, err = collectRows[WeekPerson](rows, err)
	return w, err
}
