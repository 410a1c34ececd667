package store

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/run"
)

const (
	// leaseTime is for how long a run counts as going after its bench was heard
	// of last.
	leaseTime = 10 * time.Second
	// firstLease is how long a bench has to take a run up.
	firstLease = 20 * time.Second
	// laterLease is for a run that is written down later than it was made (At):
	// there is no bench that could fall silent, and whoever writes it may be slow.
	// It is less than what a lease that lies far ahead is taken for.
	laterLease = 4 * time.Minute
)

// leaseOf is for how long a run counts as going: usual, where a bench carries it
// out now.
func leaseOf(ctx context.Context, usual time.Duration) time.Duration {
	if _, later := ctx.Value(momentKey{}).(time.Time); later {
		return laterLease
	}
	return usual
}

// lockedRun is a run of which nobody else changes anything meanwhile.
type lockedRun struct {
	id          uuid.UUID
	state       string
	attempt     int
	seq         int64
	phone, form string
	fingerprint string
	puttingBack bool
	stopAsked   bool
	before      *run.Seen
	lapsed      bool
}

func lockRun(ctx context.Context, tx pgx.Tx, id uuid.UUID) (r lockedRun, err error) {
	r.id = id
	err = tx.QueryRow(ctx, `
		select r.state, r.attempt, r.seq, r.phone, r.form, b.fingerprint, r.putting_back, r.stop_asked,
			r.before, `+lapsed+`
		from runs r join builds b on b.id = r.build_id where r.id = $1 for update of r`, id).
		Scan(&r.state, &r.attempt, &r.seq, &r.phone, &r.form, &r.fingerprint, &r.puttingBack, &r.stopAsked, &r.before, &r.lapsed)
	if isNone(err) {
		err = ErrNotFound
	}
	return r, err
}

