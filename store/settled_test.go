package store_test

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/change"
	"roster/core/desk"
	"roster/core/evidence"
	"roster/core/filter"
	"roster/store"
)

// TestSettledIsNeverStale writes to what pages, Desks and comparisons are made of in
// many transactions at once, which end in any order, or are rolled back, while one
// server reads: whenever nothing is being written, it has what another one reads that
// has kept nothing.
func TestSettledIsNeverStale(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.capture("14.2.0", "phone-2", 6)
	w.accept("tech", w.edit("com.brannock.p003", change.Description, everywhere, `"Hints."`), w.trial("com.brannock.p001", "a", "clean"),
		w.edit("com.brannock.p002", change.Labels, everywhere, `{"en":"Camera"}`))
	w.edition("Quiet", "com.brannock.p001", "com.brannock.p004")
	w.line("main", desk.ThinRelease) // which the Desk tells of
	// So many that one statement leaves no ids of its rows.
	_, err := w.Pool().Exec(w.ctx, `
		insert into packages (id, name, origin, origin_reason)
		select gen_random_uuid(), 'com.many.q' || n, 'maker', '' from generate_series(1, 150) n`)
	w.must(err)
	chance := rand.New(rand.NewPCG(7, 1))
	writes := []string{
		`update packages set origin = case origin when 'maker' then 'carrier' else 'maker' end
			where name = 'com.brannock.p001'`,
		`update packages set builds = builds + 30 where name like 'com.brannock.p%'`,
		`update models set name = name || '!'`,
		`update package_words set label = label || '!'`,
		`insert into claims (package_id, field, scope_kind, scope_id, value, reason, set_by, change_id)
			select p.id, 'load', 'everywhere', '00000000-0000-0000-0000-000000000000', '{"load": "loose"}', '',
				c.author_id, c.id
			from packages p, changes c where p.name = 'com.brannock.p002' limit 1
			on conflict (package_id, field, scope_kind, scope_id) do update set value = '{"load": "hinge"}'`,
		`delete from claims where field = 'load'`,
		`update packages set builds = 12 - builds where name in ('com.many.q7', 'com.brannock.p002')`,
		`delete from presence where (build_id, package_id) in (
			select build_id, package_id from presence order by build_id desc, package_id desc limit 1)`,
		`insert into labels (package_id, language, label)
			select id, 'en', md5(random()::text) from packages where name = 'com.brannock.p003'`,
		`with tried as (insert into trials (id, package_id, build_id, phone, person_id, method, outcome, function,
				persistence, recovery, watched_days, note, change_id)
			select gen_random_uuid(), package_id, build_id, gen_random_uuid()::text, person_id, method, 'fault',
				function, persistence, recovery, watched_days, note, change_id
			from trials
			limit 1)
			update packages set trials_stamp = trials_stamp + 1 where name = 'com.brannock.p001'`,
		`delete from shipped_by where package_id = (select id from packages where name = 'com.brannock.p004')`,
		// Of packages that no page shows: they come to be found, or a word is no mistake any more.
		`update package_words
			set names = case when names like '%p00%' then name else name || 'p00' end
			where name = 'com.many.q7'`,
		`update package_words
			set said = case said when '' then 'camra' else '' end
			where name = 'com.many.q8'`,
	}
	var open []pgx.Tx
	defer func() {
		for _, tx := range open {
			_ = tx.Rollback(w.ctx)
		}
	}()
	begin := func() {
		t.Helper()
		tx, err := w.Pool().Begin(w.ctx)
		w.must(err)
		// One that can't get at a row just now is left out.
		_, _ = tx.Exec(w.ctx, `set local lock_timeout = '50ms'; `+writes[chance.IntN(len(writes))])
		open = append(open, tx)
	}
	end := func() {
		i := chance.IntN(len(open))
		if tx := open[i]; chance.IntN(5) == 0 {
			w.must(tx.Rollback(w.ctx))
		} else {
			_ = tx.Commit(w.ctx) // which rolls back one that was left out
		}
		open = append(open[:i], open[i+1:]...)
	}
	other, err := store.New(w.ctx, w.Pool().Config().ConnString())
	w.must(err)
	t.Cleanup(other.Close)
	read := func(when string) string {
		other.ForgetSettled()
		got, want := w.whatIsKept(w.Store), w.whatIsKept(other)
		if got != want {
			t.Fatalf("%s, with %d transactions open:\n%s\nand read anew\n%s", when, len(open), got, want)
		}
		return got
	}
	before := read("at first")
	for _, what := range w.SettledOf() {
		table := cmp.Or(map[string]string{"stamps": "packages", "loads": "claims", "spread": "packages"}[what], what)
		var told bool
		w.must(w.Pool().QueryRow(w.ctx, `
			select exists (select from pg_trigger
				where tgname = case $2 when 'spread' then $2 else 'touch' end and tgrelid = $1::regclass)`,
			table, what).Scan(&told))
		if !told {
			t.Errorf("nobody is told who writes to %s", table)
		}
	}
	// One more capture of a known firmware writes nothing that was worked out, and
	// may be the first that tells roles.
	told := func(version string, packages int, holder android.PackageName) {
		c := capture(version, packages)
		c.Phone = android.PhoneFacts{Roles: []android.Role{{Name: "HOME", Holders: []android.PackageName{holder}}}}
		w.take(c, "with roles")
	}
	told("14.1.0", 5, "com.brannock.p001")
	told("14.2.0", 6, "com.brannock.p002")
	roles := read("captures with roles")
	if roles == before {
		t.Error("roles change nothing that is shown")
	}
	before = roles
	for _, sql := range writes {
		_, err := w.Pool().Exec(w.ctx, sql)
		w.must(err)
		now := read(sql)
		if now == before {
			t.Errorf("%s: that changes nothing that is shown", sql)
		}
		before = now
	}
	news := 0
	for step := range 60 {
		switch chance.IntN(5) {
		case 0, 1:
			if len(open) < 3 {
				begin()
			}
		case 2, 3:
			if len(open) > 0 {
				end()
			}
		}
		if chance.IntN(20) == 0 {
			w.must(w.ForgetTouched(w.ctx))
		}
		now := read(fmt.Sprint("step ", step))
		if now != before {
			news++
		}
		before = now
	}
	if news < 5 || news > 50 {
		t.Errorf("of 60 readings %d brought something new: nothing was tried", news)
	}
}

