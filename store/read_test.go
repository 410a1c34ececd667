package store_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/google/uuid"

	"golang.org/x/sync/errgroup"
	"roster/core/android"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/store"
)

// accept sends edits and has them accepted.
func (w *world) accept(by string, edits ...store.NewEdit) {
	w.t.Helper()
	id, ids := w.send(by, edits...)
	if err := w.Decide(w.ctx, w.people["rev"].ID, id, 1, verdicts(ids, "accepted")); err != nil {
		w.t.Fatal(err)
	}
}

func (w *world) scope(build string) store.Scope {
	w.t.Helper()
	sc, err := w.FindScope(w.ctx, "brannock", "lyra-5", build)
	if err != nil {
		w.t.Fatal(err)
	}
	return sc
}

func (w *world) row(sc store.Scope, name string) store.LedgerRow {
	w.t.Helper()
	rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: sc, Method: "remove-for-user", Filter: words(name), Limit: 10})
	if err != nil || len(rows) != 1 {
		w.t.Fatalf("%s: %d rows, %v", name, len(rows), err)
	}
	return rows[0]
}

func TestScopes(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	newer := w.capture("14.9.9", "p", 3)
	if sc := w.scope(""); sc.Target.Build != newer.BuildID.String() || sc.Claims().Kind != catalog.OfModel {
		t.Errorf("the newest build stands for the model: %+v", sc)
	}
	if sc := w.scope(w.build.String()); sc.Build.Version != "14.1.0" || sc.Claims().Kind != catalog.OfBuild || sc.Target.Build != w.build.String() {
		t.Errorf("%+v", sc)
	}
	for _, bad := range [][3]string{{"nobody", "", ""}, {"brannock", "nothing", ""}, {"brannock", "lyra-5", uuid.NewString()}, {"brannock", "lyra-5", "no id"}} {
		if _, err := w.FindScope(w.ctx, bad[0], bad[1], bad[2]); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%v: %v", bad, err)
		}
	}
	if sc, err := w.FindScope(w.ctx, "", "ignored", ""); err != nil || sc.Claims().Kind != catalog.Everywhere {
		t.Errorf("%+v, %v", sc, err)
	}
	if list, err := w.Makers(w.ctx, "RANN"); err != nil || len(list) != 1 || list[0].Models != 1 {
		t.Errorf("%+v, %v", list, err)
	}
	if list, err := w.Models(w.ctx, "brannock", "%"); err != nil || len(list) != 0 {
		t.Errorf("a wildcard is searched for as it is: %+v, %v", list, err)
	}
}

// TestSameName has two device types that are sold under one name.
func TestSameName(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := capture("15.0.0", 2)
	c.Identity.Device, c.Identity.Fingerprint = "lyra5x", "b/p/lyra5x:14/I/15.0.0:user/k"
	if _, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: "x", Person: w.people["tech"].ID, Source: "file"}); err != nil {
		t.Fatal(err)
	}
	models, err := w.Models(w.ctx, "brannock", "")
	if err != nil || len(models) != 2 || models[0].Slug == models[1].Slug {
		t.Errorf("%+v, %v", models, err)
	}
	upper := capture("15.0.1", 2)
	upper.Identity.Manufacturer = "BRANNOCK"
	if sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: upper, Phone: "y", Person: w.people["tech"].ID, Source: "file"}); err != nil || sum.NewMaker {
		t.Errorf("a maker written in capitals is the same: %+v, %v", sum, err)
	}
}

// TestOwnersAppsAreNotShipped keeps what a person installed out of what a
// firmware ships, and what a person took off in it.
func TestOwnersAppsAreNotShipped(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := capture("14.3.0", 2)
	c.Packages[1].Installed = false
	c.Packages = append(c.Packages, android.Package{Name: "org.example.mine", Path: "/data/app/~~x==/y", Partition: "data", Installed: true, Enabled: android.EnabledDefault})
	sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: "p7", Person: w.people["tech"].ID, Source: "bench"})
	if err != nil {
		t.Fatal(err)
	}
	rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: w.scope(sum.BuildID.String()), Method: "remove-for-user", Limit: 10})
	if err != nil || len(rows) != 2 {
		t.Errorf("%d packages, %v", len(rows), err)
	}
	got, err := w.Capture(w.ctx, sum.ID)
	if err != nil || fmt.Sprint(got.Gone) != "[com.brannock.p001]" || got.Packages != 3 {
		t.Errorf("%+v, %v", got, err)
	}
	p, err := w.Package(w.ctx, "org.example.mine")
	if err != nil || p.Origin != string(catalog.Owner) {
		t.Errorf("%+v, %v", p, err)
	}
	if phones, err := w.PhonesOn(w.ctx, sum.BuildID, 10); err != nil || len(phones) != 1 || phones[0].Phone != "p7" || phones[0].By != "tech" {
		t.Errorf("%+v, %v", phones, err)
	}
}

