package store_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/filter"
	"roster/store"
)

// identity is a firmware of one of several makers and models.
func identity(maker, model, version int, release string) android.Identity {
	return android.Identity{
		Fingerprint:  fmt.Sprintf("m%d/p/d%d:%s/I/%d.0:user/k", maker, model, release, version),
		Manufacturer: fmt.Sprintf("Maker%d", maker), Device: fmt.Sprintf("d%d%d", maker, model), MarketName: fmt.Sprintf("Model %d", model),
		Form: "phone", Release: release, SDK: 34, SecurityPatch: fmt.Sprintf("2026-01-%02d", version), Incremental: fmt.Sprintf("%d.0", version),
	}
}

// TestStoredFigures fills a catalogue of several makers with random trials,
// then captures more firmware, and holds what the Ledger reads, from every
// scope and by every method, to what the core computes.
func TestStoredFigures(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	rng := rand.New(rand.NewPCG(7, 7))
	var builds []uuid.UUID
	take := func(maker, model, version int, release string) {
		c := capture("1.0.0", 3)
		c.Identity = identity(maker, model, version, release)
		sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: fmt.Sprint("p", maker, model, version), Person: w.people["tech"].ID, Source: "file"})
		if err != nil {
			t.Fatal(err)
		}
		builds = append(builds, sum.BuildID)
	}
	for maker := range 2 {
		for model := range 2 {
			take(maker, model, 1, "14")
			take(maker, model, 2, []string{"14", "15"}[model])
		}
	}
	const name = "com.brannock.p001"
	outcomes := []string{"clean", "clean", "clean", "function-lost", "fault", "no-start"}
	for _, by := range []string{"tech", "other", "main"} {
		var edits []store.NewEdit
		for range 8 {
			outcome, function := outcomes[rng.IntN(len(outcomes))], ""
			if outcome == "function-lost" {
				function = `,"function":"payments"`
			}
			edits = append(edits, w.edit(name, change.Trial, everywhere, fmt.Sprintf(`{"build":%q,"phone":"%024x","method":%q,"outcome":%q,"persistence":"held","recovery":"not-tried","watchedDays":1%s}`,
				builds[rng.IntN(len(builds))], rng.IntN(9), evidence.Methods[rng.IntN(2)], outcome, function)))
		}
		w.accept(by, edits...)
	}
	// Firmware that comes later needs no figure of its own.
	take(0, 0, 3, "15")
	take(1, 1, 3, "16")
	take(2, 0, 1, "14")
	p, err := w.Package(w.ctx, name)
	if err != nil {
		t.Fatal(err)
	}
	trials, y, err := w.Evidence(w.ctx, p.ID)
	if err != nil || len(trials) != 24 {
		t.Fatal(len(trials), err)
	}
	scopes := []store.Scope{{}}
	for maker := range 3 {
		for _, model := range []string{"", "model-0", "model-1"} {
			if sc, err := w.FindScope(w.ctx, fmt.Sprintf("maker%d", maker), model, ""); err == nil {
				scopes = append(scopes, sc)
			}
		}
	}
	for i, b := range builds {
		for maker := range 3 {
			for model := range 2 {
				if sc, err := w.FindScope(w.ctx, fmt.Sprintf("maker%d", maker), fmt.Sprintf("model-%d", model), b.String()); err == nil {
					scopes = append(scopes, sc)
					break
				} else if !errors.Is(err, store.ErrNotFound) {
					t.Fatal(i, err)
				}
			}
		}
	}
	if len(scopes) < 15 {
		t.Fatalf("only %d scopes", len(scopes))
	}
	for _, sc := range scopes {
		for _, method := range evidence.Methods {
			rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: sc, Method: string(method), Filter: words(name), Limit: 5})
			if err != nil || len(rows) != 1 {
				t.Fatal(rows, err)
			}
			got, want := rows[0], evidence.Weigh(trials, method, sc.Target, y)
			if got.Ceiling != want.Ceiling || got.Floor != want.Floor || got.Standing != string(want.Standing) || got.Phones != want.Phones || got.People != want.People ||
				got.Harmed != want.HarmedPhones || got.Suggested != string(evidence.SuggestedLoad(want, y.Thresholds)) || got.Strip != evidence.Strip(trials, method, sc.Target) {
				t.Errorf("%+v by %s:\nstored   %+v\ncomputed %+v", sc.Target, method, got, want)
			}
		}
	}
}