// TestOthersWritesLetGoOfNothing: what is accepted of packages that a model does not
// ship leaves its Ledger, its comparisons and what is found by words as they are kept,
// and what is accepted of its own waits for nobody to ask.
func TestOthersWritesLetGoOfNothing(t *testing.T) {
	t.Parallel()
	w := newWorld(t) // p000 to p004
	w.capture("14.2.0", "phone-2", 5)
	elsewhere := capture("1.0.0", 9)
	elsewhere.Identity = identity(1, 1, 1, "14")
	w.take(elsewhere, "elsewhere")
	builds, err := w.Builds(w.ctx, "brannock", "lyra-5")
	w.must(err)
	reads := map[string]func(context.Context) error{
		"the Ledger": func(ctx context.Context) error {
			_, _, _, err := w.Ledger(ctx, store.LedgerQuery{Scope: w.scope(""), Method: string(evidence.RemoveForUser), Limit: 50})
			return err
		},
		"a filter": func(ctx context.Context) error {
			n, _ := filter.Parse("outcome:clean", time.Now())
			_, _, _, err := w.Ledger(ctx, store.LedgerQuery{Scope: w.scope(""), Method: string(evidence.RemoveForUser), Filter: n, Limit: 50})
			return err
		},
		"words everywhere": func(ctx context.Context) error {
			_, _, _, err := w.Ledger(ctx, store.LedgerQuery{Method: string(evidence.RemoveForUser), Filter: words("p00"), Limit: 3})
			return err
		},
		"a comparison": func(ctx context.Context) error {
			_, err := w.CompareSides(ctx, store.Side{Kind: "build", ID: builds[0].ID}, store.Side{Kind: "build", ID: builds[1].ID})
			return err
		},
	}
	kept := func(when string, want bool) {
		t.Helper()
		for name, read := range reads {
			var n [2]int64
			for i := range n {
				ctx, count := store.CountStatements(w.ctx)
				w.must(read(ctx))
				n[i] = count.Load()
			}
			if (n[0] == n[1]) != want {
				t.Errorf("%s, %s takes %d statements, and %d when asked for again", when, name, n[0], n[1])
			}
		}
	}
	kept("at first", false)
	w.accept("tech", w.trial("com.brannock.p007", "a", "clean"), w.edit("com.brannock.p008", change.Load, everywhere, `{"load":"loose"}`))
	kept("after what was accepted of other packages", true)
	w.accept("tech", w.trial("com.brannock.p001", "a", "clean"))
	kept("after what was accepted of its own", false)
	w.accept("tech", w.trial("com.brannock.p001", "b", "fault"), w.trial("com.brannock.p002", "b", "clean"))
	_, err = w.Readier().Next(w.ctx)
	w.must(err)
	kept("after what was asked for lately was read again", true)
	_, err = w.Pool().Exec(w.ctx, `update packages set origin = origin where false`)
	w.must(err)
	kept("after a write of nothing", true)
}

