package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/people"
	"roster/core/profile"
	"roster/store"
	"roster/store/storetest"
)

// world is a small catalogue to test with.
type world struct {
	*store.Store
	t      testing.TB
	ctx    context.Context
	people map[string]store.Person
	build  uuid.UUID
}

func newWorld(t testing.TB) *world { return worldIn(t, storetest.Open(t)) }

// worldIn is a world in an empty database.
func worldIn(t testing.TB, s *store.Store) *world {
	w := &world{Store: s, t: t, ctx: context.Background(), people: map[string]store.Person{}}
	for _, p := range []string{"technician tech", "technician other", "reviewer rev", "reviewer second", "maintainer main"} {
		role, login, _ := strings.Cut(p, " ")
		person, err := w.AddPerson(w.ctx, login, login, people.Role(role), "x")
		if err != nil {
			t.Fatal(err)
		}
		w.people[login] = person
	}
	w.rules(change.ReviewRules{Lenient: 1, Lowering: 1, Newcomer: 1})
	w.build = w.capture("14.1.0", "phone-1", 5).BuildID
	return w
}

// rules sets how many reviewers edits need.
func (w *world) rules(r change.ReviewRules) {
	w.t.Helper()
	_, revision, err := w.ReviewRules(w.ctx)
	if err == nil {
		err = w.SetReviewRules(w.ctx, w.people["main"].ID, revision, r)
	}
	if err != nil {
		w.t.Fatal(err)
	}
}

func capture(version string, n int) *android.Capture {
	c := &android.Capture{Format: android.CaptureFormat, Complete: true, Identity: android.Identity{
		Fingerprint: "b/p/d:14/I/" + version + ":user/k", Manufacturer: "Brannock", Device: "lyra5", MarketName: "Lyra 5", Form: "phone", Release: "14", SDK: 34, SecurityPatch: "2026-01-" + version[len(version)-1:], Incremental: version,
	}}
	for i := range n {
		c.Packages = append(c.Packages, android.Package{Name: android.PackageName(fmt.Sprintf("com.brannock.p%03d", i)), VersionCode: 1, VersionName: version, Path: "/product/app/P", Partition: "product",
			System: true, Installed: true, Enabled: android.EnabledDefault, Requests: []string{"android.permission.INTERNET"}})
	}
	return c
}

func (w *world) capture(version, phone string, n int) store.CaptureSummary {
	w.t.Helper()
	sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: capture(version, n), Phone: phone, Person: w.people["tech"].ID, Source: "bench"})
	if err != nil {
		w.t.Fatal(err)
	}
	return sum
}

func (w *world) edit(pkg string, field change.Field, scope catalog.Scope, value string) store.NewEdit {
	w.t.Helper()
	p, err := w.Package(w.ctx, pkg)
	if err != nil {
		w.t.Fatal(err)
	}
	return store.NewEdit{Package: p.ID, Field: field, Scope: scope, Value: json.RawMessage(value), Reason: "because"}
}

func (w *world) trial(pkg, phone, outcome string) store.NewEdit {
	return w.edit(pkg, change.Trial, catalog.Scope{Kind: catalog.Everywhere},
		fmt.Sprintf(`{"build":%q,"phone":%q,"method":"remove-for-user","outcome":%q,"persistence":"held","recovery":"not-tried","watchedDays":3,"note":"its words"}`, w.build, phone, outcome))
}

func (w *world) send(by string, edits ...store.NewEdit) (uuid.UUID, []uuid.UUID) {
	w.t.Helper()
	ids, _, err := w.AddEdits(w.ctx, w.people[by].ID, edits)
	if err != nil {
		w.t.Fatal(err)
	}
	id, err := w.Send(w.ctx, w.people[by].ID, store.Sending{Key: "", Title: "a change", Edits: ids})
	if err != nil {
		w.t.Fatal(err)
	}
	return id, ids
}

func verdicts(ids []uuid.UUID, verdict string) (list []store.Decision) {
	for _, id := range ids {
		list = append(list, store.Decision{Edit: id, Verdict: change.State(verdict), Words: "see"})
	}
	return list
}

var everywhere = catalog.Scope{Kind: catalog.Everywhere}

