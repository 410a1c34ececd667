package store_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/change"
	"roster/core/desk"
	"roster/core/profile"
	"roster/store"
)

// desk are the lines of a person's Desk, most urgent first, each as its kind
// and its text.
func (w *world) desk(login string) (texts []string) {
	w.t.Helper()
	for _, l := range w.deskLines(login) {
		texts = append(texts, string(l.Kind)+": "+l.Text)
	}
	return texts
}

func (w *world) deskLines(login string) []desk.Line {
	w.t.Helper()
	lines, _, err := w.Desk(w.ctx, w.people[login], time.Now())
	w.must(err)
	return lines
}

// line is the only line of a kind on a Desk.
func (w *world) line(login string, kind desk.Kind) desk.Line {
	w.t.Helper()
	var found []desk.Line
	for _, l := range w.deskLines(login) {
		if l.Kind == kind {
			found = append(found, l)
		}
	}
	if len(found) != 1 {
		w.t.Fatalf("%s has %d lines of %s: %q", login, len(found), kind, w.desk(login))
	}
	return found[0]
}

// has checks which people have a line of a kind.
func (w *world) has(kind desk.Kind, want ...string) {
	w.t.Helper()
	for login := range w.people {
		got := slices.ContainsFunc(w.deskLines(login), func(l desk.Line) bool { return l.Kind == kind })
		if got != slices.Contains(want, login) {
			w.t.Errorf("%s has a line of %s: %t; %q", login, kind, got, w.desk(login))
		}
	}
}

func TestDeskOfReviewing(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p001"
	id, ids := w.send("tech", w.edit(name, change.Load, everywhere, `{"load":"loose"}`), w.edit(name, change.Description, everywhere, `"words"`))
	w.has(desk.Change, "rev", "second", "main")
	l := w.line("rev", desk.Change)
	if l.Text != "Change 1, “a change” by tech, waits for review: 2 edits." || l.To != "/review/"+id.String() || l.Points == 0 || !strings.Contains(l.Why, "somebody's work waits") {
		t.Errorf("%+v", l)
	}
	// Whom somebody asks has another line, with the words.
	w.must(w.Ask(w.ctx, w.people["rev"].ID, id, w.people["second"].ID, "Is this yours?"))
	w.has(desk.Asked, "second")
	w.has(desk.Change, "rev", "main")
	if l := w.line("second", desk.Asked); l.Words != "Is this yours?" || l.HandedBy != "rev" || l.Points <= w.line("rev", desk.Change).Points {
		t.Errorf("%+v", l)
	}
	// Returned, it is its author's; accepted, nobody's.
	w.must(w.decide("rev", id, verdicts(ids, "returned")...))
	w.has(desk.Returned, "tech")
	w.has(desk.Change)
	if l := w.line("tech", desk.Returned); l.Text != "rev returned “a change” to you." || l.Words != "see" {
		t.Errorf("%+v", l)
	}
	// Who is done with it hears of its next round all the same.
	w.must(w.Done(w.ctx, w.people["tech"].ID, w.line("tech", desk.Returned).Key))
	w.has(desk.Returned)
	next, again := w.send("tech", w.edit("com.brannock.p003", change.Description, everywhere, `"vague"`))
	w.must(w.Done(w.ctx, w.people["rev"].ID, w.line("rev", desk.Change).Key))
	w.has(desk.Change, "second", "main")
	w.must(w.decide("second", next, verdicts(again, "returned")...))
	w.must(w.Reopen(w.ctx, w.people["tech"].ID, again[0]))
	w.send("tech", w.edit("com.brannock.p003", change.Description, everywhere, `"exact"`))
	w.has(desk.Change, "rev", "second", "main")
	if l := w.line("rev", desk.Change); l.To != "/review/"+next.String() {
		t.Errorf("%+v", l)
	}
	w.must(w.decide("second", next, verdicts(w.open(next), "accepted")...))
	// A list from elsewhere is told apart.
	edits, _, err := w.AddEdits(w.ctx, w.people["tech"].ID, []store.NewEdit{w.edit("com.brannock.p002", change.Description, everywhere, `"x"`)})
	w.must(err)
	_, err = w.Send(w.ctx, w.people["tech"].ID, store.Sending{Title: "their list", Edits: edits, ImportedFrom: "loans.csv"})
	w.must(err)
	w.has(desk.Import, "rev", "second", "main")
	if l := w.line("main", desk.Import); !strings.Contains(l.Text, "“loans.csv”, brought in by tech, waits for review: 1 edit") {
		t.Errorf("%+v", l)
	}
}