// TestNarrowestGrade sets one load at each scope; the Ledger shows the
// narrowest that covers the page's.
func TestNarrowestGrade(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	model, maker := w.scope(""), catalog.Scope{Kind: catalog.OfMaker, ID: w.scope("").Maker.ID.String()}
	build := w.scope(w.build.String())
	const name = "com.brannock.p000"
	for _, step := range []struct {
		scope catalog.Scope
		load  string
	}{{everywhere, "load-bearing"}, {maker, "tied-in"}, {model.Claims(), "leaned-on"}, {build.Claims(), "loose"}} {
		w.accept("tech", w.edit(name, change.Load, step.scope, `{"load":"`+step.load+`"}`))
	}
	for what, c := range map[string]struct {
		at   store.Scope
		want string
	}{"build": {build, "loose"}, "model": {model, "leaned-on"}, "maker": {store.Scope{Maker: model.Maker}, "tied-in"}, "everywhere": {store.Scope{}, "load-bearing"}} {
		if r := w.row(c.at, name); r.Load != c.want || r.LoadScope != what {
			t.Errorf("%s: %s for the %s", what, r.Load, r.LoadScope)
		}
	}
	// Cleared, the narrow one no longer hides the wide one.
	w.accept("tech", w.edit(name, change.Load, build.Claims(), `null`))
	if r := w.row(build, name); r.Load != "leaned-on" {
		t.Errorf("after clearing: %+v", r)
	}
	p, err := w.Package(w.ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	if claims, err := w.Claims(w.ctx, p.ID); err != nil || len(claims) != 3 {
		t.Errorf("%d claims, %v", len(claims), err)
	}
	past, err := w.History(w.ctx, p.ID, 10)
	if err != nil || len(past) != 5 || !strings.Contains(string(past[0].Before), "loose") || past[0].After != nil && string(past[0].After) != "null" {
		t.Errorf("%+v, %v", past, err)
	}
}

// TestNewBuildMovesFigures captures a newer firmware: it stands for the model
// from then on, and what was tried on the older one counts less.
func TestNewBuildMovesFigures(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p001"
	for i, by := range []string{"tech", "other", "main"} {
		w.accept(by, w.trial(name, fmt.Sprint("p", i), "clean"))
	}
	before := w.row(w.scope(""), name)
	w.capture("14.8.8", "newer", 5)
	after := w.row(w.scope(""), name)
	if before.Strip != "ccc" || after.Strip != "ccc" || !(after.Ceiling > before.Ceiling) {
		t.Errorf("before %+v\nafter %+v", before, after)
	}
	p, err := w.Package(w.ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	for _, sc := range []store.Scope{w.scope(""), w.scope(w.build.String()), {Maker: w.scope("").Maker, Target: evidence.Firmware{Maker: w.scope("").Maker.ID.String()}}, {}} {
		trials, table, err := w.Evidence(w.ctx, p.ID)
		if err != nil {
			t.Fatal(err)
		}
		want := evidence.Weigh(trials, evidence.RemoveForUser, sc.Target, table)
		if got := w.row(sc, name); got.Ceiling != want.Ceiling || got.Standing != string(want.Standing) {
			t.Errorf("at %+v: stored %v %s, computed %v %s", sc.Target, got.Ceiling, got.Standing, want.Ceiling, want.Standing)
		}
	}
}

func TestShips(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.capture("14.2.0", "p2", 3)
	p, err := w.Package(w.ctx, "com.brannock.p004")
	if err != nil {
		t.Fatal(err)
	}
	ships, on, err := w.Ships(w.ctx, p.ID, store.Scope{})
	if err != nil || on != 1 || len(ships) != 2 || !ships[0].Ships || ships[1].Ships ||
		ships[0].Path != "/product/app/P" || len(ships[0].Requests) != 1 || ships[0].Phones != 1 {
		t.Errorf("%+v, %v", ships, err)
	}
	// What ships nearly everywhere is listed for the models of the scope, and for
	// some others.
	for n := range 44 {
		c := capture("1.0.0", 5)
		c.Identity = identity(n%3, n, 1, "14")
		w.take(c, fmt.Sprint("elsewhere ", n))
	}
	ships, on, err = w.Ships(w.ctx, p.ID, w.scope(""))
	if err != nil || on != 45 || len(ships) != 21 || ships[0].Model != "Lyra 5" || ships[2].Model == "Lyra 5" {
		t.Errorf("%d models, %d builds, first of %+v, %v", on, len(ships), ships[0].Model, err)
	}
}

func TestTrayReplaces(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	me := w.people["tech"].ID
	add := func(value string) {
		t.Helper()
		if _, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{w.edit("com.brannock.p000", change.Description, everywhere, value)}); err != nil {
			t.Fatal(err)
		}
	}
	add(`"one"`)
	add(`"two"`)
	tray, err := w.Tray(w.ctx, me)
	if err != nil || len(tray) != 1 || string(tray[0].Value) != `"two"` {
		t.Errorf("%+v, %v", tray, err)
	}
	if err := w.RemoveEdit(w.ctx, w.people["other"].ID, tray[0].ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("somebody emptied another person's tray: %v", err)
	}
	if err := w.RemoveEdit(w.ctx, me, tray[0].ID); err != nil {
		t.Fatal(err)
	}
	// All or none: the second names a scope that is not there.
	bad := w.edit("com.brannock.p001", change.Load, catalog.Scope{Kind: catalog.OfModel, ID: uuid.NewString()}, `{"load":"loose"}`)
	if _, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{w.edit("com.brannock.p000", change.Description, everywhere, `"x"`), bad}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
	if n, err := w.TrayCount(w.ctx, me); err != nil || n != 0 {
		t.Errorf("%d edits left of a refused set, %v", n, err)
	}
}

// TestTrayReplacesAtOnce: however many write one thing at once for one person, as
// two tabs do, one edit of it stands in the end, and more can be written after it.
func TestTrayReplacesAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	me := w.people["tech"].ID
	edit := w.edit("com.brannock.p000", change.Description, everywhere, `"one"`)
	for range 3 {
		var all errgroup.Group
		for range 8 {
			all.Go(func() error {
				_, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{edit})
				return err
			})
		}
		w.must(all.Wait())
	}
	if n, err := w.TrayCount(w.ctx, me); err != nil || n != 1 {
		t.Errorf("%d edits of one thing, %v", n, err)
	}
}