func TestCaptureTwiceIsOne(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	first, again := w.capture("14.2.0", "phone-2", 5), w.capture("14.2.0", "phone-2", 5)
	if first.Known || !again.Known || first.ID != again.ID || !first.NewBuild || again.NewBuild || first.NewModel {
		t.Errorf("%+v\n%+v", first, again)
	}
	other := w.capture("14.2.0", "phone-3", 6)
	if other.Known || other.BuildID != first.BuildID || len(other.NewPackages) != 1 {
		t.Errorf("%+v", other)
	}
	sc, err := w.FindScope(w.ctx, "brannock", "lyra-5", "")
	if err != nil {
		t.Fatal(err)
	}
	columns, err := w.Columns(w.ctx, sc, 10)
	if err != nil {
		t.Fatal(err)
	}
	rows, found, total, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: sc, Method: "remove-for-user", Limit: 100, Columns: columns})
	if err != nil || len(rows) != 6 || found != 6 || total != 6 {
		t.Fatalf("%d rows, %d of %d, %v", len(rows), found, total, err)
	}
	if rows[0].Presence != "FF" || rows[5].Presence != "EF" {
		t.Errorf("%q %q", rows[0].Presence, rows[5].Presence)
	}
	if got, err := w.Capture(w.ctx, first.ID); err != nil || got.Packages != 5 || got.ModelName != "Lyra 5" || got.Ungraded != 6 {
		t.Errorf("%+v, %v", got, err)
	}
}

func TestManyCapturesAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	var wait sync.WaitGroup
	for i := range 20 {
		wait.Go(func() {
			c := capture(fmt.Sprintf("15.0.%d", i%3), 40)
			_, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: fmt.Sprint("p", i), Person: w.people["tech"].ID, Source: "bench"})
			if err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	builds, err := w.Builds(w.ctx, "brannock", "lyra-5")
	if err != nil || len(builds) != 4 || builds[3].Packages != 40 {
		t.Errorf("%+v, %v", builds, err)
	}
}

// TestAccept walks an edit from the tray into the catalogue, and holds the
// stored figures to the core's.
func TestAccept(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	model, err := w.FindScope(w.ctx, "brannock", "lyra-5", "")
	if err != nil {
		t.Fatal(err)
	}
	const name = "com.brannock.p001"
	id, edits := w.send("tech", w.trial(name, "p1", "clean"), w.trial(name, "p2", "clean"), w.trial(name, "p3", "fault"),
		w.edit(name, change.Load, model.Claims(), `{"load":"loose"}`), w.edit(name, change.Labels, everywhere, `{"en":"Tips","de":"Tipps"}`))
	if err := w.Decide(w.ctx, w.people["tech"].ID, id, 1, verdicts(edits, "accepted")); !errors.Is(err, store.ErrOwn) {
		t.Errorf("deciding about one's own: %v", err)
	}
	if err := w.Decide(w.ctx, w.people["rev"].ID, id, 7, verdicts(edits, "accepted")); !errors.Is(err, store.ErrStale) {
		t.Errorf("a stale revision: %v", err)
	}
	decisions := append(verdicts(edits[:4], "accepted"), verdicts(edits[4:], "returned")...)
	if err := w.Decide(w.ctx, w.people["rev"].ID, id, 1, decisions); err != nil {
		t.Fatal(err)
	}
	if err := w.Decide(w.ctx, w.people["second"].ID, id, 2, verdicts(edits[:1], "accepted")); !errors.Is(err, store.ErrState) {
		t.Errorf("deciding twice: %v", err)
	}
	c, list, err := w.Change(w.ctx, uuid.Nil, id)
	if err != nil || c.State != "returned" || c.Accepted != 4 || list[4].Words != "see" || list[4].DecidedBy != "rev" {
		t.Errorf("%+v, %v", c, err)
	}
	rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: model, Method: "remove-for-user", Filter: words("p001"), Limit: 10})
	if err != nil || len(rows) != 1 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	p, err := w.Package(w.ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	trials, table, err := w.Evidence(w.ctx, p.ID)
	if err != nil || len(trials) != 3 {
		t.Fatalf("%d trials, %v", len(trials), err)
	}
	want := evidence.Weigh(trials, evidence.RemoveForUser, model.Target, table)
	r := rows[0]
	if r.Ceiling != want.Ceiling || r.Floor != want.Floor || r.Standing != string(want.Standing) || r.Phones != 3 || r.Harmed != 1 || r.Strip != "ccf" {
		t.Errorf("the Ledger has %+v, the core says %+v", r, want)
	}
	if r.Load != "loose" || r.BySuggestion || r.LoadScope != "model" || r.Suggested != "tied-in" {
		t.Errorf("%+v", r)
	}
	past, err := w.History(w.ctx, p.ID, 10)
	if err != nil || len(past) != 4 || past[0].Author != "tech" || past[0].Accepted != "rev" {
		t.Errorf("%+v, %v", past, err)
	}
	// The returned edit goes back into the tray, with the words.
	if err := w.Reopen(w.ctx, w.people["tech"].ID, edits[4]); err != nil {
		t.Fatal(err)
	}
	if tray, err := w.Tray(w.ctx, w.people["tech"].ID); err != nil || len(tray) != 1 || tray[0].Words != "see" {
		t.Errorf("%+v, %v", tray, err)
	}
}