func TestDeskOfPublishing(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	keeper, err := w.AddPerson(w.ctx, "keep", "keep", "keeper", "x")
	w.must(err)
	w.people["keep"] = keeper
	w.build = w.linked("1", loose)
	id, quiet := w.edition("Quiet", "l.lib", "l.other")
	w.has(desk.ThinRelease, "main", "keep")
	if l := w.line("main", desk.ThinRelease); !strings.Contains(l.Text, "Quiet no. 1 of Lyra 5 takes off 2 packages that few have tried: l.lib and l.other.") || !strings.Contains(l.To, "model=lyra-5") {
		t.Errorf("%+v", l)
	}
	// Trials that contradict each other are the reviewers', too.
	for i, outcome := range []string{"clean", "clean", "clean", "fault", "clean", "no-start"} {
		w.accept([]string{"tech", "other", "main"}[i%3], w.trial("l.lib", "phone "+string(rune('a'+i)), outcome))
	}
	w.has(desk.Contested, "rev", "second", "main", "keep")
	if l := w.line("rev", desk.Contested); l.Text != "Trials contradict each other about 1 package that Quiet no. 1 of Lyra 5 takes off: l.lib." {
		t.Errorf("%+v", l)
	}
	if l := w.line("main", desk.ThinRelease); !strings.Contains(l.Text, "1 package that few have tried: l.other.") {
		t.Errorf("%+v", l)
	}

	// New firmware that is only not covered, and then one that would stop.
	w.linked("2", loose)
	w.has(desk.ReleaseBehind, "main", "keep")
	w.has(desk.ReleaseStops)
	second := w.linked("3", bound)
	w.has(desk.ReleaseStops, "main", "keep")
	l := w.line("main", desk.ReleaseStops)
	if l.Text != "Quiet no. 1 would stop something on Lyra 5 3. l.lib: l.user uses its library l.api." || l.To != "/builds/releases/"+quiet.ID.String()+"/"+second.String()+"?maker=brannock&model=lyra-5" {
		t.Errorf("%+v", l)
	}
	if w.desk("main")[0] != "release-stops: "+l.Text {
		t.Errorf("the most urgent is %q", w.desk("main")[0])
	}
	w.has(desk.Arrived, "tech", "rev", "second", "main", "keep")

	// Asked for by one, it waits for the other alone.
	rules := profile.DefaultRules
	rules.Pins = []profile.Pin{{Package: "l.other", Goes: true, Reason: "for the test"}}
	w.must(w.SetRules(w.ctx, id, 2, "", nil, rules, w.people["main"].ID))
	asked, err := w.AskPublication(w.ctx, id, 3, []string{"New."}, "Please look.", w.people["main"].ID)
	w.must(err)
	w.has(desk.PublicationAsk, "keep")
	if l := w.line("keep", desk.PublicationAsk); l.Words != "Please look." || l.HandedBy != "main" || !strings.Contains(l.Text, "main asks to publish Lyra 5: Quiet") {
		t.Errorf("%+v", l)
	}
	_, err = w.DecidePublication(w.ctx, asked, keeper, store.Verdict{State: "returned", Answer: "l.lib has to stay."}, nil)
	w.must(err)
	w.has(desk.PublicationAsk)
	w.has(desk.Returned, "main")

	// Who is done with that hears of the next package.
	w.must(w.Done(w.ctx, w.people["rev"].ID, w.line("rev", desk.Contested).Key))
	w.has(desk.Contested, "second", "main", "keep")
	// One more of the same package, dated a day that is not over, or a wrong
	// one, is no news of it.
	for _, day := range []string{time.Now().UTC().Format(time.DateOnly), time.Now().AddDate(0, 0, 3).Format(time.DateOnly)} {
		e := w.trial("l.lib", "phone of "+day, "clean")
		e.Value = json.RawMessage(strings.Replace(string(e.Value), `{`, fmt.Sprintf(`{"on":%q,`, day), 1))
		w.accept("tech", e)
		w.has(desk.Contested, "second", "main", "keep")
	}
	for i, outcome := range []string{"clean", "clean", "clean", "fault", "clean", "no-start"} {
		w.accept([]string{"tech", "other", "main"}[i%3], w.trial("l.other", "phone "+string(rune('a'+i)), outcome))
	}
	w.has(desk.Contested, "rev", "second", "main", "keep")

	// A key that is no longer used.
	if _, err := w.Pool().Exec(w.ctx, `update signing_keys set retired_at = now()`); err != nil {
		t.Fatal(err)
	}
	w.has(desk.KeyRetired, "main", "keep")
	// Lifted by a person, the line is gone for everybody.
	w.must(w.Lift(w.ctx, quiet.ID, second, keeper.ID, "nobody opens it"))
	w.has(desk.ReleaseStops)
	if got := w.desk("main"); !slices.ContainsFunc(got, func(s string) bool { return strings.HasPrefix(s, "told:") && strings.Contains(s, "lifted") }) {
		t.Errorf("nobody told main that the mark was lifted: %q", got)
	}
}