// Advance writes down what a bench reports of a run and which steps it is to
// do next, in one transaction: a step is sent only after it stands here as
// sent. Phone is the keyed hash of the serial number in the first report. It
// fails with run.ErrSuperseded where the run is not that attempt's any more,
// and asking the same once more changes nothing.
func (s *Store) Advance(ctx context.Context, id uuid.UUID, phone string, r run.Report) (orders run.Orders, err error) {
	orders = run.Orders{Steps: []run.Step{}, Keys: []run.Key{}}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		w, err := lockRun(ctx, tx, id)
		if err != nil {
			return err
		}
		if w.attempt != r.Attempt || w.state != "going" {
			return run.ErrSuperseded
		}
		if phone != "" && phone != w.phone {
			return w.end(ctx, tx, "held", "another phone is attached there now")
		}
		news := len(r.Answers) > 0 || r.Seen != nil || r.End != ""
		if news || r.Want > 0 {
			w.seq++
		}
		if err := addSavedFolders(ctx, tx, w.id, r.Saved); err != nil {
			return err
		}
		if err := w.answer(ctx, tx, r.Answers); err != nil {
			return err
		}
		if r.Seen != nil {
			if err := w.addSeen(ctx, tx, r.Seen, phone != ""); err != nil {
				return err
			}
			if r.Seen.Fingerprint != w.fingerprint && phone != "" {
				return w.end(ctx, tx, "held", "the phone has another firmware than when this was rehearsed")
			}
		}
		orders.Form = w.form
		if r.End != "" {
			return w.end(ctx, tx, r.End, r.Why)
		}
		if err := w.next(ctx, tx, r, &orders); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			update runs set seq = $2, lease = now() + $3::interval where id = $1`, id, w.seq, leaseOf(ctx, leaseTime))
		if err != nil || !news && len(orders.Steps) == 0 && !orders.Done {
			return err
		}
		return notify(ctx, tx, Event{Topic: RunChanged, ID: id.String()})
	})
	return orders, err
}

// answer writes what came of steps. Only what is under way or unknown can be
// answered.
func (w *lockedRun) answer(ctx context.Context, tx pgx.Tx, answers []run.StepAnswer) error {
	if len(answers) == 0 {
		return nil
	}
	var numbers, took []int
	var states, words []string
	for _, a := range answers {
		numbers, took, states, words = append(numbers, a.Step), append(took, int(min(a.Took, 1<<30))), append(states, string(a.State)), append(words, android.Printable(a.Words, 1000))
	}
	_, err := tx.Exec(ctx, `
		update run_steps s
		set state = a.state, words = a.words, took = a.took, seq = $6, ended_at = case
			when a.state = 'waiting' then null else now() end
		from unnest($2::int[], $3::text[], $4::text[], $5::int[]) a (number, state, words, took)
		where s.run_id = $1 and s.number = a.number
			and s.state in ('sent', 'unknown')`, w.id, numbers, states, words, took, w.seq)
	if err != nil {
		return err
	}
	for _, a := range answers {
		if a.Measured != nil {
			if err := w.addMeasurement(ctx, tx, a.Step, a.Measured); err != nil {
				return err
			}
		}
	}
	return nil
}

// addMeasurement keeps what the phone used at a step that measures.
// One that can't be is left out: the run goes on.
func (w *lockedRun) addMeasurement(ctx context.Context, tx pgx.Tx, step int, m *android.Measurement) error {
	if m.Check() != nil {
		return nil
	}
	n := NewMeasurement{Phone: w.phone, Run: &w.id, Step: step, Measured: m}
	err := tx.QueryRow(ctx, `
		select r.build_id, r.person_id
		from runs r
		join run_steps s on s.run_id = r.id
		where r.id = $1 and s.number = $2 and s.kind = 'measure'`, w.id, step).Scan(&n.Build, &n.Person)
	if isNone(err) {
		return nil // it was not asked for
	}
	if err != nil {
		return err
	}
	return addMeasurement(ctx, tx, n)
}

// addSeen writes what the phone shows. A look that begins an attempt settles what
// nobody knows of.
func (w *lockedRun) addSeen(ctx context.Context, tx pgx.Tx, seen *run.Seen, begins bool) error {
	if begins {
		if err := w.settle(ctx, tx, seen); err != nil {
			return err
		}
	}
	raw, err := json.Marshal(seen)
	if err != nil {
		return err
	}
	if err := w.cameBack(ctx, tx, seen); err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		update runs
		set now = $2, now_at = now(), before = coalesce(before, $2), settled = true, seq = $3
		where id = $1`, w.id, raw, w.seq)
	if err != nil {
		return err
	}
	if w.before == nil {
		w.before = seen
	}
	return w.remember(ctx, tx, seen)
}

// remember writes what each step that waits will change, before it is sent.
func (w *lockedRun) remember(ctx context.Context, tx pgx.Tx, seen *run.Seen) error {
	rows, err := tx.Query(ctx, `
		select number, step from run_steps
		where run_id = $1 and state = 'waiting' and before = ''
			and (kind in ('setting', 'put-in') or step ->> 'method' in ('quieten', 'remove-from-image'))`, w.id)
	if err != nil {
		return err
	}
	var numbers []int
	var values []string
	var number int
	var step run.Step
	_, err = pgx.ForEachRow(rows, []any{&number, &step}, func() error {
		if value, ok := step.Had(seen); ok {
			numbers, values = append(numbers, number), append(values, value)
		}
		step = run.Step{}
		return nil
	})
	if err != nil || len(numbers) == 0 {
		return err
	}
	_, err = tx.Exec(ctx, `
		update run_steps s set before = v.value
		from unnest($2::int[], $3::text[]) v (number, value)
		where s.run_id = $1 and s.number = v.number`, w.id, numbers, values)
	return err
}