// TestReadingOnIsNotKept: each page of who reads on to the end, as exports do, is asked
// for once; kept, all of them would be read again after each write.
func TestReadingOnIsNotKept(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	everywhere := store.LedgerQuery{Method: string(evidence.RemoveForUser), Filter: words("p00"), Limit: 3}
	next, export := everywhere, everywhere
	next.Limit = 2
	rows, _, _, err := w.Ledger(w.ctx, next)
	w.must(err)
	last := rows[len(rows)-1]
	next.After, export.Limit = &store.LedgerCursor{Group: last.Group, Order: last.Order, Name: last.Name}, 1000
	for what, c := range map[string]struct {
		query store.LedgerQuery
		kept  bool
	}{"the first page": {everywhere, true}, "the next page": {next, false}, "a page of an export": {export, false}} {
		var n [2]int64
		for i := range n {
			ctx, count := store.CountStatements(w.ctx)
			_, _, _, err := w.Ledger(ctx, c.query)
			w.must(err)
			n[i] = count.Load()
		}
		if (n[0] > n[1]) != c.kept {
			t.Errorf("%s takes %d statements, and %d when asked for again", what, n[0], n[1])
		}
	}
}

// TestTrayLetsGoOfNothing: what somebody collects in their tray changes nothing that
// is kept; what they send does, and what becomes of it.
func TestTrayLetsGoOfNothing(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	const name = "com.brannock.p003"
	touched := 0
	expect := func(what string, times, waiting int) {
		t.Helper()
		before := touched
		w.must(w.Pool().QueryRow(w.ctx, `
			select count(*) from touched where what = 'edits'`).Scan(&touched))
		if touched != before+times {
			t.Errorf("%s: edits were touched %d times, not %d", what, touched-before, times)
		}
		if got := w.ledger(name).Waiting; got != waiting {
			t.Errorf("%s: %d edits wait, not %d", what, got, waiting)
		}
	}
	expect("nothing", 0, 0)
	tech := w.people["tech"].ID
	ids, _, err := w.AddEdits(w.ctx, tech, []store.NewEdit{w.edit(name, change.Description, everywhere, `"x"`), w.trial(name, "a", "clean")})
	w.must(err)
	expect("in the tray", 0, 0)
	w.must(w.RemoveEdit(w.ctx, tech, ids[0]))
	expect("taken out of it", 0, 0)
	id, err := w.Send(w.ctx, tech, store.Sending{Title: "x", Edits: ids[1:]})
	w.must(err)
	expect("sent", 1, 1)
	w.must(w.TakeBack(w.ctx, tech, id))
	expect("taken back", 1, 0)
	_, _ = w.send("tech", w.trial(name, "b", "clean"))
	expect("sent again", 1, 1)
	_, err = w.Pool().Exec(w.ctx, `delete from edits where state = 'open'`)
	w.must(err)
	expect("gone", 1, 0)
}

