package store

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/change"
)

// Decision is what a reviewer says of one edit.
type Decision struct {
	Edit uuid.UUID `json:"edit"`
	// Verdict is accepted, returned or turned-down.
	Verdict change.State `json:"verdict" enum:"accepted,returned,turned-down"`
	// Words go to the author; a return needs them.
	Words string `json:"words,omitempty" maxLength:"2000"`
	// Over settles a conflict: the revision of the catalogue's value that the
	// reviewer saw and that the edit is to stand over. 0 settles nothing.
	Over int `json:"over,omitempty" minimum:"0"`
	// Written is what the reviewer wrote in place of the edit's value; it then
	// needs another reviewer.
	Written json.RawMessage `json:"written,omitempty"`
}

// decidedEdit is an edit as deciding about it needs it.
type decidedEdit struct {
	ID        uuid.UUID       `db:"id"`
	PackageID uuid.UUID       `db:"package_id"`
	Package   string          `db:"package"`
	Field     string          `db:"field"`
	ScopeKind string          `db:"scope_kind"`
	ScopeID   uuid.UUID       `db:"scope_id"`
	Base      json.RawMessage `db:"base"`
	Value     json.RawMessage `db:"value"`
	Reason    string          `db:"reason"`
	State     change.State    `db:"state"`
	Takes     *uuid.UUID      `db:"takes"`
	Settled   json.RawMessage `db:"settled"`
	SettledBy *uuid.UUID      `db:"settled_by"`
	// Approved are those who have accepted it while it needs more than one.
	Approved    []uuid.UUID     `db:"approved"`
	Now         json.RawMessage `db:"now"`
	NowRevision int             `db:"now_revision"`
}

// stands is the value that would be written.
func (e decidedEdit) stands() json.RawMessage {
	if e.Settled != nil {
		return e.Settled
	}
	return e.Value
}

// decider carries out one call of Decide.
type decider struct {
	tx               pgx.Tx
	change           uuid.UUID
	author, reviewer uuid.UUID
	// authorChanges counts the author's changes of which something was
	// accepted before.
	authorChanges int
	alone         bool
	rules         change.ReviewRules
	edits         map[uuid.UUID]decidedEdit
	// before are edits that were accepted before this call.
	before map[uuid.UUID]bool
	batch  pgx.Batch
	// What goes into the same tables is collected until flush.
	claimed, history editRows
	verdicts         verdicts
	count            map[change.State]int
}

// Decide carries out decisions about a change: accepted edits reach the
// catalogue, its history and the figures that rest on them, all in one
// transaction or not at all. An edit that the rules want more reviewers for
// stays open until enough have accepted it. The revision is the one that the
// reviewer saw; where somebody else was faster it fails with ErrStale, on a
// person's own change with ErrOwn, and on a field that has moved with a
// ConflictError.
func (s *Store) Decide(ctx context.Context, reviewer, id uuid.UUID, revision int, decisions []Decision) error {
	var keep func()
	err := s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		d := &decider{tx: tx, change: id, reviewer: reviewer, count: map[change.State]int{}}
		if err := d.lock(ctx, revision); err != nil {
			return err
		}
		if err := d.load(ctx, decisions); err != nil {
			return err
		}
		// Evidence first: what a load needs is judged with what this decision
		// itself brings in.
		slices.SortStableFunc(decisions, func(a, b Decision) int { return d.order(a) - d.order(b) })
		touched, loads := map[uuid.UUID]bool{}, len(decisions)
		for i, one := range decisions {
			if d.order(one) == 1 {
				loads = i
				break
			}
			if err := d.decide(ctx, one, nil, touched); err != nil {
				return err
			}
		}
		if err := d.flush(ctx); err != nil {
			return err
		}
		applying, err := d.loads(ctx, &s.tried, decisions[loads:], touched)
		if err != nil {
			return err
		}
		for _, one := range decisions[loads:] {
			if err := d.decide(ctx, one, applying, touched); err != nil {
				return err
			}
		}
		if err := d.flush(ctx); err != nil {
			return err
		}
		if keep, err = recompute(ctx, tx, &s.tried, sortedIDs(touched), d.movedTrials()); err != nil {
			return err
		}
		if err := s.freshenLinks(ctx, tx, d); err != nil {
			return err
		}
		if err := d.moved(ctx); err != nil {
			return err
		}
		return d.close(ctx)
	})
	if err == nil {
		keep()
	}
	return err
}