// settle ends steps of which nobody knows the answer by what the phone shows.
func (w *lockedRun) settle(ctx context.Context, tx pgx.Tx, seen *run.Seen) error {
	rows, err := tx.Query(ctx, `
		select step, before from run_steps where run_id = $1 and state in ('sent', 'unknown') order by number`, w.id)
	if err != nil {
		return err
	}
	type open struct {
		step   run.Step
		before string
	}
	list, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (o open, err error) {
		err = r.Scan(&o.step, &o.before)
		return o, err
	})
	if err != nil {
		return err
	}
	var answers []run.StepAnswer
	for _, o := range list {
		state, words := o.step.Settle(seen, o.before)
		answers = append(answers, run.StepAnswer{Step: o.step.Number, State: state, Words: words})
	}
	return w.answer(ctx, tx, answers)
}

// cameBack finds what the run took off and the phone has all the same: what
// returned by itself, and when.
func (w *lockedRun) cameBack(ctx context.Context, tx pgx.Tx, seen *run.Seen) error {
	steps, err := runSteps(ctx, tx, w.id, 0)
	if err != nil {
		return err
	}
	list := journalOf(steps)
	restarted := run.Restarted(list, w.before, seen)
	back := map[android.PackageName]string{}
	if restarted {
		back = run.Returned(list, seen, w.fingerprint)
	}
	raw, err := json.Marshal(back)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		update runs
		set back = case when $2::jsonb = '{}' then back else back || $2::jsonb end, restarted = restarted or $3
		where id = $1`, w.id, raw, restarted)
	return err
}

// next finds what is to be done now, and writes it down as sent.
func (w *lockedRun) next(ctx context.Context, tx pgx.Tx, r run.Report, orders *run.Orders) error {
	if r.Want == 0 {
		orders.Stop = w.stopAsked
		return nil
	}
	if err := w.begin(ctx, tx, r, orders); err != nil || len(orders.Steps) > 0 {
		return err
	}
	var sent, waiting int
	err := tx.QueryRow(ctx, `
		select count(*) filter (where state in ('sent', 'unknown')),
			count(*) filter (where state = 'waiting' and (not $2 or step ? 'undoes'))
		from run_steps
		where run_id = $1 and state in ('waiting', 'sent', 'unknown')`, w.id, w.puttingBack).Scan(&sent, &waiting)
	switch {
	case err != nil || sent > 0:
		return err
	case waiting == 0:
		orders.Done = true
		return w.finish(ctx, tx)
	case w.stopAsked:
		orders.Stop = true
		return w.end(ctx, tx, "stopped", "")
	}
	return nil
}

// begin takes the next waiting steps, as many as are wanted: removals and what
// undoes them up to the first of another kind, which is alone. Steps that were
// ordered before and never heard of come first: the answer with them was lost.
func (w *lockedRun) begin(ctx context.Context, tx pgx.Tx, r run.Report, orders *run.Orders) error {
	rows, err := tx.Query(ctx, `
		select s.step, s.state from run_steps s
		where s.run_id = $1
			and (s.state = 'sent' and s.attempt = $2 and s.number <> all($3::int[]) or s.state = 'waiting' and not $4
				and (not $5 or s.step ? 'undoes'))
		order by s.state = 'waiting', s.number limit $6`, w.id, w.attempt, r.Flying, w.stopAsked, w.puttingBack, r.Want)
	if err != nil {
		return err
	}
	type open struct {
		step  run.Step
		state run.State
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (o open, err error) {
		err = row.Scan(&o.step, &o.state)
		return o, err
	})
	if err != nil {
		return err
	}
	var numbers []int
	for _, o := range list {
		alone := o.step.Alone()
		if alone && len(orders.Steps)+len(r.Flying) > 0 {
			break
		}
		orders.Steps = append(orders.Steps, o.step)
		if o.state == run.Waiting {
			numbers = append(numbers, o.step.Number)
		}
		if alone {
			break
		}
	}
	if len(numbers) == 0 {
		return nil
	}
	_, err = tx.Exec(ctx, `
		update run_steps s set state = 'sent', attempt = $3, sent_at = now(), seq = $4,
			before = case
				when kind = 'restart' then coalesce((select r.now ->> 'boots' from runs r where r.id = $1), '')
				else before end
		where run_id = $1 and number = any($2)`, w.id, numbers, w.attempt, w.seq)
	return err
}

// finish ends a run of which nothing is left to do.
func (w *lockedRun) finish(ctx context.Context, tx pgx.Tx) error {
	steps, err := runSteps(ctx, tx, w.id, 0)
	if err != nil {
		return err
	}
	state := "finished"
	switch {
	case !w.puttingBack:
	case slices.ContainsFunc(steps, func(s RunStep) bool { return s.State == run.Waiting }):
		state = "stopped"
	case len(run.Off(journalOf(steps))) == 0:
		state = "put-back"
	}
	return w.end(ctx, tx, state, "")
}

// end writes how an attempt ended. What is under way then is unknown.
func (w *lockedRun) end(ctx context.Context, tx pgx.Tx, state, why string) error {
	_, err := tx.Exec(ctx, `
		update run_steps set state = 'unknown', seq = $2 where run_id = $1 and state = 'sent'`, w.id, w.seq)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		update runs
		set state = $2, why = $3, seq = $4, ended_at = case
			when $2 in ('finished', 'put-back') then coalesce(ended_at, now())
			else ended_at end, stop_asked = false, lease = now(), settled = $2 <> 'interrupted',
			remind_at = case when $2 = 'finished' and remind_at is null then now() + interval '7 days'
				else remind_at end
		where id = $1`, w.id, state, android.Printable(why, 500), w.seq)
	if err != nil {
		return err
	}
	w.state = state
	if state == "finished" || state == "put-back" {
		if err := speakFor(ctx, tx, w.id); err != nil {
			return err
		}
	}
	return notify(ctx, tx, Event{Topic: RunChanged, ID: w.id.String()})
}

