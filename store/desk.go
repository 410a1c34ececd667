package store

import (
	"context"
	"errors"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"roster/core/desk"
	"roster/core/people"
)

// keptDesk bounds what a process keeps of what all Desks share, each kind for
// itself.
const keptDesk = 1_000_000

// keptTaken bounds what a process keeps of the packages that releases take off.
const keptTaken = 4_000_000

// maxDeskLines bounds the lines of each kind on a Desk.
const maxDeskLines = 60

// deskLimit is maxDeskLines in a statement that picks so many before it looks further:
// the plan for any number would be another one.
var deskLimit = strconv.Itoa(maxDeskLines)

// deskOf is a person whose Desk is read, and what was handed to them.
type deskOf struct {
	Person
	handed map[string]handed
	store  *Store
}

type handed struct {
	By    string    `db:"by"`
	Words string    `db:"words"`
	At    time.Time `db:"at"`
}

// reviews and publishes report what the person may do.
func (d *deskOf) reviews() bool   { return d.Role.AtLeast(people.Reviewer) }
func (d *deskOf) publishes() bool { return d.Role.AtLeast(people.Maintainer) }

// wants reports whether lines of a kind are read: the person's role has them,
// or somebody handed one over.
func (d *deskOf) wants(role bool, kinds ...desk.Kind) bool {
	if role {
		return true
	}
	for key := range d.handed {
		if slices.ContainsFunc(kinds, func(k desk.Kind) bool { return strings.HasPrefix(key, string(k)+":") }) {
			return true
		}
	}
	return false
}

// ids are the first ids in the keys of lines of a kind that were handed over, in
// order.
func (d *deskOf) ids(kind desk.Kind) []uuid.UUID {
	list := []uuid.UUID{}
	for _, key := range slices.Sorted(maps.Keys(d.handed)) {
		if rest, ok := strings.CutPrefix(key, string(kind)+":"); ok {
			first, _, _ := strings.Cut(rest, ":")
			if id, err := uuid.Parse(first); err == nil {
				list = append(list, id)
			}
		}
	}
	return list
}

// lines finds what waits of some kinds.
type deskLines func(context.Context, querier, *deskOf) ([]desk.Line, error)

// Desk lists what waits for a person at a moment, the most urgent first. Each
// line is there for as long as its cause is; those that the person has put off,
// is done with or handed to somebody are away, unless their cause is newer than
// that: a change that was sent again is there again.
func (s *Store) Desk(ctx context.Context, p Person, now time.Time) (lines, off []desk.Line, err error) {
	// What Desks have in common is kept, by what somebody may do.
	s.lately.note(ctx, "desk "+string(p.Role), func(ctx context.Context) error {
		_, _, err := s.Desk(ctx, p, time.Now())
		return err
	})
	d := &deskOf{p, map[string]handed{}, s}
	rows, err := s.pool.Query(ctx, `
		select h.line, w.name, h.words, h.at
		from desk_handed h
		join people w on w.id = h.from_id
		where h.to_id = $1
		order by h.at desc
		limit 500`, p.ID)
	if err != nil {
		return nil, nil, err
	}
	var key string
	var h handed
	if _, err := pgx.ForEachRow(rows, []any{&key, &h.By, &h.Words, &h.At}, func() error { d.handed[key] = h; return nil }); err != nil {
		return nil, nil, err
	}
	rows, err = s.pool.Query(ctx, `
		select line, nullif(until, 'infinity'), at from desk_put_off where person_id = $1 and until > $2`, p.ID, now)
	if err != nil {
		return nil, nil, err
	}
	type away struct {
		until *time.Time // nil where the person is done with it
		at    time.Time
	}
	put := map[string]away{}
	var a away
	if _, err := pgx.ForEachRow(rows, []any{&key, &a.until, &a.at}, func() error { put[key] = a; return nil }); err != nil {
		return nil, nil, err
	}
	found, err := s.findLines(ctx, d)
	if err != nil {
		return nil, nil, err
	}
	lines, off = []desk.Line{}, []desk.Line{}
	for _, l := range slices.Concat(found...) {
		if h, ok := d.handed[l.Key]; ok {
			l.HandedBy, l.Words = h.By, h.Words
		}
		if a, ok := put[l.Key]; ok && !l.Since.After(a.at) {
			l.Until = a.until
			off = append(off, l)
		} else {
			lines = append(lines, l)
		}
	}
	desk.Order(lines, now)
	desk.Order(off, now)
	return lines, off, nil
}

// deskSources are all that lines come from, but for judgedReleases.
var deskSources = []deskLines{
	ungradedPackages, arrivedBuilds, waitingChanges, returnedToYou, waitingPublications, stoppingReleases,
	releasesBehind, retiredKeys, openRuns, dueChecks, trialsWanted, toldFromOutside, gainedNothing, costsMore, toldNews,
}

// deskAtOnce bounds how many of them are read at the same time for one Desk.
const deskAtOnce = 2

