package store_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/change"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/store"
)

func (w *world) decide(by string, id uuid.UUID, decisions ...store.Decision) error {
	w.t.Helper()
	c, _, err := w.Change(w.ctx, uuid.Nil, id)
	if err != nil {
		w.t.Fatal(err)
	}
	return w.Decide(w.ctx, w.people[by].ID, id, c.Revision, decisions)
}

func (w *world) must(err error) {
	w.t.Helper()
	if err != nil {
		w.t.Fatal(err)
	}
}

func (w *world) state(id uuid.UUID) (store.Change, []store.Edit) {
	w.t.Helper()
	c, edits, err := w.Change(w.ctx, uuid.Nil, id)
	w.must(err)
	return c, edits
}

// open are the edits of a change that nobody has decided on.
func (w *world) open(id uuid.UUID) (ids []uuid.UUID) {
	w.t.Helper()
	_, edits := w.state(id)
	for _, e := range edits {
		if e.State == "open" {
			ids = append(ids, e.ID)
		}
	}
	return ids
}

// claim is what the catalogue says in a field everywhere.
func (w *world) claim(pkg string, field change.Field) string {
	w.t.Helper()
	p, err := w.Package(w.ctx, pkg)
	w.must(err)
	list, err := w.Claims(w.ctx, p.ID)
	w.must(err)
	for _, c := range list {
		if c.Field == string(field) && c.ScopeKind == "everywhere" {
			return string(c.Value)
		}
	}
	return ""
}

func TestTwoReviewers(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.rules(change.ReviewRules{Lenient: 2, Lowering: 2, Newcomer: 2, FirstChanges: 1})
	const name = "com.brannock.p001"
	id, ids := w.send("tech", w.edit(name, change.Description, everywhere, `"first words"`))
	w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
	c, edits := w.state(id)
	if c.State != "sent" || c.Half != 1 || !slices.Equal(edits[0].Approved, []string{"rev"}) || w.claim(name, change.Description) != "" {
		t.Fatalf("a newcomer's edit stands after one reviewer: %+v %+v", c, edits[0])
	}
	// The same reviewer twice is still one.
	w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
	if c, _ := w.state(id); c.State != "sent" {
		t.Fatal("one reviewer counted twice")
	}
	w.must(w.decide("second", id, verdicts(ids, "accepted")...))
	if c, _ := w.state(id); c.State != "accepted" || w.claim(name, change.Description) != `"first words"` || c.AuthorChanges != 1 || c.AuthorAccepted != 1 {
		t.Fatalf("%+v", c)
	}
	// From now on one is enough, but not for a grade more lenient than nothing
	// suggests, nor for lowering.
	id, ids = w.send("tech", w.edit(name, change.Load, everywhere, `{"load":"load-bearing"}`), w.edit(name, change.Description, everywhere, `"second words"`))
	w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
	if c, _ := w.state(id); c.State != "accepted" {
		t.Fatalf("stricter needs one: %+v", c)
	}
	for i, lower := range []string{`{"load":"tied-in","conditions":["c"]}`, `{"load":"loose"}`, `null`} {
		id, ids = w.send("tech", w.edit(name, change.Load, everywhere, lower))
		w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
		if c, _ := w.state(id); c.State != "sent" {
			t.Errorf("%d: %s was lowered by one", i, lower)
		}
		w.must(w.decide("second", id, verdicts(ids, "turned-down")...))
	}
	// Trials of the same change count for its load: with them it is as
	// suggested, and not lowered since the suggestion held.
	const other = "com.brannock.p002"
	var list []store.NewEdit
	for i := range 12 {
		list = append(list, w.trial(other, fmt.Sprint("phone ", i), "clean"))
	}
	w.rules(change.ReviewRules{Lenient: 2, Lowering: 2, Newcomer: 1})
	w.accept("other", list[:6]...)
	id, ids = w.send("tech", append(list[6:], w.edit(other, change.Load, everywhere, `{"load":"loose"}`))...)
	w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
	if c, _ := w.state(id); c.State != "sent" || c.Open != 1 {
		t.Errorf("seen from everywhere, twelve phones of two people are not enough: %+v", c)
	}
}