// TestFiguresAreFreshened spoils all figures and says that an older program
// made them: the next start makes them anew, once.
func TestFiguresAreFreshened(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.accept("tech", w.trial("com.brannock.p001", "p1", "clean"))
	good := w.row(w.scope(""), "com.brannock.p001").Ceiling
	spoil := func() {
		t.Helper()
		if _, err := w.Pool().Exec(w.ctx, `update figures set ceiling = 0.01`); err != nil {
			t.Fatal(err)
		}
		w.ForgetSettled() // as nothing of Roster writes
	}
	spoil()
	if err := w.Migrate(w.ctx); err != nil {
		t.Fatal(err)
	}
	if got := w.row(w.scope(""), "com.brannock.p001").Ceiling; got != 0.01 {
		t.Errorf("figures of this program were made again: %v", got)
	}
	if _, err := w.Pool().Exec(w.ctx, `update settings set value = '0' where key = 'figures version'`); err != nil {
		t.Fatal(err)
	}
	if err := w.Migrate(w.ctx); err != nil {
		t.Fatal(err)
	}
	if got := w.row(w.scope(""), "com.brannock.p001").Ceiling; got != good {
		t.Errorf("%v, want %v", got, good)
	}
}

// TestYardstickTogether changes the yardstick while trials are accepted: in
// the end every figure is measured by one and the same.
func TestYardstickTogether(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	type sent struct {
		id    uuid.UUID
		edits []uuid.UUID
	}
	var changes []sent
	for i := range 12 {
		id, edits := w.send("tech", w.trial(fmt.Sprintf("com.brannock.p%03d", i%4), fmt.Sprint("p", i), "clean"))
		changes = append(changes, sent{id, edits})
	}
	done := make(chan error)
	go func() {
		for _, c := range changes {
			if err := w.Decide(w.ctx, w.people["rev"].ID, c.id, 1, verdicts(c.edits, "accepted")); err != nil {
				done <- err
				return
			}
		}
		done <- nil
	}()
	y := evidence.DefaultYardstick
	for i := range 6 {
		y.Thresholds.LooseCeiling = 0.3 + float64(i)/20
		y.Transfer.SameBuild = 1 - float64(i)/50
		if err := w.SetYardstick(w.ctx, w.people["main"].ID, i, y); err != nil {
			t.Fatal(err)
		}
	}
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	if err := w.SetYardstick(w.ctx, w.people["main"].ID, 2, y); !errors.Is(err, store.ErrStale) {
		t.Errorf("a stale yardstick: %v", err)
	}
	for i := range 4 {
		name := fmt.Sprintf("com.brannock.p%03d", i)
		p, err := w.Package(w.ctx, name)
		if err != nil {
			t.Fatal(err)
		}
		trials, now, err := w.Evidence(w.ctx, p.ID)
		if err != nil || now != y || len(trials) != 3 {
			t.Fatalf("%+v, %d trials, %v", now, len(trials), err)
		}
		want := evidence.Weigh(trials, evidence.RemoveForUser, w.scope("").Target, y)
		if got := w.row(w.scope(""), name); got.Ceiling != want.Ceiling {
			t.Errorf("%s: stored %v, computed %v", name, got.Ceiling, want.Ceiling)
		}
	}
}

// TestSearchByIndex asks for words with and without the catalogue's indexes:
// both ways must find the same.
func TestSearchByIndex(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.accept("tech",
		w.edit("com.brannock.p000", change.Labels, everywhere, `{"en":"Camera","de":"Kamera","ar":"الكاميرا"}`), w.edit("com.brannock.p001", change.Aliases, everywhere, `["Snapper 100%"]`),
		w.edit("com.brannock.p002", change.Description, everywhere, `"Takes pictures."`), w.edit("com.brannock.p003", change.Functions, everywhere, `["picture-sending"]`))
	found := func(sc store.Scope, n filter.Node) (names []string) {
		rows, count, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: sc, Method: "remove-for-user", Filter: n, Limit: 50})
		if err != nil || count != len(rows) {
			t.Fatal(count, err)
		}
		for _, r := range rows {
			names = append(names, r.Name[len(r.Name)-1:])
		}
		return names
	}
	for text, want := range map[string]string{
		"camra": "[0]", "kamera": "[0]", "الكاميرا": "[0]", "snap": "[1]", `"100%"`: "[1]", "pictures": "[2]", "picture": "[2 3]", "camra picture": "[]",
		"camera or snapper": "[0 1]", "not camera": "[1 2 3 4]", "picture not takes": "[3]", "(camera or name:p004) p00": "[0 4]", "p0": "[0 1 2 3 4]", "zzzz": "[]",
	} {
		n, err := filter.Parse(text, time.Now())
		if err != nil {
			t.Fatal(text, err)
		}
		narrow, wide := fmt.Sprint(found(w.scope(""), n)), fmt.Sprint(found(store.Scope{}, n))
		if narrow != want || wide != want {
			t.Errorf("%s: %s in the model, %s everywhere, want %s", text, narrow, wide, want)
		}
	}
}