func TestSearch(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	id, edits := w.send("tech", w.edit("com.brannock.p002", change.Labels, everywhere, `{"en":"Daily 100% Feed","de":"Tagesblick"}`), w.edit("com.brannock.p002", change.Aliases, everywhere, `["Old_name"]`))
	if err := w.Decide(w.ctx, w.people["rev"].ID, id, 1, verdicts(edits, "accepted")); err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]int{"tagesb": 1, "FEED daily": 1, "feed p002": 1, "old_n": 1, "p_02": 0, "tagesblik": 1, "100%": 1, "%": 1, "_": 1, "p00": 5, "p002 nothing": 0, `\`: 0, "'; drop table packages; --": 0} {
		if rows, found, _, err := w.Ledger(w.ctx, store.LedgerQuery{Method: "remove-for-user", Filter: words(text), Limit: 100}); err != nil || len(rows) != want || found != want {
			t.Errorf("%q: %d rows, want %d (%v)", text, len(rows), want, err)
		}
	}
	// Pages join without a gap or a double.
	var names []string
	q := store.LedgerQuery{Method: "remove-for-user", Limit: 2}
	for range 5 {
		rows, _, _, err := w.Ledger(w.ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range rows {
			names = append(names, r.Name[len(r.Name)-1:])
			q.After = &store.LedgerCursor{Group: r.Group, Order: r.Order, Name: r.Name}
		}
	}
	if strings.Join(names, "") != "01234" {
		t.Errorf("pages hold %v", names)
	}
}

func TestTwoReviewersAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	for range 5 {
		id, edits := w.send("tech", w.trial("com.brannock.p003", uuid.NewString(), "clean"))
		errs := make(chan error, 2)
		for _, who := range []string{"rev", "second"} {
			go func() { errs <- w.Decide(w.ctx, w.people[who].ID, id, 1, verdicts(edits, "accepted")) }()
		}
		a, b := <-errs, <-errs
		if (a == nil) == (b == nil) || !errors.Is(errors.Join(a, b), store.ErrStale) {
			t.Errorf("one should win and the other be told: %v, %v", a, b)
		}
	}
	p, err := w.Package(w.ctx, "com.brannock.p003")
	if err != nil {
		t.Fatal(err)
	}
	if trials, err := w.Trials(w.ctx, p.ID, 100); err != nil || len(trials) != 5 {
		t.Errorf("%d trials of 5, %v", len(trials), err)
	}
}

func TestConflict(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p004"
	first, a := w.send("tech", w.edit(name, change.Description, everywhere, `"one"`))
	second, b := w.send("other", w.edit(name, change.Description, everywhere, `"two"`), w.trial(name, "p9", "clean"))
	if err := w.Decide(w.ctx, w.people["rev"].ID, first, 1, verdicts(a, "accepted")); err != nil {
		t.Fatal(err)
	}
	var conflict *store.ConflictError
	if err := w.Decide(w.ctx, w.people["rev"].ID, second, 1, verdicts(b, "accepted")); !errors.As(err, &conflict) || conflict.Package != name {
		t.Errorf("%v", err)
	}
	p, err := w.Package(w.ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	if trials, _ := w.Trials(w.ctx, p.ID, 10); len(trials) != 0 {
		t.Error("a part of a refused decision was written")
	}
	claims, err := w.Claims(w.ctx, p.ID)
	if err != nil || len(claims) != 1 || string(claims[0].Value) != `"one"` {
		t.Errorf("%+v, %v", claims, err)
	}
}

func TestSendOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	me := w.people["tech"].ID
	ids, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{w.trial("com.brannock.p000", "p1", "clean")})
	if err != nil {
		t.Fatal(err)
	}
	first, err := w.Send(w.ctx, me, store.Sending{Key: "key-1", Title: "once", Edits: ids})
	if err != nil {
		t.Fatal(err)
	}
	again, err := w.Send(w.ctx, me, store.Sending{Key: "key-1", Title: "once", Edits: ids})
	if err != nil || again != first {
		t.Errorf("a retry made %s of %s: %v", again, first, err)
	}
	if _, err := w.Send(w.ctx, me, store.Sending{Key: "key-2", Title: "twice", Edits: ids}); !errors.Is(err, store.ErrEmptyTray) {
		t.Errorf("edits were sent twice: %v", err)
	}
	if _, err := w.Send(w.ctx, w.people["other"].ID, store.Sending{Key: "", Title: "theirs", Edits: ids}); !errors.Is(err, store.ErrEmptyTray) {
		t.Errorf("somebody sent another person's edits: %v", err)
	}
	if err := w.TakeBack(w.ctx, w.people["other"].ID, first); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("somebody took back another person's change: %v", err)
	}
	if err := w.TakeBack(w.ctx, me, first); err != nil {
		t.Fatal(err)
	}
	if n, err := w.TrayCount(w.ctx, me); err != nil || n != 1 {
		t.Errorf("%d edits back in the tray, %v", n, err)
	}
}

func TestAppendOnly(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	id, edits := w.send("tech", w.trial("com.brannock.p000", "p1", "clean"))
	if err := w.Decide(w.ctx, w.people["rev"].ID, id, 1, verdicts(edits, "accepted")); err != nil {
		t.Fatal(err)
	}
	number := w.publish(t)
	for _, statement := range []string{
		`update history set reason = 'x'`, `delete from history`, `truncate history`,
		`update releases set document = '{}'`, `update releases set number = 9`, `delete from releases`,
	} {
		if _, err := w.Pool().Exec(w.ctx, statement); err == nil || !strings.Contains(err.Error(), "append-only") && !strings.Contains(err.Error(), "can't be changed") {
			t.Errorf("%s: %v", statement, err)
		}
	}
	if _, err := w.Pool().Exec(w.ctx, `
		update releases set state = 'withdrawn', withdrawn_reason = 'x'`); err != nil || number != 1 {
		t.Errorf("a release can't be withdrawn: %v", err)
	}
}

// publish makes a profile of what one clean package comes to, and a release.
func (w *world) publish(t *testing.T) int {
	t.Helper()
	main := w.people["main"]
	sc, err := w.FindScope(w.ctx, "brannock", "lyra-5", "")
	if err != nil {
		t.Fatal(err)
	}
	for i := range 12 {
		id, edits := w.send([]string{"tech", "other", "main"}[i%3], w.trial("com.brannock.p000", fmt.Sprint("x", i), "clean"))
		if err := w.Decide(w.ctx, w.people["rev"].ID, id, 1, verdicts(edits, "accepted")); err != nil {
			t.Fatal(err)
		}
	}
	id, err := w.AddProfile(w.ctx, store.NewProfile{Model: sc.Model.ID, Name: "Lending desk", Purpose: "For tests."}, main.ID)
	if err != nil {
		t.Fatal(err)
	}
	rules := profile.DefaultRules
	rules.HighestCeiling = 0.5
	if err := w.SetRules(w.ctx, id, 1, "For tests.", nil, rules, main.ID); err != nil {
		t.Fatal(err)
	}
	sign := func(raw []byte, _ *profile.Document) (string, string, error) { return "signature", "KEY", nil }
	if err := w.AddKey(w.ctx, store.SigningKey{ID: "KEY", Public: "p", Sealed: []byte("s")}); err != nil {
		t.Fatal(err)
	}
	asked, err := w.AskPublication(w.ctx, id, 2, []string{"The first."}, "", main.ID)
	w.must(err)
	if _, err := w.AskPublication(w.ctx, id, 2, []string{"Again."}, "", main.ID); !errors.Is(err, store.ErrAsked) {
		t.Errorf("asked twice: %v", err)
	}
	if _, err := w.DecidePublication(w.ctx, asked, main, store.Verdict{State: "published"}, sign); !errors.Is(err, store.ErrOwn) {
		t.Errorf("published by the one who asked: %v", err)
	}
	errs := make(chan error, 2)
	for range 2 {
		go func() {
			_, err := w.DecidePublication(w.ctx, asked, w.people["rev"], store.Verdict{State: "published"}, sign)
			errs <- err
		}()
	}
	a, b := <-errs, <-errs
	if (a == nil) == (b == nil) || !errors.Is(errors.Join(a, b), store.ErrState) {
		t.Fatalf("two publishers: %v, %v", a, b)
	}
	r, err := w.Release(w.ctx, "brannock", "lyra-5", "lending-desk", 0)
	if err != nil || r.State != "current" || r.Steps != 1 || r.SHA256 != profile.Digest(r.Document) {
		t.Fatalf("%+v, %v", r.ReleaseLine, err)
	}
	return r.Number
}

// released publishes a profile as it is.
func (w *world) released(id uuid.UUID, revision int) {
	w.t.Helper()
	asked, err := w.AskPublication(w.ctx, id, revision, []string{"New."}, "", w.people["main"].ID)
	w.must(err)
	_, err = w.DecidePublication(w.ctx, asked, w.people["rev"], store.Verdict{State: "published"}, func([]byte, *profile.Document) (string, string, error) {
		w.must(w.AddKey(w.ctx, store.SigningKey{ID: "k", Public: "p", Sealed: []byte{1}}))
		return "s", "k", nil
	})
	w.must(err)
}

// TestAskedByOlder: what an older program asked for, which told of no differences,
// can be signed.
func TestAskedByOlder(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	first, edits := w.send("tech", w.trial("com.brannock.p000", "p1", "clean"))
	w.must(w.Decide(w.ctx, w.people["rev"].ID, first, 1, verdicts(edits, "accepted")))
	w.publish(t)
	var id uuid.UUID
	var revision int
	w.must(w.Pool().QueryRow(w.ctx, `select id, revision from profiles`).Scan(&id, &revision))
	asked, err := w.AskPublication(w.ctx, id, revision, []string{"New."}, "", w.people["main"].ID)
	w.must(err)
	release, err := w.Release(w.ctx, "brannock", "lyra-5", "lending-desk", 0)
	w.must(err)
	d, err := profile.ParseDocument(release.Document)
	w.must(err)
	_, err = w.Pool().Exec(w.ctx, `
		update publications
		set differences = null, digest = $2
		where id = $1`, asked, profile.StepsDigest(d.Steps))
	w.must(err)
	sign := func([]byte, *profile.Document) (string, string, error) { return "signature", "KEY", nil }
	if n, err := w.DecidePublication(w.ctx, asked, w.people["rev"], store.Verdict{State: "published"}, sign); n != 2 || err != nil {
		t.Errorf("no. %d, %v", n, err)
	}
}

func TestSessions(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	token := []byte("0123456789abcdef0123456789abcdef")
	if err := w.StartSession(w.ctx, token, w.people["rev"].ID, time.Hour, "a browser", nil); err != nil {
		t.Fatal(err)
	}
	if p, err := w.SessionPerson(w.ctx, token, true); err != nil || p.Login != "rev" {
		t.Errorf("%+v, %v", p, err)
	}
	if err := w.EndSession(w.ctx, token); err != nil {
		t.Fatal(err)
	}
	if _, err := w.SessionPerson(w.ctx, token, true); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an ended session still holds: %v", err)
	}
	if err := w.StartSession(w.ctx, token, w.people["rev"].ID, -time.Second, "", nil); err != nil {
		t.Fatal(err)
	}
	if _, err := w.SessionPerson(w.ctx, token, true); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an expired session still holds: %v", err)
	}
}

func TestEventsReachOtherServers(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	got := make(chan store.Event, 10)
	ctx, cancel := context.WithCancel(w.ctx)
	defer cancel()
	go w.Listen(ctx, func(e store.Event) { got <- e })
	limit := time.After(3 * time.Minute)
	bench, err := w.AddBench(w.ctx, "ward", []byte("token"), w.people["tech"].ID)
	if err != nil {
		t.Fatal(err)
	}
	for {
		id, err := w.AddJob(w.ctx, w.people["tech"].ID, store.Ask{Kind: "capture", Bench: bench})
		if err != nil {
			t.Fatal(err)
		}
		if err := w.EndJob(w.ctx, id, "done", nil, ""); err != nil {
			t.Fatal(err)
		}
		select {
		case e := <-got:
			if e == (store.Event{}) {
				continue // it listens from now on
			}
			if !slices.Contains([]store.Topic{store.JobChanged, store.AskedOfBench, store.BenchChanged}, e.Topic) || e.ID == "" {
				t.Errorf("%+v", e)
			}
			return
		case <-time.After(100 * time.Millisecond): // it may not listen yet
		case <-limit:
			t.Fatal("no event arrived")
		}
	}
}