// whatIsKept is what a server shows of what it may have kept.
func (w *world) whatIsKept(s *store.Store) string {
	w.t.Helper()
	sc, err := s.FindScope(w.ctx, "brannock", "lyra-5", "")
	w.must(err)
	var pages []any
	for _, text := range []string{"", "p00", "camra", "outcome:clean", "label:a", "not maker:x build:14 changed:1d role:home in:x"} {
		for _, scope := range []store.Scope{sc, {}} {
			n, err := filter.Parse(text, time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC))
			w.must(err)
			orders := [][2]string{{"", ""}, {"ceiling", "load"}}
			if text != "" || scope.Model == nil {
				orders = orders[:1]
			}
			for _, order := range orders {
				rows, found, total, err := s.Ledger(w.ctx, store.LedgerQuery{Scope: scope, Method: string(evidence.RemoveForUser), Filter: n,
					Sort: order[0], Group: order[1], Limit: 50})
				w.must(err)
				pages = append(pages, []any{rows, found, total})
			}
		}
	}
	lines, _, err := s.Desk(w.ctx, w.people["main"], time.Date(2030, 1, 1, 0, 0, 0, 0, time.UTC))
	w.must(err)
	builds, err := s.Builds(w.ctx, "brannock", "lyra-5")
	w.must(err)
	c, err := s.CompareSides(w.ctx, store.Side{Kind: "build", ID: builds[0].ID}, store.Side{Kind: "build", ID: builds[1].ID})
	w.must(err)
	raw, err := json.MarshalIndent([]any{pages, lines, c}, "", " ")
	w.must(err)
	return string(raw)
}

// TestManyRowsTouchEveryKind: of more rows than are named a statement tells that any
// may have been written, of each kind that it wrote.
func TestManyRowsTouchEveryKind(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.accept("tech", w.edit("com.brannock.p003", change.Description, everywhere, `"Hints."`))
	for _, sql := range []string{
		`insert into packages (id, name, origin, origin_reason)
			select gen_random_uuid(), 'com.many.q' || n, 'maker', '' from generate_series(1, 250) n`,
		`truncate touched`,
		`insert into claims (package_id, field, scope_kind, scope_id, value, reason, set_by, change_id)
			select p.id, f.field, 'everywhere', '00000000-0000-0000-0000-000000000000', f.value::jsonb, '',
				c.author_id, c.id
			from packages p, changes c, (values ('description', '"x"'), ('load', '{"load": "loose"}')) f (field, value)
			where p.name like 'com.many.%'`,
		`update packages set trials_stamp = trials_stamp + 1, builds = 7 where name like 'com.many.%'`,
	} {
		_, err := w.Pool().Exec(w.ctx, sql)
		w.must(err)
	}
	for _, what := range []string{"claims", "loads", "packages", "stamps"} {
		var any bool
		w.must(w.Pool().QueryRow(w.ctx, `
			select exists (select from touched where what = $1 and id = $2)`, what, uuid.Nil).Scan(&any))
		if !any {
			t.Errorf("nobody is told that any of %s may have been written", what)
		}
	}
}

// TestFiguresAreReady: what the trials of a package come to on models that somebody
// looked at stands ready again before the next one looks, however it was accepted.
func TestFiguresAreReady(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	ready := w.Readier()
	next := func(when string, want int) {
		t.Helper()
		if n, err := ready.Next(w.ctx); err != nil || n != want {
			t.Errorf("%s: of %d packages, %v, not %d", when, n, err, want)
		}
	}
	stale := func() (n int) {
		w.must(w.Pool().QueryRow(w.ctx, `
			select count(*)
			from figures f
			join packages p on p.id = f.package_id
			where f.place = $1 and f.stamp < p.trials_stamp`, w.build).Scan(&n))
		return n
	}
	next("at first", 0)
	w.accept("tech", w.trial("com.brannock.p001", "a", "clean"), w.trial("com.brannock.p002", "a", "clean"))
	w.ledger("com.brannock.p001")
	next("before anything moves", 2)
	w.accept("tech", w.trial("com.brannock.p001", "b", "fault"))
	if stale() == 0 {
		t.Error("figures are made on all models when a trial is accepted")
	}
	next("a trial", 1)
	if n := stale(); n > 0 {
		t.Errorf("%d figures are still to be made", n)
	}
	if r := w.ledger("com.brannock.p001"); r.Harmed != 1 {
		t.Errorf("the Ledger has %+v", r)
	}
	next("nothing more", 0)
}