// TestShippedBy keeps presence in short in step with presence itself.
func TestShippedBy(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.capture("14.2.0", "p2", 3)
	w.capture("14.2.0", "p3", 4)
	w.capture("14.3.0", "p4", 5)
	var wrong int
	err := w.Pool().QueryRow(w.ctx, `
		select count(*)
		from (select b.model_id, x.package_id, count(*)::int as builds,
			max(b.first_seen) as newest from presence x join builds b on b.id = x.build_id group by 1, 2) p
		full
		join shipped_by s using (model_id, package_id)
		where p.builds is distinct from s.builds or p.newest is distinct from s.newest`).Scan(&wrong)
	if err != nil || wrong != 0 {
		t.Errorf("%d differ, %v", wrong, err)
	}
	err = w.Pool().QueryRow(w.ctx, `
		select count(*)
		from packages p
		left
			join (select s.package_id, sum(s.builds)::int as builds,
				max(s.newest) as newest from shipped_by s group by 1) k on k.package_id = p.id
		where p.builds <> coalesce(k.builds, 0) or p.newest_build is distinct from k.newest or p.makers <> 1
			or p.maker_id is null`).Scan(&wrong)
	if err != nil || wrong != 0 {
		t.Errorf("in one row a package %d differ, %v", wrong, err)
	}
	rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: w.scope(""), Method: "remove-for-user", Sort: "builds", Group: "none", Limit: 9})
	if err != nil || rows[0].Name != "com.brannock.p000" || rows[4].Name != "com.brannock.p004" {
		t.Errorf("%v, %v", rows, err)
	}
}

// TestUnusedFiles keeps what an edit names and throws the rest away.
func TestUnusedFiles(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	me := w.people["tech"].ID
	add := func() store.Attachment {
		t.Helper()
		a, err := w.AddAttachment(w.ctx, me, "x.log", "text/plain", []byte("x"))
		if err != nil {
			t.Fatal(err)
		}
		return a
	}
	with := func(name string, a store.Attachment) store.NewEdit {
		e := w.edit(name, change.Trial, everywhere, fmt.Sprintf(`{"build":%q,"phone":"p1","method":"disable","outcome":"clean","persistence":"held","recovery":"not-tried","watchedDays":3,"attachments":[%q]}`, w.build, a.ID))
		e.Attachments = []uuid.UUID{a.ID}
		return e
	}
	used, unused, withdrawn := add(), add(), add()
	ids, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{with("com.brannock.p000", used), with("com.brannock.p001", used), with("com.brannock.p002", withdrawn)})
	if err != nil {
		t.Fatal(err)
	}
	// One of two edits that name a file, and the only one that names another.
	for _, id := range ids[1:] {
		if err := w.RemoveEdit(w.ctx, me, id); err != nil {
			t.Fatal(err)
		}
	}
	e := w.trial("com.brannock.p000", "p1", "clean")
	e.Attachments = []uuid.UUID{uuid.New()}
	if _, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{e}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a file that is not there: %v", err)
	}
	if _, err := w.Pool().Exec(w.ctx, `update attachments set created_at = now() - interval '25 hours'`); err != nil {
		t.Fatal(err)
	}
	add()
	for what, a := range map[string]store.Attachment{"a file that nothing names": unused, "the file of an edit that was taken out": withdrawn} {
		if _, _, err := w.AttachmentContent(w.ctx, w.people["tech"].ID, a.ID); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%s is kept: %v", what, err)
		}
	}
	if _, content, err := w.AttachmentContent(w.ctx, w.people["tech"].ID, used.ID); err != nil || string(content) != "x" {
		t.Errorf("%q, %v", content, err)
	}
	for range 49 {
		add()
	}
	if _, err := w.AddAttachment(w.ctx, me, "x.log", "text/plain", nil); !errors.Is(err, store.ErrTooMany) {
		t.Errorf("the fifty-first: %v", err)
	}
}