// TestBasis holds the before and after of a review to the core.
func TestBasis(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p002"
	w.accept("other", w.trial(name, "p1", "clean"))
	id, _ := w.send("tech", w.trial(name, "p2", "fault"), w.edit(name, change.Load, w.scope("").Claims(), `{"load":"loose"}`), w.trial("com.brannock.p003", "p3", "clean"))
	c, edits, err := w.Change(w.ctx, uuid.Nil, id)
	if err != nil {
		t.Fatal(err)
	}
	judging, err := w.EvidenceSnapshot(w.ctx, edits)
	if err != nil {
		t.Fatal(err)
	}
	with := judging.With(c.AuthorID, edits)
	for _, e := range edits[:2] {
		from, method := judging.Target(e)
		now, then := evidence.Strip(judging.Trials(e.PackageID), method, from), evidence.Strip(with.Trials(e.PackageID), method, from)
		if now != "c" || then != "cf" {
			t.Errorf("%s: %q, then %q at %+v", e.Field, now, then, from)
		}
	}
	if v, bySuggestion := judging.Applying(edits[1].PackageID, edits[1].Scope()); v.Load != evidence.Unproven || !bySuggestion {
		t.Errorf("%+v", v)
	}
	if v, bySuggestion := with.Applying(edits[1].PackageID, edits[1].Scope()); v.Load != evidence.Loose || bySuggestion {
		t.Errorf("%+v", v)
	}
	if !edits[0].PhoneUnseen || edits[0].BuildName != "Lyra 5 14.1.0" || edits[1].ScopeName != "Lyra 5" {
		t.Errorf("%+v", edits[0])
	}
}