func TestDeskOfWork(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.build = w.linked("1", loose)
	id, _ := w.edition("Quiet", "l.lib")
	w.has(desk.TrialsWanted)
	wanted, err := w.WantTrials(w.ctx, id, w.build, "remove-for-user", 0.3, []string{"l.lib"}, w.people["main"].ID)
	w.must(err)
	w.has(desk.TrialsWanted, "tech") // who captured such a phone
	if l := w.line("tech", desk.TrialsWanted); !strings.Contains(l.Text, "1 package of Quiet") || !strings.Contains(l.To, wanted.String()) {
		t.Errorf("%+v", l)
	}
	w.accept("other", w.trial("l.lib", "x", "clean"))
	w.has(desk.TrialsWanted)

	// Runs: one that stopped in the middle, one whose check list is due.
	run := func(state, ended string) uuid.UUID {
		t.Helper()
		id := uuid.Must(uuid.NewV7())
		tx, err := w.Pool().Begin(w.ctx)
		w.must(err)
		defer tx.Rollback(w.ctx)
		for _, sql := range []string{`set local session_replication_role = replica`,
			`
				insert into runs (id, profile_id, document, build_id, capture_id, phone, phone_name, form, bench_id,
					person_id, choices, state, ended_at)
				select '` + id.String() + `',
					p.id, '{}', b.id, b.id, 'x', 'Lyra 5', 'phone', b.id, w.id, '{}', '` + state + `',
					now() - interval '` + ended + `'
				from profiles p, people w, builds b
				where w.login = 'tech' and b.id = '` + w.build.String() + `'`,
			`insert into run_checks (run_id, number, text) values ('` + id.String() + `', 1, 'Call somebody')`} {
			if _, err := tx.Exec(w.ctx, sql); err != nil {
				t.Fatal(err)
			}
		}
		w.must(tx.Commit(w.ctx))
		return id
	}
	held := run("held", "1 hour")
	run("finished", "3 days")
	w.has(desk.RunOpen, "tech")
	w.has(desk.CheckDue)
	if l := w.line("tech", desk.RunOpen); l.To != "/bench/runs/"+held.String() || !strings.Contains(l.Text, "of Quiet on Lyra 5 stopped by itself: continue it, or put back.") {
		t.Errorf("%+v", l)
	}
	run("finished", "8 days")
	w.has(desk.CheckDue, "tech")
	if l := w.line("tech", desk.CheckDue); !strings.Contains(l.Text, "Used for a week? 1 check of run 3 (Quiet on Lyra 5) is not answered.") {
		t.Errorf("%+v", l)
	}

	// Packages that many builds ship and nobody graded, a line a maker.
	for _, version := range []string{"14.1.1", "14.1.2", "14.1.3", "14.1.4"} {
		w.capture(version, "q"+version, 3)
	}
	w.has(desk.Ungraded, "rev", "second", "main")
	if l := w.line("rev", desk.Ungraded); !strings.Contains(l.Text, "3 packages of Brannock alone that 5 firmwares or more ship: com.brannock.p000, com.brannock.p001 and com.brannock.p002") {
		t.Errorf("%+v", l)
	}
	for _, name := range []string{"com.brannock.p000", "com.brannock.p001", "com.brannock.p002"} {
		w.accept("tech", w.edit(name, change.Load, everywhere, `{"load":"tied-in"}`))
	}
	w.has(desk.Ungraded)
}