// findLines reads what waits, source by source. Judging releases may write figures
// that nobody has looked at yet, and so goes by itself.
func (s *Store) findLines(ctx context.Context, d *deskOf) ([][]desk.Line, error) {
	found := make([][]desk.Line, len(deskSources)+1)
	var next atomic.Int32
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() (err error) {
		found[len(deskSources)], err = judgedReleases(ctx, s.pool, d)
		return err
	})
	for range deskAtOnce {
		work.Go(func() error {
			return s.withKeptPlans(ctx, func(ctx context.Context, q querier) error {
				for i := int(next.Add(1)) - 1; i < len(deskSources); i = int(next.Add(1)) - 1 {
					var err error
					if found[i], err = deskSources[i](ctx, q, d); err != nil {
						return err
					}
				}
				return nil
			})
		})
	}
	return found, work.Wait()
}

// ErrNoLine says that a key is not that of a line.
var ErrNoLine = errors.New("there is no such line")

// checkLine refuses what can't be a line's key.
func checkLine(key string) error {
	kind, rest, ok := strings.Cut(key, ":")
	if !ok || !desk.Kind(kind).Valid() || rest == "" || len(key) > 200 {
		return ErrNoLine
	}
	return nil
}

// PutOff takes a line off a person's Desk until a moment; the zero time puts it
// back. Who is done with a line puts it off for good: see Done.
func (s *Store) PutOff(ctx context.Context, person uuid.UUID, key string, until time.Time) error {
	if err := checkLine(key); err != nil {
		return err
	}
	if until.IsZero() {
		_, err := s.pool.Exec(ctx, `delete from desk_put_off where person_id = $1 and line = $2`, person, key)
		return err
	}
	return s.putOff(ctx, person, key, until.UTC().Format(time.RFC3339Nano))
}

// Done takes a line off a person's Desk for good. News are read with it.
func (s *Store) Done(ctx context.Context, person uuid.UUID, key string) error {
	if err := checkLine(key); err != nil {
		return err
	}
	if key == string(desk.Told)+":decided" {
		_, err := s.pool.Exec(ctx, `
			update notices
			set read_at = now()
			where person_id = $1 and read_at is null and kind in ('decided', 'publish-published')`, person)
		return err
	}
	if id, ok := strings.CutPrefix(key, string(desk.Told)+":"); ok {
		notice, err := uuid.Parse(id)
		if err != nil {
			return ErrNoLine
		}
		_, err = s.pool.Exec(ctx, `
			update notices set read_at = now() where id = $1 and person_id = $2 and read_at is null`, notice, person)
		return err
	}
	return s.putOff(ctx, person, key, "infinity")
}

func (s *Store) putOff(ctx context.Context, person uuid.UUID, key, until string) error {
	_, err := s.pool.Exec(ctx, `
		insert into desk_put_off (person_id, line, until) values ($1, $2, $3::timestamptz)
		on conflict (person_id, line) do update set until = excluded.until, at = now()`, person, key, until)
	return err
}

// Hand hands a line to somebody else: it leaves one Desk for the other, with
// words. What is handed is told as news, too.
func (s *Store) Hand(ctx context.Context, from, to uuid.UUID, key, words string) error {
	if err := checkLine(key); err != nil {
		return err
	}
	if from == to {
		return ErrOwn
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			insert into desk_handed as h (line, to_id, from_id, words) select $1, p.id, $3, $4
			from people p
			where p.id = $2 and p.removed_at is null
			on conflict (line, to_id)
			do update set from_id = excluded.from_id, words = excluded.words, at = now()`, key, to, from, words)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		var batch pgx.Batch
		batch.Queue(`delete from desk_put_off where person_id = $1 and line = $2`, to, key)
		batch.Queue(`delete from desk_handed where line = $1 and to_id = $2`, key, from)
		batch.Queue(`
			insert into desk_put_off (person_id, line, until)
			values ($1, $2, 'infinity')
			on conflict (person_id, line)
			do update set until = 'infinity', at = now()`, from, key)
		if err := tx.SendBatch(ctx, &batch).Close(); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: DeskChanged, ID: to.String()})
	})
}

// address is a place in the workbench with its scope set; more are further
// parts of the query, name and value by turns.
func address(path, maker, model, build string, more ...string) string {
	q := url.Values{}
	set := func(name, value string) {
		if value != "" {
			q.Set(name, value)
		}
	}
	set("maker", maker)
	if maker != "" {
		set("model", model)
	}
	if model != "" {
		set("build", build)
	}
	for i := 0; i+1 < len(more); i += 2 {
		set(more[i], more[i+1])
	}
	if len(q) == 0 {
		return path
	}
	return path + "?" + q.Encode()
}

// lineKey is a line's: its kind and the ids that it is about.
func lineKey(kind desk.Kind, ids ...uuid.UUID) string {
	parts := []string{string(kind)}
	for _, id := range ids {
		parts = append(parts, id.String())
	}
	return strings.Join(parts, ":")
}

// buildName is what people call a build of an edition.
func buildName(carrier, region, version string) string {
	return strings.Join(strings.Fields(carrier+" "+region+" "+version), " ")
}