// lapseRuns ends the runs of which nothing was heard, of one phone or of all.
func lapseRuns(ctx context.Context, tx pgx.Tx, phone string) error {
	rows, err := tx.Query(ctx, `
		select r.id from runs r where `+lapsed+` and ($1 = '' or r.phone = $1) for update of r skip locked`, phone)
	if err != nil {
		return err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return err
	}
	for _, id := range ids {
		w, err := lockRun(ctx, tx, id)
		if err != nil {
			return err
		}
		w.seq++
		if err := w.end(ctx, tx, "interrupted", "The bench fell silent in the middle."); err != nil {
			return err
		}
	}
	return nil
}

// LapseRuns ends the runs whose benches have gone, and returns those that were
// interrupted and whose phones nobody has looked at since.
func (s *Store) LapseRuns(ctx context.Context) (unsettled []Unsettled, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if err := lapseRuns(ctx, tx, ""); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `
			select r.id, r.phone, r.person_id from runs r where not r.settled and r.state <> 'going'
				and not exists (select from jobs j
					where j.kind = 'look' and j.state in ('waiting', 'running') and j.request ->> 'run' = r.id::text)
			order by r.started_at limit 200`)
		unsettled, err = collectRows[Unsettled](rows, err)
		return err
	})
	return unsettled, err
}

// Unsettled is a run whose phone is to be looked at when it is back.
type Unsettled struct {
	ID     uuid.UUID `db:"id"`
	Phone  string    `db:"phone"`
	Person uuid.UUID `db:"person_id"`
}

// Looked takes what a phone shows for a run that is not going: what was
// unknown is settled, and what came back is noted; saved is what its bench has saved
// for the run, of which the answers may be lost.
func (s *Store) Looked(ctx context.Context, id uuid.UUID, phone string, seen *run.Seen, saved []run.SavedFolder) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		w, err := lockRun(ctx, tx, id)
		if err != nil {
			return err
		}
		if w.state == "going" || phone != w.phone {
			return nil // it has gone on, or the handle is another phone's now
		}
		w.seq++
		if err := addSavedFolders(ctx, tx, id, saved); err != nil {
			return err
		}
		if err := w.addSeen(ctx, tx, seen, true); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: RunChanged, ID: id.String()})
	})
}
