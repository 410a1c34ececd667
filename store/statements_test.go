package store_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/change"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/store"
)

// grown is a world of so many times the packages, makers, models, captures,
// trials and profiles.
func grown(t *testing.T, times int) *world {
	w := newWorld(t)
	w.capture("15.0.0", "first", 20*times)
	var edits []store.NewEdit
	for i := range 20 * times {
		edits = append(edits, w.trial(fmt.Sprintf("com.brannock.p%03d", i), fmt.Sprint("phone ", i), "clean"))
	}
	w.accept("other", edits...)
	for n := range 3 * times {
		c := capture("1.0.0", 20*times)
		c.Identity = identity(n%(2*times), n%2, 1+n, "14")
		w.take(c, fmt.Sprint("elsewhere ", n))
	}
	for n := range 2 * times {
		p := store.NewProfile{Model: w.scope("").Model.ID, Name: fmt.Sprint("Edition ", n), Rules: profile.DefaultRules}
		_, err := w.AddProfile(w.ctx, p, w.people["main"].ID)
		w.must(err)
	}
	w.counted()
	return w
}

// written tells tables of which any row was written since a moment by who wrote
// it last.
func (w *world) written(tables ...string) string {
	w.t.Helper()
	var list []string
	for _, table := range tables {
		var state string
		err := w.Pool().QueryRow(w.ctx, `
			select $1::text || ' ' || count(*) || ' ' || coalesce(md5(string_agg(x.xmin::text || x.ctid::text, ' '
				order by x.ctid)), '')
			from `+table+` x`, table).Scan(&state)
		w.must(err)
		list = append(list, state)
	}
	return strings.Join(list, "\n")
}

// TestStatementsDoNotGrow does what is done all day in a small world and in one
// of five times the size: no action may ask the database more often there, or
// more often than it does now.
func TestStatementsDoNotGrow(t *testing.T) {
	t.Parallel()
	actions := []struct {
		name string
		most int64
		do   func(w *world, ctx context.Context)
	}{
		{"one more capture of a known firmware", 8, func(w *world, ctx context.Context) {
			_, err := w.AddCapture(ctx, store.NewCapture{Capture: capture("15.0.0", 20), Phone: uuid.NewString(), Person: w.people["tech"].ID, Source: "bench"})
			w.must(err)
		}},
		{"a firmware's first capture", 48, func(w *world, ctx context.Context) {
			_, err := w.AddCapture(ctx, store.NewCapture{Capture: capture("15.1.0", 20), Phone: "new", Person: w.people["tech"].ID, Source: "bench"})
			w.must(err)
		}},
		{"an accepted trial", 32, func(w *world, ctx context.Context) {
			id, ids := w.send("tech", w.trial("com.brannock.p003", uuid.NewString(), "fault"))
			w.must(w.Decide(ctx, w.people["rev"].ID, id, 1, verdicts(ids, "accepted")))
		}},
		{"a page of the Ledger of a model", 1, func(w *world, ctx context.Context) {
			_, _, _, err := w.Ledger(ctx, store.LedgerQuery{Scope: w.scope(""), Method: string(evidence.RemoveForUser), Limit: 100})
			w.must(err)
		}},
		{"a search everywhere", 1, func(w *world, ctx context.Context) {
			_, _, _, err := w.Ledger(ctx, store.LedgerQuery{Method: string(evidence.RemoveForUser), Filter: words("p00"), Limit: 100})
			w.must(err)
		}},
		{"what a profile is composed from", 9, func(w *world, ctx context.Context) {
			list, err := w.Profiles(w.ctx, w.scope(""), 1)
			w.must(err)
			p, err := w.Profile(w.ctx, list[0].ID)
			w.must(err)
			_, err = w.Basis(ctx, p, profile.DefaultRules)
			w.must(err)
		}},
		{"the knock-on of edits", 11, func(w *world, ctx context.Context) {
			id, _ := w.send("tech", w.trial("com.brannock.p001", uuid.NewString(), "fault"), w.edit("com.brannock.p002", change.Load, everywhere, `{"load":"loose"}`))
			c, edits := w.state(id)
			_, err := w.KnockOn(ctx, c.AuthorID, edits)
			w.must(err)
		}},
		{"the Desk", 22, func(w *world, ctx context.Context) {
			_, _, err := w.Desk(ctx, w.people["main"], time.Now())
			w.must(err)
		}},
	}
	small, large := grown(t, 1), grown(t, 5)
	for _, a := range actions {
		var n [2]int64
		for i, w := range []*world{small, large} {
			// Once before, so that figures are there that are made on demand.
			if !strings.Contains(a.name, "first") {
				a.do(w, w.ctx)
			}
			ctx, count := store.CountStatements(w.ctx)
			a.do(w, ctx)
			n[i] = count.Load()
		}
		if n[1] > n[0] || n[1] > a.most {
			t.Errorf("%s: %d statements in the small world, %d in the large one, at most %d", a.name, n[0], n[1], a.most)
		}
		t.Logf("%s: %d and %d", a.name, n[0], n[1])
	}
}