func TestCandidates(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	lost := w.edit("com.brannock.p001", change.Trial, everywhere, fmt.Sprintf(`{"build":%q,"phone":"a","method":"remove-for-user","outcome":"function-lost","function":"weather","persistence":"back-after-restart","recovery":"put-back","watchedDays":1}`, w.build))
	refused := w.edit("com.brannock.p002", change.Trial, everywhere, fmt.Sprintf(`{"build":%q,"phone":"a","method":"remove-for-user","outcome":"refused","persistence":"not-watched","recovery":"not-tried","watchedDays":0,"note":"Failure"}`, w.build))
	w.accept("tech", lost, refused, w.edit("com.brannock.p003", change.Load, everywhere, `{"load":"tied-in","conditions":["not at night"]}`), w.edit("com.brannock.p003", change.Origin, everywhere, `"region"`))
	sc := w.scope("")
	basis, err := w.Basis(w.ctx, store.Profile{Maker: sc.Maker.Slug, Model: sc.Model.Slug, ModelID: sc.Model.ID}, profile.DefaultRules)
	if err != nil || len(basis.Candidates) != 5 || len(basis.Builds) != 1 {
		t.Fatalf("%+v, %v", basis, err)
	}
	if tried := basis.Builds[0].Tried; len(tried) != 1 || len(tried["com.brannock.p001"]) != 1 || !basis.Builds[0].Net.Has("com.brannock.p004") {
		t.Errorf("%v", tried)
	}
	by := map[string]profile.Candidate{}
	for _, c := range basis.Candidates {
		by[string(c.Package)] = c
	}
	one, two, three, four := by["com.brannock.p001"], by["com.brannock.p002"], by["com.brannock.p003"], by["com.brannock.p004"]
	if one.Load != evidence.LeanedOn || !one.BySuggestion || fmt.Sprint(one.Lost) != "[weather]" || one.ComesBack != 1 || one.Harmed != 1 {
		t.Errorf("%+v", one)
	}
	if two.Refused != 1 || two.Standing != evidence.Untried {
		t.Errorf("%+v", two)
	}
	if three.Load != evidence.TiedIn || three.BySuggestion || fmt.Sprint(three.Conditions) != "[not at night]" || three.Origin != "region" {
		t.Errorf("%+v", three)
	}
	if four.Load != evidence.Unproven || four.Ceiling != 1 {
		t.Errorf("%+v", four)
	}
}

func TestProfiles(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	main, model := w.people["main"].ID, w.scope("").Model.ID
	id, err := w.AddProfile(w.ctx, store.NewProfile{Model: model, Name: "Quiet phone", Purpose: "For calls.", Rules: profile.DefaultRules}, main)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.AddProfile(w.ctx, store.NewProfile{Model: model, Name: "Quiet  Phone"}, main); !errors.Is(err, store.ErrEditionTaken) {
		t.Errorf("%v", err)
	}
	if err := w.SetRules(w.ctx, id, 5, "", nil, profile.DefaultRules, main); !errors.Is(err, store.ErrStale) {
		t.Errorf("%v", err)
	}
	if err := w.SetRules(w.ctx, uuid.New(), 1, "", nil, profile.DefaultRules, main); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
	if err := w.SetRules(w.ctx, id, 1, "", []uuid.UUID{model}, profile.DefaultRules, main); !errors.Is(err, store.ErrNoSister) {
		t.Errorf("its own sister: %v", err)
	}
	var unpublishable *store.UnpublishableError
	if _, err := w.AskPublication(w.ctx, id, 1, []string{"x"}, "", main); !errors.As(err, &unpublishable) || !strings.Contains(err.Error(), "nothing goes") {
		t.Errorf("an empty profile: %v", err)
	}
	if _, err := w.Release(w.ctx, "brannock", "lyra-5", "quiet-phone", 0); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a failed publication left a release: %v", err)
	}
	list, err := w.Profiles(w.ctx, w.scope(""), 10)
	var rules profile.Rules
	if err != nil || len(list) != 1 || list[0].Newest != 0 || json.Unmarshal(list[0].Rules, &rules) != nil || rules.HighestCeiling != profile.DefaultRules.HighestCeiling {
		t.Errorf("%+v, %v", list, err)
	}
}