func TestDeskIsWorkedThrough(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	rev, second := w.people["rev"], w.people["second"]
	w.send("tech", w.edit("com.brannock.p001", change.Description, everywhere, `"x"`))
	key := w.line("rev", desk.Change).Key
	now := time.Now()
	away := func(at time.Time) []desk.Line {
		t.Helper()
		_, list, err := w.Desk(w.ctx, rev, at)
		w.must(err)
		return list
	}
	until := now.Add(24 * time.Hour).Truncate(time.Second)
	w.must(w.PutOff(w.ctx, rev.ID, key, until))
	w.has(desk.Change, "second", "main")
	if list := away(now); len(list) != 1 || list[0].Key != key || list[0].Until == nil || !list[0].Until.Equal(until) {
		t.Errorf("%+v", list)
	}
	// It comes back by itself, or is fetched.
	if list := away(until.Add(time.Second)); len(list) != 0 {
		t.Errorf("still away after its time: %+v", list)
	}
	w.must(w.PutOff(w.ctx, rev.ID, key, time.Time{}))
	w.has(desk.Change, "rev", "second", "main")
	w.must(w.Done(w.ctx, rev.ID, key))
	if list := away(now.AddDate(50, 0, 0)); len(list) != 1 || list[0].Until != nil {
		t.Errorf("%+v", list)
	}
	w.must(w.PutOff(w.ctx, rev.ID, key, time.Time{}))

	// Handed to somebody who would never have seen it.
	other := w.people["other"]
	w.must(w.Hand(w.ctx, rev.ID, other.ID, key, "You know this one."))
	w.has(desk.Change, "other", "second", "main")
	if l := w.line("other", desk.Change); l.HandedBy != "rev" || l.Words != "You know this one." {
		t.Errorf("%+v", l)
	}
	w.must(w.Hand(w.ctx, other.ID, second.ID, key, "Not mine."))
	w.has(desk.Change, "second", "main")
	if l := w.line("second", desk.Change); l.HandedBy != "other" {
		t.Errorf("%+v", l)
	}
	for what, err := range map[string]error{
		"to oneself": w.Hand(w.ctx, rev.ID, rev.ID, key, ""), "to nobody": w.Hand(w.ctx, rev.ID, uuid.New(), key, ""),
		"no kind": w.PutOff(w.ctx, rev.ID, "x:1", until), "no line": w.Done(w.ctx, rev.ID, "change"), "too long": w.Done(w.ctx, rev.ID, "change:"+strings.Repeat("x", 300)), "no notice": w.Done(w.ctx, rev.ID, "told:x"),
	} {
		if err == nil || what == "to oneself" && !errors.Is(err, store.ErrOwn) || what == "to nobody" && !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

func TestFollows(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	other := w.people["other"].ID
	p, err := w.Package(w.ctx, "com.brannock.p001")
	w.must(err)
	w.must(w.Follow(w.ctx, other, "package", p.ID))
	w.must(w.Follow(w.ctx, other, "package", p.ID)) // twice is once
	for _, wrong := range []struct {
		kind string
		id   uuid.UUID
	}{{"package", uuid.New()}, {"maker", p.ID}} {
		if err := w.Follow(w.ctx, other, wrong.kind, wrong.id); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%v: %v", wrong, err)
		}
	}
	list, err := w.Follows(w.ctx, other)
	if err != nil || len(list) != 1 || list[0].Name != "com.brannock.p001" {
		t.Errorf("%+v, %v", list, err)
	}
	w.accept("tech", w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose"}`), w.edit("com.brannock.p002", change.Load, everywhere, `{"load":"loose"}`))
	if l := w.line("other", desk.Told); !strings.Contains(l.Text, "com.brannock.p001") || !strings.Contains(l.Text, "load") || !strings.HasPrefix(l.To, "/packages/com.brannock.p001") {
		t.Errorf("%+v", l)
	}
	w.must(w.Done(w.ctx, other, w.line("other", desk.Told).Key))
	w.has(desk.Told, "tech") // whose change was decided
	w.must(w.Done(w.ctx, w.people["tech"].ID, "told:decided"))
	w.has(desk.Told)
	w.must(w.Unfollow(w.ctx, other, "package", p.ID))
	w.accept("tech", w.edit("com.brannock.p001", change.Description, everywhere, `"words"`))
	w.has(desk.Told, "tech")
}

func TestWeek(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.build = w.linked("1", loose)
	_, quiet := w.edition("Quiet", "l.lib")
	w.linkedOn("held", "2", bound)
	w.accept("tech", w.edit("l.other", change.Load, everywhere, `{"load":"loose"}`), w.trial("l.other", "x", "clean"), w.trial("l.other", "y", "fault"))
	turned, ids := w.send("tech", w.edit("l.home", change.Load, everywhere, `{"load":"loose"}`))
	w.must(w.decide("rev", turned, verdicts(ids, "turned-down")...))
	w.send("other", w.edit("l.home", change.Description, everywhere, `"x"`))
	w.must(w.Withdraw(w.ctx, quiet.ID, "it was wrong", w.people["main"].ID, time.Time{}))
	now := time.Now()
	week, err := w.WeekFrom(w.ctx, now.AddDate(0, 0, -7), now.Add(time.Minute))
	w.must(err)
	if week.Captures != 3 || week.Phones != 3 || week.Waiting != 1 || week.Trials["clean"] != 1 || week.Trials["fault"] != 1 || week.Edits["turned-down"] != 1 {
		t.Errorf("%+v", week)
	}
	if n := len(week.Arrived); n != 3 || week.Arrived[0].Words != "the first of its edition" || !strings.Contains(week.Arrived[n-1].Words, "1 package is new") {
		t.Errorf("%+v", week.Arrived)
	}
	var what []string
	for _, r := range week.Released {
		what = append(what, r.What)
	}
	slices.Sort(what)
	if !slices.Equal(what, []string{"marked", "published", "withdrawn"}) {
		t.Errorf("%q", what)
	}
	if len(week.Loads) != 1 || week.Loads[0].Package != "l.other" || week.Loads[0].After != "loose" || week.Loads[0].Before != "" {
		t.Errorf("%+v", week.Loads)
	}
	i := slices.IndexFunc(week.People, func(p store.WeekPerson) bool { return p.Name == "rev" })
	if i < 0 || week.People[i].Decided != 4 {
		t.Errorf("%+v", week.People)
	}
	before, err := w.WeekFrom(w.ctx, now.AddDate(0, 0, -14), now.AddDate(0, 0, -7))
	if err != nil || before.Captures != 0 || len(before.Released)+len(before.Arrived)+len(before.Loads)+len(before.People) != 0 {
		t.Errorf("the week before: %+v, %v", before, err)
	}
}