// TestKnownFirmwareTouchesNothing takes in one more phone of a firmware that is
// known: nothing that was worked out is written.
func TestKnownFirmwareTouchesNothing(t *testing.T) {
	t.Parallel()
	w := grown(t, 1)
	profiles, err := w.Profiles(w.ctx, w.scope(""), 1)
	w.must(err)
	rules := profile.DefaultRules
	rules.HighestCeiling = 1
	w.accept("tech", w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose"}`))
	w.must(w.SetRules(w.ctx, profiles[0].ID, 1, "For tests.", nil, rules, w.people["main"].ID))
	w.released(profiles[0].ID, 2)
	w.capture("15.0.0", "held against the release", 20)
	if state := w.written("holds"); strings.HasPrefix(state, "holds 0 ") {
		t.Fatal("no release is held against the firmware")
	}
	workedOut := []string{"holds", "arrivals", "figures", "build_cover", "presence", "shipped_by", "facts", "packages", "package_words", "builds", "touched"}
	before := w.written(workedOut...)
	w.capture("15.0.0", "one more", 20)
	if after := w.written(workedOut...); after != before {
		t.Errorf("written:\n%s\nbefore:\n%s", after, before)
	}
	// What an earlier one told and nobody worked out is made good.
	_, err = w.Pool().Exec(w.ctx, `update arrivals set made_from = ''`)
	w.must(err)
	w.capture("15.0.0", "after that", 20)
	var open int
	w.must(w.Pool().QueryRow(w.ctx, `
		select count(*) from arrivals a join builds b on b.id = a.build_id
		where a.made_from = '' and b.version = '15.0.0'`).Scan(&open))
	if open > 0 {
		t.Error("what was left open stays open")
	}
	before = w.written(workedOut...)
	// One that tells of a package more is news.
	w.capture("15.0.0", "and another", 21)
	if w.written("presence") == strings.Split(before, "\n")[4] {
		t.Error("what the build ships was not written")
	}
}

// TestAcceptedTrialWritesFew accepts a trial of what every model ships: of its
// figures those of everywhere are written, however many places there are.
func TestAcceptedTrialWritesFew(t *testing.T) {
	t.Parallel()
	w := grown(t, 5)
	var models []uuid.UUID
	rows, err := w.Pool().Query(w.ctx, `select id from models`)
	w.must(err)
	for rows.Next() {
		var id uuid.UUID
		w.must(rows.Scan(&id))
		models = append(models, id)
	}
	w.must(w.ReadyFigures(w.ctx, models))
	const fresh = `
		select count(*) filter (where f.stamp = p.trials_stamp), count(*)
		from figures f join packages p on p.id = f.package_id
		where p.name = 'com.brannock.p001' and f.method = 'remove-for-user'`
	var now, all int
	w.must(w.Pool().QueryRow(w.ctx, fresh).Scan(&now, &all))
	if now != all || now < 6 {
		t.Fatalf("%d of %d figures hold", now, all)
	}
	w.accept("tech", w.trial("com.brannock.p001", "one more", "fault"))
	w.must(w.Pool().QueryRow(w.ctx, fresh).Scan(&now, &all))
	if now != 1 {
		t.Errorf("%d figures were written, not those of everywhere alone", now)
	}
}

// TestNeverStale accepts trials, captures firmware and changes the yardstick on
// one server while both read a model's Ledger: whatever was the same before and
// after a reading, its figures are what that comes to.
func TestNeverStale(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	second, err := store.New(w.ctx, w.Pool().Config().ConnString())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(second.Close)
	const name = "com.brannock.p001"
	p, err := w.Package(w.ctx, name)
	w.must(err)
	ctx, stop := context.WithCancel(w.ctx)
	defer stop()
	moved := make(chan error, 1)
	go func() {
		defer close(moved)
		for n := 0; ctx.Err() == nil; n++ {
			switch n % 4 {
			case 1:
				y, revision, err := w.Yardstick(w.ctx)
				if err == nil {
					y.Transfer.SameMaker = 0.1 + 0.01*float64(n%9)
					err = w.SetYardstick(w.ctx, w.people["main"].ID, revision, y)
				}
				if err != nil {
					moved <- err
					return
				}
			case 2:
				w.capture(fmt.Sprintf("2%d.0.0", n), "p", 5)
			default:
				w.accept("tech", w.trial(name, fmt.Sprint("phone ", n), []string{"clean", "fault"}[n%2]))
			}
		}
	}()
	compared := 0
	for i := 0; compared < 40; i++ {
		s := []*store.Store{w.Store, second}[i%2]
		before, y, err := s.Evidence(ctx, p.ID)
		w.must(err)
		sc, err := s.FindScope(ctx, "brannock", "lyra-5", "")
		w.must(err)
		rows, _, _, err := s.Ledger(ctx, store.LedgerQuery{Scope: sc, Method: string(evidence.RemoveForUser), Limit: 50})
		w.must(err)
		at := slices.IndexFunc(rows, func(r store.LedgerRow) bool { return r.Name == name })
		after, z, err := s.Evidence(ctx, p.ID)
		w.must(err)
		if len(before) == len(after) && y == z {
			compared++
			want := evidence.Weigh(before, evidence.RemoveForUser, sc.Target, y)
			if rows[at].Ceiling != want.Ceiling || rows[at].Phones != want.Phones || rows[at].Strip != evidence.Strip(before, evidence.RemoveForUser, sc.Target) {
				t.Fatalf("reading %d has %+v of %d trials, which come to %+v", i, rows[at], len(before), want)
			}
		}
		select {
		case err := <-moved:
			t.Fatal("nothing moves any more: ", err)
		default:
		}
	}
	stop()
	if err := <-moved; err != nil {
		t.Fatal(err)
	}
}

// TestYardstickInterrupted ends changes of the yardstick in the middle, each a
// little later than the one before: all figures are those of the yardstick that
// holds, old or new, and never some of each.
func TestYardstickInterrupted(t *testing.T) {
	t.Parallel()
	w := grown(t, 1)
	held := map[int]bool{}
	for i := 0; len(held) < 4 || i < 12; i++ {
		y, revision, err := w.Yardstick(w.ctx)
		w.must(err)
		y.Transfer.SameMaker = 0.1 + 0.001*float64(i%99)
		ctx, cancel := context.WithTimeout(w.ctx, time.Duration(i)*2*time.Millisecond)
		interrupted := w.SetYardstick(ctx, w.people["main"].ID, revision, y)
		cancel()
		now, after, err := w.Yardstick(w.ctx)
		w.must(err)
		if interrupted == nil && now != y {
			t.Fatalf("attempt %d was held and is not", i)
		}
		held[after] = true
		for _, name := range []string{"com.brannock.p001", "com.brannock.p019"} {
			p, err := w.Package(w.ctx, name)
			w.must(err)
			trials, _, err := w.Evidence(w.ctx, p.ID)
			w.must(err)
			sc := w.scope("")
			for _, at := range []store.Scope{{}, sc} {
				if got, want := w.row(at, name).Ceiling, evidence.Weigh(trials, evidence.RemoveForUser, at.Target, now).Ceiling; got != want {
					t.Fatalf("attempt %d: %s has %v, by the yardstick that holds it is %v", i, name, got, want)
				}
			}
		}
	}
}