func TestJobs(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	bench, err := w.AddBench(w.ctx, "ward", []byte("token"), w.people["tech"].ID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.ClaimJob(w.ctx, bench); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a job out of nothing: %v", err)
	}
	id, err := w.AddJob(w.ctx, w.people["tech"].ID, store.Ask{Kind: "capture", Bench: bench, Request: map[string]string{"kind": "capture"}})
	if err != nil {
		t.Fatal(err)
	}
	if j, err := w.Job(w.ctx, id); err != nil || j.State != "waiting" || j.Ended() {
		t.Errorf("%+v, %v", j, err)
	}
	if _, err := w.ClaimJob(w.ctx, uuid.New()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("another bench got it: %v", err)
	}
	// Twenty ask for it at once, and one gets it.
	var got atomic.Int32
	var wait sync.WaitGroup
	for range 20 {
		wait.Go(func() {
			if j, err := w.ClaimJob(w.ctx, bench); err == nil && j.ID == id && string(j.Request) == `{"kind": "capture"}` {
				got.Add(1)
			}
		})
	}
	wait.Wait()
	if got.Load() != 1 {
		t.Errorf("%d took the same job", got.Load())
	}
	if err := w.TellJob(w.ctx, id, map[string]int{"step": 2}); err != nil {
		t.Fatal(err)
	}
	if err := w.KeepJob(w.ctx, id, map[string]int{"packages": 3}); err != nil {
		t.Fatal(err)
	}
	if n, err := w.EndSilentJobs(w.ctx); err != nil || n != 0 {
		t.Errorf("a job that was just heard of was ended: %d, %v", n, err)
	}
	if j, err := w.Job(w.ctx, id); err != nil || j.State != "running" || string(j.Progress) != `{"step": 2}` {
		t.Errorf("%+v, %v", j, err)
	}
	if err := w.CancelJob(w.ctx, id); err != nil {
		t.Fatal(err)
	}
	// What ends later does not undo the cancelling.
	if err := w.EndJob(w.ctx, id, "done", nil, ""); err != nil {
		t.Fatal(err)
	}
	if j, err := w.Job(w.ctx, id); err != nil || j.State != "cancelled" || j.Problem == "" || string(j.Result) != `{"packages": 3}` {
		t.Errorf("%+v, %v", j, err)
	}
	if _, err := w.Job(w.ctx, uuid.New()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
}

// TestBenches follows a bench from its token to its end.
func TestBenches(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	token := []byte("0123456789abcdef0123456789abcdef")
	id, err := w.AddBench(w.ctx, "ward", token, w.people["tech"].ID)
	if err != nil {
		t.Fatal(err)
	}
	if b, err := w.BenchByToken(w.ctx, token); err != nil || b.ID != id || !b.Away || !b.Elsewhere || b.CreatedBy != "tech" {
		t.Errorf("%+v, %v", b, err)
	}
	job, err := w.AddJob(w.ctx, w.people["tech"].ID, store.Ask{Kind: "capture", Bench: id})
	if err != nil {
		t.Fatal(err)
	}
	if err := w.SeeBench(w.ctx, id, map[string]int{"version": 41}, []uuid.UUID{job}); err != nil {
		t.Fatal(err)
	}
	list, err := w.Benches(w.ctx)
	if err != nil || len(list) != 1 || list[0].Away || string(list[0].View) != `{"version": 41}` {
		t.Errorf("%+v, %v", list, err)
	}
	// What waited and was not taken for long is ended, and so is what runs on
	// a bench that fell silent.
	if _, err := w.Pool().Exec(w.ctx, `update jobs set updated_at = now() - interval '1 hour'`); err != nil {
		t.Fatal(err)
	}
	if n, err := w.EndSilentJobs(w.ctx); err != nil || n != 1 {
		t.Errorf("%d, %v", n, err)
	}
	if j, err := w.Job(w.ctx, job); err != nil || j.State != "failed" || !strings.Contains(j.Problem, "away") {
		t.Errorf("%+v, %v", j, err)
	}
	if err := w.RevokeBench(w.ctx, id, w.people["tech"].ID); err != nil {
		t.Fatal(err)
	}
	if _, err := w.BenchByToken(w.ctx, token); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a revoked token opens: %v", err)
	}
	if err := w.RevokeBench(w.ctx, id, w.people["tech"].ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("revoked twice: %v", err)
	}
}