// TestAlone lets the only reviewer of an installation accept their own edits.
func TestAlone(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	keeper := w.people["main"].ID
	r := change.ReviewRules{Lenient: 2, Lowering: 1, Newcomer: 1, Alone: true}
	if err := w.SetReviewRules(w.ctx, keeper, 1, r); !errors.Is(err, store.ErrNotAlone) {
		t.Fatalf("with two more reviewers: %v", err)
	}
	if err := w.SetReviewRules(w.ctx, keeper, 9, change.DefaultReviewRules); !errors.Is(err, store.ErrStale) {
		t.Fatalf("%v", err)
	}
	w.must(w.SetRole(w.ctx, keeper, keeper, "keeper"))
	w.must(w.SetRole(w.ctx, keeper, w.people["rev"].ID, "technician"))
	w.must(w.RemovePerson(w.ctx, keeper, w.people["second"].ID))
	w.rules(r)
	id, ids := w.send("main", w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose"}`))
	w.must(w.decide("main", id, verdicts(ids, "accepted")...))
	p, _ := w.Package(w.ctx, "com.brannock.p001")
	past, err := w.History(w.ctx, p.ID, 5)
	if err != nil || len(past) != 1 || !past[0].Alone {
		t.Fatalf("%+v %v", past, err)
	}
	// As soon as somebody else can review, it ends by itself.
	w.must(w.SetRole(w.ctx, keeper, w.people["rev"].ID, "reviewer"))
	id, ids = w.send("main", w.edit("com.brannock.p001", change.Description, everywhere, `"x"`))
	if err := w.decide("main", id, verdicts(ids, "accepted")...); !errors.Is(err, store.ErrOwn) {
		t.Errorf("%v", err)
	}
}

// TestThreeValues settles a conflict in each way.
func TestThreeValues(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p001"
	send := func(value string) (uuid.UUID, []uuid.UUID) {
		return w.send("tech", w.edit(name, change.Description, everywhere, value))
	}
	id, ids := send(`"theirs"`)
	late, lateIDs := send(`"written over"`)
	w.accept("other", w.edit(name, change.Description, everywhere, `"now"`))
	accept := store.Decision{Edit: ids[0], Verdict: "accepted"}
	var conflict *store.ConflictError
	if err := w.decide("rev", id, accept); !errors.As(err, &conflict) {
		t.Fatalf("%v", err)
	}
	_, edits := w.state(id)
	if e := edits[0]; e.Base != nil || string(e.Now) != `"now"` || e.NowRevision != 1 || e.NowBy != "other" || e.NowChange == 0 {
		t.Fatalf("%+v", e)
	}
	accept.Over = 7
	if err := w.decide("rev", id, accept); !errors.As(err, &conflict) {
		t.Fatalf("over a value that the reviewer did not see: %v", err)
	}
	accept.Over = 1
	w.must(w.decide("rev", id, accept))
	if got := w.claim(name, change.Description); got != `"theirs"` {
		t.Errorf("%s", got)
	}
	// A reviewer's own words need a second reviewer, and good form.
	write := store.Decision{Edit: lateIDs[0], Verdict: "accepted", Over: 2, Written: json.RawMessage(`["wrong"]`)}
	var written *store.WrittenError
	if err := w.decide("rev", late, write); !errors.As(err, &written) {
		t.Fatalf("%v", err)
	}
	write.Written = json.RawMessage(`"a better one"`)
	write.Over = 1
	if err := w.decide("rev", late, write); !errors.As(err, &conflict) {
		t.Fatalf("written over what was not seen: %v", err)
	}
	write.Over = 2
	w.must(w.decide("rev", late, write))
	if c, edits := w.state(late); c.State != "sent" || edits[0].SettledBy != "rev" || w.claim(name, change.Description) != `"theirs"` {
		t.Fatalf("%+v %+v", c, edits[0])
	}
	w.must(w.decide("second", late, store.Decision{Edit: lateIDs[0], Verdict: "accepted"}))
	if got := w.claim(name, change.Description); got != `"a better one"` {
		t.Errorf("%s", got)
	}
}

// TestRounds returns an edit, revises it, and finds what was said still there.
func TestRounds(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	tech, rev := w.people["tech"].ID, w.people["rev"].ID
	id, ids := w.send("tech", w.edit("com.brannock.p001", change.Description, everywhere, `"vague"`), w.edit("com.brannock.p002", change.Description, everywhere, `"good"`))
	_, edits := w.state(id)
	if _, err := w.Comment(w.ctx, rev, id, &edits[0].Thread, "<script>alert(1)</script> where from?"); err != nil {
		t.Fatal(err)
	}
	if _, err := w.Comment(w.ctx, rev, id, &id, "no such thread"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
	w.must(w.Ask(w.ctx, rev, id, w.people["second"].ID, "you know this one"))
	if c, _, err := w.Change(w.ctx, w.people["second"].ID, id); err != nil || !c.AskedMe {
		t.Errorf("%+v %v", c, err)
	}
	w.must(w.decide("rev", id, store.Decision{Edit: ids[0], Verdict: "returned", Words: "say more"}))
	w.must(w.Reopen(w.ctx, tech, ids[0]))
	if err := w.Reopen(w.ctx, tech, ids[0]); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("twice into the tray: %v", err)
	}
	// A better value of the same field stays the revision that it is.
	again, displaced, err := w.AddEdits(w.ctx, tech, []store.NewEdit{w.edit("com.brannock.p001", change.Description, everywhere, `"exact"`)})
	if err != nil || len(displaced) != 1 || string(displaced[0].Value) != `"vague"` || displaced[0].Package != "com.brannock.p001" {
		t.Fatalf("%+v %v", displaced, err)
	}
	tray, err := w.Tray(w.ctx, tech)
	if err != nil || len(tray) != 1 || tray[0].Revises == 0 || tray[0].Thread != edits[0].Thread {
		t.Fatalf("%+v %v", tray, err)
	}
	same, err := w.Send(w.ctx, tech, store.Sending{Key: "k", Title: "once more", Edits: again})
	if err != nil || same != id {
		t.Fatalf("a revision is the same change: %v %v", same, err)
	}
	if retry, err := w.Send(w.ctx, tech, store.Sending{Key: "k", Title: "once more", Edits: again}); err != nil || retry != id {
		t.Fatalf("%v %v", retry, err)
	}
	c, edits := w.state(id)
	talk, err := w.TalkOf(w.ctx, rev, id)
	if err != nil || c.State != "sent" || c.Round != 2 || c.Edits != 2 || c.Open != 2 || len(edits) != 3 || edits[0].State != "replaced" || edits[2].Round != 2 || edits[2].Thread != edits[0].Thread {
		t.Fatalf("%+v %+v %v", c, edits, err)
	}
	if len(talk.Comments) != 1 || *talk.Comments[0].Thread != edits[2].Thread || talk.LookedAt == nil || !edits[2].CreatedAt.After(*talk.LookedAt) || len(talk.Asked) != 1 || talk.Asked[0].Answered {
		t.Errorf("%+v", talk)
	}
	w.must(w.decide("second", id, verdicts([]uuid.UUID{edits[1].ID, edits[2].ID}, "accepted")...))
	if talk, _ := w.TalkOf(w.ctx, rev, id); !talk.Asked[0].Answered {
		t.Error("deciding answers who was asked")
	}
	kinds := func(who string) (list []string) {
		notices, err := w.Notices(w.ctx, w.people[who].ID, 20)
		w.must(err)
		for _, n := range notices {
			list = append(list, n.Kind)
		}
		return list
	}
	if got := kinds("tech"); !slices.Equal(got, []string{"decided", "decided", "comment"}) {
		t.Errorf("the author was told %v", got)
	}
	if got := kinds("rev"); !slices.Equal(got, []string{"revised"}) {
		t.Errorf("the reviewer was told %v", got)
	}
	if got := kinds("second"); !slices.Equal(got, []string{"asked"}) {
		t.Errorf("the one who was asked was told %v", got)
	}
	w.must(w.ReadNotices(w.ctx, tech, time.Now()))
	if n, err := w.UnreadNotices(w.ctx, tech); err != nil || n != 0 {
		t.Errorf("%d %v", n, err)
	}
}

// TestRevert takes an accepted change back, and takes that back, too.
func TestRevert(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p001"
	w.accept("other", w.edit(name, change.Description, everywhere, `"before"`))
	before := w.row(w.scope(""), name)
	id, ids := w.send("tech", w.edit(name, change.Description, everywhere, `"after"`), w.trial(name, "p9", "fault"),
		w.edit(name, change.Source, everywhere, `{"title":"Note","link":"https://a.example/","claim":"fault","load":"tied-in"}`), w.edit("com.brannock.p002", change.Aliases, everywhere, `["x"]`))
	w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
	after := w.row(w.scope(""), name)
	back := func(who string, of uuid.UUID, edits, moved int) uuid.UUID {
		t.Helper()
		n, m, err := w.Revert(w.ctx, w.people[who].ID, of)
		if err != nil || n != edits || m != moved {
			t.Fatalf("%d edits, %d moved, %v", n, m, err)
		}
		tray, err := w.Tray(w.ctx, w.people[who].ID)
		w.must(err)
		var list []uuid.UUID
		for _, e := range tray {
			list = append(list, e.ID)
		}
		id, err := w.Send(w.ctx, w.people[who].ID, store.Sending{Title: "back", Edits: list})
		w.must(err)
		w.must(w.decide("rev", id, verdicts(list, "accepted")...))
		return id
	}
	undone := back("main", id, 4, 0)
	c, _ := w.state(undone)
	original, _ := w.state(id)
	if got := w.row(w.scope(""), name); got != before || w.claim(name, change.Description) != `"before"` || w.claim("com.brannock.p002", change.Aliases) != "" || c.Reverts != original.Number || original.RevertedBy != c.Number {
		t.Errorf("%+v, want %+v; %+v", got, before, c)
	}
	if _, _, err := w.Revert(w.ctx, w.people["tech"].ID, uuid.New()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
	back("tech", undone, 4, 0)
	if got := w.row(w.scope(""), name); got != after || w.claim(name, change.Description) != `"after"` {
		t.Errorf("%+v, want %+v", got, after)
	}
	if _, _, err := w.Revert(w.ctx, w.people["tech"].ID, undone); !errors.Is(err, store.ErrNothingStands) {
		t.Errorf("taken back twice: %v", err)
	}
	// What has moved since meets a conflict instead of being overwritten.
	w.accept("other", w.edit(name, change.Description, everywhere, `"newer"`))
	if n, moved, err := w.Revert(w.ctx, w.people["main"].ID, id); err != nil || n != 2 || moved != 1 {
		t.Errorf("%d %d %v", n, moved, err)
	}
}

// TestQueue sorts open changes by what they touch, age and record.
func TestQueue(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	model := w.scope("").Model.ID
	w.accept("tech", w.edit("com.brannock.p004", change.Load, everywhere, `{"load":"loose"}`), w.trial("com.brannock.p004", "x", "clean"))
	id, err := w.AddProfile(w.ctx, store.NewProfile{Model: model, Name: "E"}, w.people["main"].ID)
	w.must(err)
	w.must(w.SetRules(w.ctx, id, 1, "", nil, profile.Rules{Method: evidence.RemoveForUser, HighestLoad: evidence.Loose, HighestCeiling: 1}, w.people["main"].ID))
	w.released(id, 2)
	newcomer, _ := w.send("other", w.edit("com.brannock.p001", change.Description, everywhere, `"a"`))
	known, _ := w.send("tech", w.edit("com.brannock.p002", change.Description, everywhere, `"b"`))
	old, _ := w.send("other", w.edit("com.brannock.p003", change.Description, everywhere, `"c"`))
	touching, _ := w.send("other", w.edit("com.brannock.p004", change.Description, everywhere, `"d"`))
	_, err = w.Pool().Exec(w.ctx, `update changes set sent_at = now() - interval '3 days' where id = $1`, old)
	w.must(err)
	var got []uuid.UUID
	q := store.ChangeQuery{State: "sent", Limit: 1}
	for range 5 {
		list, err := w.Changes(w.ctx, q)
		w.must(err)
		if len(list) == 0 {
			break
		}
		place := list[0].Place()
		got, q.After = append(got, list[0].ID), &place
	}
	if want := []uuid.UUID{touching, old, known, newcomer}; !slices.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
}

// TestKilledWhileAccepting ends the database's connection in the middle of a
// decision: nothing of it is written, and deciding again works.
func TestKilledWhileAccepting(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	id, ids := w.send("tech", w.edit("com.brannock.p001", change.Description, everywhere, `"x"`), w.trial("com.brannock.p002", "p", "clean"), w.edit("com.brannock.p003", change.Description, everywhere, `"z"`))
	_, err := w.Pool().Exec(w.ctx, `
		create function die() returns trigger language plpgsql as $$ begin if new.field = 'trial' then perform pg_terminate_backend(pg_backend_pid()); end if; return new; end $$;
		create trigger die after insert on history for each row execute function die()`)
	w.must(err)
	if err := w.decide("rev", id, verdicts(ids, "accepted")...); err == nil {
		t.Fatal("the connection was to be ended")
	}
	_, err = w.Pool().Exec(w.ctx, `drop trigger die on history`)
	w.must(err)
	c, _ := w.state(id)
	if c.State != "sent" || c.Open != 3 || c.Revision != 1 || w.claim("com.brannock.p001", change.Description) != "" {
		t.Fatalf("half of it was written: %+v", c)
	}
	w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
	if c, _ := w.state(id); c.State != "accepted" || c.AuthorAccepted != 3 {
		t.Errorf("%+v", c)
	}
}

// TestFullTray sends a tray of 5,000 edits as one change and accepts it while
// another change touches the same packages.
func TestFullTray(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	var edits []store.NewEdit
	for i := range 5000 {
		edits = append(edits, w.trial(fmt.Sprintf("com.brannock.p%03d", i%5), fmt.Sprint("phone ", i), "clean"))
	}
	me := w.people["tech"].ID
	_, _, err := w.AddEdits(w.ctx, me, edits)
	w.must(err)
	tray, err := w.Tray(w.ctx, me)
	if err != nil || len(tray) != 5000 {
		t.Fatalf("%d, %v", len(tray), err)
	}
	ids := make([]uuid.UUID, len(tray))
	for i, e := range tray {
		ids[i] = e.ID
	}
	id, err := w.Send(w.ctx, me, store.Sending{Title: "many", Edits: ids})
	w.must(err)
	other, otherIDs := w.send("other", w.trial("com.brannock.p001", "theirs", "fault"), w.trial("com.brannock.p003", "theirs", "clean"))
	var wait sync.WaitGroup
	for _, one := range []struct {
		id  uuid.UUID
		ids []uuid.UUID
		by  string
	}{{id, ids, "rev"}, {other, otherIDs, "second"}} {
		wait.Go(func() {
			if err := w.Decide(w.ctx, w.people[one.by].ID, one.id, 1, verdicts(one.ids, "accepted")); err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	row := w.row(w.scope(""), "com.brannock.p001")
	if row.Phones != 1001 || row.Harmed != 1 {
		t.Errorf("%+v", row)
	}
}

func TestQuestions(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p001"
	w.accept("tech", w.trial(name, "p1", "clean"))
	w.send("other", w.edit(name, change.Load, everywhere, `{"load":"loose"}`), w.edit("com.brannock.p003", change.Description, everywhere, `"same"`))
	bare := w.edit("com.brannock.p002", change.Load, everywhere, `{"load":"tied-in"}`)
	bare.Reason = ""
	me := w.people["tech"].ID
	_, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{w.edit(name, change.Load, everywhere, `{"load":"leaned-on"}`), bare, w.trial(name, "p1", "clean"), w.edit("com.brannock.p003", change.Description, everywhere, `"same"`)})
	w.must(err)
	tray, err := w.Tray(w.ctx, me)
	w.must(err)
	checked, err := w.CheckSending(w.ctx, me, tray)
	w.must(err)
	got := map[string]string{}
	for _, e := range checked.Edits {
		for _, q := range e.Questions {
			for _, x := range tray {
				if x.ID == e.Edit {
					got[x.Package[13:]+" "+x.Field] += q.Kind + " "
				}
			}
		}
	}
	want := map[string]string{"p001 load": "other-open more-lenient cost-missing ", "p002 load": "evidence-missing more-lenient condition-missing reason-missing ", "p001 trial": "known-trial ", "p003 description": "same-open "}
	for k, v := range want {
		if got[k] != v {
			t.Errorf("%s: %q, want %q", k, got[k], v)
		}
	}
	if len(got) != len(want) {
		t.Errorf("%v", got)
	}
}