// order puts decisions about loads last.
func (d *decider) order(one Decision) int {
	if d.edits[one.Edit].Field == string(change.Load) {
		return 1
	}
	return 0
}

func sortedIDs(set map[uuid.UUID]bool) []uuid.UUID {
	list := make([]uuid.UUID, 0, len(set))
	for id := range set {
		list = append(list, id)
	}
	slices.SortFunc(list, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	return list
}

// lock makes sure that the reviewer may decide now, and that nobody else does.
func (d *decider) lock(ctx context.Context, revision int) error {
	var state change.State
	var now int
	err := d.tx.QueryRow(ctx, `
		select author_id, state, revision
		from changes
		where id = $1 for update`, d.change).Scan(&d.author, &state, &now)
	switch {
	case isNone(err):
		return ErrNotFound
	case err != nil:
		return err
	}
	if d.rules, _, err = reviewRules(ctx, d.tx); err != nil {
		return err
	}
	if d.author == d.reviewer {
		if d.rules.Alone {
			d.alone, err = onlyReviewer(ctx, d.tx, d.reviewer)
		}
		if err != nil || !d.alone {
			return cmp.Or(err, ErrOwn)
		}
	}
	switch {
	case now != revision:
		return ErrStale
	case state != change.Sent:
		return ErrState
	}
	return d.tx.QueryRow(ctx, `
		select changes_accepted from people where id = $1 for no key update`, d.author).Scan(&d.authorChanges)
}

// load reads the change's edits with what the catalogue says now; writers of
// the same packages' claims wait from here on.
func (d *decider) load(ctx context.Context, decisions []Decision) error {
	ids := make([]uuid.UUID, len(decisions))
	for i, one := range decisions {
		ids[i] = one.Edit
	}
	_, err := d.tx.Exec(ctx, `
		select from packages
		where id in (select package_id from edits where change_id = $1 and id = any($2))
		order by id for no key update`, d.change, ids)
	if err != nil {
		return err
	}
	rows, err := d.tx.Query(ctx, `
		select e.id, e.package_id, p.name as package, e.field, e.scope_kind, e.scope_id, e.base, e.value, e.reason,
			e.state, e.takes, e.settled, e.settled_by,
			array(select person_id from approvals where edit_id = e.id) as approved, c.value as now,
				coalesce(c.revision, 0) as now_revision
		from edits e join packages p on p.id = e.package_id
			left
			join claims c on c.package_id = e.package_id and c.field = e.field and c.scope_kind = e.scope_kind
				and c.scope_id = e.scope_id
		where e.change_id = $1`, d.change)
	list, err := collectRows[decidedEdit](rows, err)
	d.edits, d.before = make(map[uuid.UUID]decidedEdit, len(list)), map[uuid.UUID]bool{}
	for _, e := range list {
		d.edits[e.ID], d.before[e.ID] = e, e.State == change.Accepted
	}
	return err
}

// loads are the circumstances of the accepted loads among decisions, judged
// with the evidence that is in the catalogue by now: trials of packages that were
// touched come from the transaction, the others as they are kept.
func (d *decider) loads(ctx context.Context, kept *trialCache, decisions []Decision, touched map[uuid.UUID]bool) (map[uuid.UUID]change.Circumstance, error) {
	var list []Edit
	packages, places := map[uuid.UUID]bool{}, map[uuid.UUID]bool{}
	for _, one := range decisions {
		e, ok := d.edits[one.Edit]
		if !ok || one.Verdict != change.Accepted {
			continue
		}
		if one.Written != nil {
			e.Settled = one.Written
		}
		packages[e.PackageID], places[e.ScopeID] = true, true
		list = append(
			list,
			Edit{ID: e.ID, PackageID: e.PackageID, Field: e.Field, ScopeKind: e.ScopeKind, ScopeID: e.ScopeID, Value: e.Value, Settled: e.Settled},
		)
	}
	if len(list) == 0 {
		return nil, nil
	}
	var anew, others []uuid.UUID
	for _, p := range sortedIDs(packages) {
		if touched[p] {
			anew = append(anew, p)
		} else {
			others = append(others, p)
		}
	}
	trials, err := trialsOf(ctx, d.tx, nil, triedOf, anew)
	if err != nil {
		return nil, err
	}
	stamps, err := stampsOf(ctx, d.tx, others)
	if err != nil {
		return nil, err
	}
	known, err := kept.trials(ctx, d.tx, stamps)
	if err != nil {
		return nil, err
	}
	maps.Copy(trials, known)
	j, err := readSnapshot(ctx, d.tx, trials, sortedIDs(packages), sortedIDs(places))
	if err != nil {
		return nil, err
	}
	out := map[uuid.UUID]change.Circumstance{}
	for _, e := range list {
		out[e.ID] = j.Circumstance(e, j)
	}
	return out, nil
}

// decide queues what one decision writes. Figures rest on trials alone: those
// of touched packages are to be computed anew.
func (d *decider) decide(ctx context.Context, one Decision, applying map[uuid.UUID]change.Circumstance, touched map[uuid.UUID]bool) error {
	e, ok := d.edits[one.Edit]
	if !ok {
		return fmt.Errorf("edit %s: %w", one.Edit, ErrNotFound)
	}
	if e.State != change.Open {
		return fmt.Errorf("edit of %s: %w", e.Package, ErrState)
	}
	if one.Verdict == change.Accepted {
		if err := d.settle(&e, one); err != nil {
			return err
		}
		c := applying[e.ID]
		c.Field, c.AuthorChanges, c.Written = change.Field(e.Field), d.authorChanges, e.Settled != nil
		needed, _ := d.rules.Needs(c)
		approved := len(e.Approved)
		if !slices.Contains(e.Approved, d.reviewer) {
			approved++
		}
		if approved < needed && !d.alone {
			d.batch.Queue(`
				insert into approvals (edit_id, person_id) values ($1, $2) on conflict do nothing`, e.ID, d.reviewer)
			d.count[half]++
			d.edits[e.ID] = e
			return nil
		}
		if err := d.apply(e); err != nil {
			return err
		}
		if e.Field == string(change.Trial) {
			touched[e.PackageID] = true
		}
	}
	d.verdicts.edits = append(d.verdicts.edits, e.ID)
	d.verdicts.states, d.verdicts.words = append(d.verdicts.states, string(one.Verdict)), append(d.verdicts.words, one.Words)
	d.count[one.Verdict]++
	e.State = one.Verdict
	d.edits[e.ID] = e
	return nil
}

// settle makes sure that the edit meets the catalogue without a conflict, or
// with one that the reviewer has seen and decided.
func (d *decider) settle(e *decidedEdit, one Decision) error {
	field := change.Field(e.Field)
	if e.Takes == nil && one.Written == nil {
		if err := change.Check(field, scopeOf(e.ScopeKind, e.ScopeID), e.stands()); err != nil {
			return &UnreadableError{e.Package, err.Error()}
		}
	}
	if field.Adds() {
		return nil
	}
	if one.Written != nil && !change.Same(one.Written, e.stands()) {
		// What somebody writes stands over what they saw, and nothing else.
		if one.Over != e.NowRevision {
			return &ConflictError{e.ID, e.Package, e.Field}
		}
		_, written, err := change.Canonical(field, scopeOf(e.ScopeKind, e.ScopeID), one.Written)
		if err != nil {
			return &WrittenError{e.Package, err}
		}
		one.Written = written
		e.Settled, e.SettledBy, e.Approved = one.Written, &d.reviewer, nil
		d.batch.Queue(`delete from approvals where edit_id = $1`, e.ID)
		d.batch.Queue(`
			update edits
			set settled = $2, settled_by = $3, base = $4
			where id = $1`, e.ID, e.Settled, d.reviewer, e.Now)
		e.Base = e.Now
	}
	if change.Merge(e.Base, e.Now, e.stands()) != change.Conflict {
		return nil
	}
	if one.Over == 0 || one.Over != e.NowRevision {
		return &ConflictError{e.ID, e.Package, e.Field}
	}
	// From here on the edit is based on what it stands over: should it wait for
	// another reviewer, they need not settle it again.
	d.batch.Queue(`update edits set base = $2 where id = $1`, e.ID, e.Now)
	return nil
}

// WrittenError says what is wrong with a value that a reviewer wrote.
type WrittenError struct {
	Package string
	Why     error
}

func (e *WrittenError) Error() string {
	return "what you wrote for " + e.Package + ": " + e.Why.Error()
}

// UnreadableError says that an edit can't be accepted because nobody can tell
// what it says.
type UnreadableError struct {
	Package string
	Why     string
}

func (e *UnreadableError) Error() string {
	return "the edit of " + e.Package + " can't be read (" + e.Why + ")"
}

// moved notes what was accepted about packages: coverage is counted anew where it
// moves, and those who follow them hear of it.
func (d *decider) moved(ctx context.Context) error {
	var counted coverMoved
	fields := map[uuid.UUID][]string{}
	for _, e := range d.edits {
		if e.State != change.Accepted || d.before[e.ID] {
			continue
		}
		counted.add(e)
		if !slices.Contains(fields[e.PackageID], e.Field) {
			fields[e.PackageID] = append(fields[e.PackageID], e.Field)
		}
	}
	if err := counted.stale(ctx, d.tx); err != nil {
		return err
	}
	return tellFollowersOfPackages(ctx, d.tx, fields, d.change, d.reviewer)
}

// close counts up the revision, ends the change where no edit is open, keeps
// the author's record and tells whom it concerns.
func (d *decider) close(ctx context.Context) error {
	count := map[change.State]int{}
	for _, e := range d.edits {
		count[e.State]++
	}
	state := change.Accepted
	switch {
	case count[change.Open] > 0:
		state = change.Sent
	case count[change.Returned] > 0:
		state = change.Returned
	case count[change.Accepted] == 0:
		state = change.TurnedDown
	}
	first := 0
	if d.count[change.Accepted] > 0 && count[change.Accepted] == d.count[change.Accepted] {
		first = 1
	}
	var batch pgx.Batch
	batch.Queue(`
		update changes
		set state = $2, revision = revision + 1, decided_at = case when $2 = 'sent' then null else moment() end
		where id = $1`, d.change, state)
	batch.Queue(`
		update people
		set decided = decided + $2, accepted = accepted + $3, changes_accepted = changes_accepted + $4
		where id = $1`,
		d.author, d.count[change.Accepted]+d.count[change.Returned]+d.count[change.TurnedDown], d.count[change.Accepted], first)
	batch.Queue(`
		update asked
		set answered_at = moment()
		where change_id = $1 and person_id = $2 and answered_at is null`, d.change, d.reviewer)
	batch.Queue(`
		insert into looks (change_id, person_id, at)
		values ($1, $2, clock_timestamp())
		on conflict (change_id, person_id)
		do update set at = excluded.at`, d.change, d.reviewer)
	if err := d.tx.SendBatch(ctx, &batch).Close(); err != nil {
		return err
	}
	if err := addChangeNotices(ctx, d.tx, []uuid.UUID{d.author}, "decided", d.change, d.reviewer, tallyWords(d.count)); err != nil {
		return err
	}
	if err := forgetDraft(ctx, d.tx, d.reviewer, DraftDecisions, d.change); err != nil {
		return err
	}
	if err := notify(ctx, d.tx, Event{Topic: ChangesChanged}); err != nil {
		return err
	}
	detail := map[string]any{"state": state}
	for verdict, n := range d.count {
		detail[string(verdict)] = n
	}
	if d.alone {
		detail["alone"] = true
	}
	return record(ctx, d.tx, Act{Person: d.reviewer, Action: "change.decided", Subject: d.change.String(), Detail: detail})
}

// half counts edits that one of two reviewers has accepted: no state of theirs.
const half change.State = "half"

// tallyWords says what became of how many edits.
func tallyWords(count map[change.State]int) string {
	var words string
	for _, verdict := range []struct {
		key   change.State
		words string
	}{{change.Accepted, "accepted"}, {half, "accepted by a first reviewer"}, {change.Returned, "returned"}, {change.TurnedDown, "turned down"}} {
		if n := count[verdict.key]; n > 0 {
			if words != "" {
				words += ", "
			}
			words += fmt.Sprintf("%d %s", n, verdict.words)
		}
	}
	return words
}
