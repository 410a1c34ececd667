package store_test

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
	"roster/core/profile"
	"roster/store"
)

// edition publishes a release that takes packages off, whatever is known of
// them, and returns it with its profile.
func (w *world) edition(name string, goes ...android.PackageName) (profileID uuid.UUID, r store.ReleaseLine) {
	w.t.Helper()
	rules := profile.DefaultRules
	for _, g := range goes {
		rules.Pins = append(rules.Pins, profile.Pin{Package: g, Goes: true, Reason: "for the test"})
	}
	id, err := w.AddProfile(w.ctx, store.NewProfile{Model: w.scope("").Model.ID, Name: name, Rules: rules}, w.people["main"].ID)
	w.must(err)
	w.released(id, 1)
	return id, w.current(name)
}

func (w *world) current(edition string) store.ReleaseLine {
	w.t.Helper()
	r, err := w.Release(w.ctx, "brannock", "lyra-5", strings.ToLower(edition), 0)
	w.must(err)
	return r.ReleaseLine
}

// hold is how a release stands on a build.
func (w *world) hold(release, build uuid.UUID) store.Hold {
	w.t.Helper()
	list, err := w.HoldsOn(w.ctx, []uuid.UUID{build}, []uuid.UUID{release})
	w.must(err)
	if len(list) != 1 {
		w.t.Fatalf("%d holds of the release on the build", len(list))
	}
	return list[0]
}

// notFor names the builds that a release is marked as not for.
func (w *world) notFor(release uuid.UUID) (names []string) {
	w.t.Helper()
	marks, err := w.NotFor(w.ctx, []uuid.UUID{release})
	w.must(err)
	for _, n := range marks[release] {
		names = append(names, n.Name()+": "+n.Why)
	}
	return names
}

// told are the kinds of what a person was told of, newest first, with words.
func (w *world) told(login string) (list []string) {
	w.t.Helper()
	notices, err := w.Notices(w.ctx, w.people[login].ID, 50)
	w.must(err)
	for _, n := range notices {
		list = append(list, n.Kind+": "+n.Words)
	}
	return list
}

// loose and bound are firmware 1, on which nothing uses the library, and 2 with
// what it changes.
func loose(c *android.Capture) { c.Packages[3].Uses = nil }

func bound(c *android.Capture) {
	c.Packages = append(c.Packages, android.Package{Name: "l.fresh", Installed: true, Enabled: android.EnabledDefault, System: true, Path: "/product/app/l.fresh"})
	c.Packages = slices.DeleteFunc(c.Packages, func(p android.Package) bool { return p.Name == "l.admin" })
	c.Phone.Administrators = nil
}

// TestNewFirmware captures a phone before and after an update that brings a
// package back, and makes another need what a release takes off.
func TestNewFirmware(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	first := w.linked("1", loose)
	phone := func(c *android.Capture) {
		loose(c)
		c.Packages[4].Installed = false
	}
	w.linkedOn("held", "1", phone)
	id, quiet := w.edition("Quiet", "l.lib", "l.other")
	if h := w.hold(quiet.ID, first); h.State != profile.HoldUnproven || !h.Claimed || h.Ships != 2 || len(h.Findings) != 0 {
		t.Fatalf("before the update: %+v", h)
	}
	w.must(w.Follow(w.ctx, w.people["other"].ID, "model", w.scope("").Model.ID))
	w.must(w.Follow(w.ctx, w.people["second"].ID, "profile", id))

	second := w.linkedOn("held", "2", bound).BuildID
	arrivals, err := w.Arrivals(w.ctx, []uuid.UUID{first, second})
	w.must(err)
	a := arrivals[second]
	if a.SinceID == nil || *a.SinceID != first || a.Back != 1 || a.Summary.Words(a.Back) != "1 package is new, 1 that was off came back, 1 is gone, 1 changed in more than its version" {
		t.Errorf("%+v: %s", a, a.Summary.Words(a.Back))
	}
	h := w.hold(quiet.ID, second)
	if h.State != profile.HoldStops || h.Claimed || h.StoppedAt == nil || len(h.Findings) != 2 || h.Findings[0].State != profile.HoldStops || h.Findings[1].State != profile.CameBack ||
		fmt.Sprint(h.Findings[0].Packages, h.Findings[0].Others, h.Findings[1].Packages) != "[l.lib] [l.user] [l.other]" {
		t.Fatalf("after the update: %+v", h)
	}
	const mark = "2: l.user uses its library l.api"
	if got := w.notFor(quiet.ID); !slices.Equal(got, []string{mark}) {
		t.Errorf("it is marked as not for %q", got)
	}
	stops := "stops: Not for " + mark
	for login, want := range map[string][]string{
		"main": {stops}, "second": {stops}, "tech": nil,
		"other": {"followed-model: Firmware Lyra 5 2 arrived: " + a.Summary.Words(1) + ".", stops},
	} {
		got := w.told(login)
		for _, one := range want {
			if !slices.Contains(got, one) {
				t.Errorf("%s was not told %q, but %q", login, one, got)
			}
		}
		if want == nil && slices.ContainsFunc(got, func(s string) bool { return strings.HasPrefix(s, "stops") }) {
			t.Errorf("%s, who publishes nothing, was told %q", login, got)
		}
	}
	// Another phone of it says nothing new.
	before := len(w.told("other"))
	w.linkedOn("another", "2", bound)
	if got := w.told("other"); len(got) != before {
		t.Errorf("told again: %q", got[:len(got)-before])
	}

	// A person takes the mark off; it stays off until something else stops.
	main := w.people["main"].ID
	if err := w.Lift(w.ctx, quiet.ID, first, main, "no reason"); !errors.Is(err, store.ErrState) {
		t.Errorf("lifted where nothing stops: %v", err)
	}
	w.must(w.Lift(w.ctx, quiet.ID, second, main, "nobody opens l.user"))
	if h := w.hold(quiet.ID, second); len(w.notFor(quiet.ID)) != 0 || h.StoppedAt != nil || h.Lifted != "nobody opens l.user" || h.LiftedBy != "main" {
		t.Errorf("after lifting: %q %+v", w.notFor(quiet.ID), h)
	}
	w.linkedOn("one more", "2", func(c *android.Capture) {
		bound(c)
		c.Packages = append(c.Packages, android.Package{Name: "l.late", Installed: true, Enabled: android.EnabledDefault, System: true, Path: "/product/app/l.late", Uses: []android.LibraryUse{{Name: "l.api", Kind: "required"}}})
	})
	if got := w.notFor(quiet.ID); len(got) != 1 {
		t.Errorf("another package needs it now, and the mark is %q", got)
	}

	// A release without it lifts the mark for good.
	rules := profile.DefaultRules
	rules.Pins = []profile.Pin{{Package: "l.other", Goes: true, Reason: "for the test"}}
	w.must(w.SetRules(w.ctx, id, 2, "", nil, rules, main))
	w.released(id, 3)
	newer := w.current("Quiet")
	if h := w.hold(newer.ID, second); h.State != profile.CameBack || !h.Claimed || len(w.notFor(newer.ID)) != 0 {
		t.Errorf("the next release: %+v, not for %q", h, w.notFor(newer.ID))
	}
	if list, err := w.HoldsOn(w.ctx, []uuid.UUID{second}, nil); err != nil || len(list) != 1 || list[0].ReleaseID != newer.ID {
		t.Errorf("current releases there: %+v, %v", list, err)
	}
	if got := w.notFor(quiet.ID); len(got) != 1 {
		t.Error("the old release is for it all of a sudden")
	}
}

// TestQuietIsNotBack updates phones on which a run took packages off, or only made
// one quiet: that one was never off, and does not come back.
func TestQuietIsNotBack(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := w.linkedOn("one", "1", loose)
	_, release := w.edition("Quiet", "l.lib", "l.other")
	id := w.ran(release, c, "one", nil)
	tag, err := w.Pool().Exec(w.ctx, `
		update run_steps set step = jsonb_set(step, '{method}', '"quieten"')
		where run_id = $1 and package = 'l.other'`, id)
	w.must(err)
	if tag.RowsAffected() != 1 {
		t.Fatalf("%d steps", tag.RowsAffected())
	}
	w.linkedOn("one", "2", bound)
	r, err := w.RunByID(w.ctx, id)
	w.must(err)
	if _, lib := r.Back["l.lib"]; len(r.Back) != 1 || !lib {
		t.Errorf("came back: %v", r.Back)
	}
}

// TestTriedIsCovered makes a release covered by trials, without anything being
// worked out anew.
func TestTriedIsCovered(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.build = w.linked("1", loose)
	_, quiet := w.edition("Quiet", "l.lib", "l.other")
	for i, name := range []string{"l.lib", "l.other"} {
		if h := w.hold(quiet.ID, w.build); h.State != profile.HoldUnproven || h.Tried != i {
			t.Errorf("after %d: %+v", i, h)
		}
		w.accept("tech", w.trial(name, "x", "clean"))
	}
	if h := w.hold(quiet.ID, w.build); h.State != profile.Covered || h.Words != "covered" {
		t.Errorf("%+v", h)
	}
}

// TestOlderFirmwareLater captures an older build after a newer one: what each
// brings is told against the one before it, whichever came first.
func TestOlderFirmwareLater(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	first, third := w.linked("1", loose), w.linked("3", bound)
	second := w.linked("2", func(c *android.Capture) { loose(c); c.Packages = c.Packages[:4] })
	got, err := w.Arrivals(w.ctx, []uuid.UUID{first, second, third})
	w.must(err)
	for build, since := range map[uuid.UUID]uuid.UUID{second: first, third: second} {
		if a := got[build]; a.SinceID == nil || *a.SinceID != since {
			t.Errorf("%v came after %v", build, a.SinceID)
		}
	}
	if words := got[third].Summary.Words(0); words != "2 packages are new, 1 is gone, 1 changed in more than its version" {
		t.Errorf("the newest against the one that came later: %s", words)
	}
	// A carrier's edition has no build before it: it is compared with none.
	edition := w.linked("4", func(c *android.Capture) { loose(c); c.Identity.Carrier = "Norrwave" })
	if got, err = w.Arrivals(w.ctx, []uuid.UUID{edition}); err != nil || got[edition].SinceID != nil && *got[edition].SinceID != third {
		t.Errorf("%+v, %v", got[edition], err)
	}
}

func TestCompareSides(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	first := w.linked("1", loose)
	_, quiet := w.edition("Quiet", "l.lib", "l.admin")
	w.accept("tech", w.edit("l.user", change.Load, everywhere, `{"load":"leaned-on","conditions":["c"]}`))
	second := w.linkedOn("held", "2", bound)
	c, err := w.CompareSides(w.ctx, store.Side{Kind: "build", ID: first}, store.Side{Kind: "build", ID: second.BuildID})
	w.must(err)
	lanes := map[string]store.ComparedPackage{}
	var got []string
	for _, p := range c.Packages {
		lanes[p.Name] = p
		got = append(got, p.Lane+" "+p.Name)
	}
	if want := []string{"gone l.admin", "changed l.home", "changed l.lib", "changed l.other", "changed l.user", "new l.fresh"}; !slices.Equal(got, want) || c.Same != 0 {
		t.Fatalf("%q and %d the same, want %q", got, c.Same, want)
	}
	lib, user := lanes["l.lib"], lanes["l.user"]
	if len(lib.Taken) != 1 || lib.Taken[0].Number != quiet.Number || len(lib.Gained) != 1 || lib.Gained[0].From != "l.user" || len(lib.Means) == 0 || lib.Means[0].Code != profile.WouldStop || !strings.Contains(lib.Means[0].Words, "Quiet no. 1 takes it off: that would stop") {
		t.Errorf("%+v", lib)
	}
	if user.Then == nil || user.Then.Load != "leaned-on" || user.Now == nil || user.Label != "" || len(user.Gained) != 1 {
		t.Errorf("%+v", user)
	}
	if lanes["l.fresh"].Then != nil || lanes["l.admin"].Now != nil || len(lanes["l.admin"].Taken) != 1 {
		t.Errorf("%+v %+v", lanes["l.fresh"], lanes["l.admin"])
	}
	if len(c.From.Version)+len(c.To.Version) != 2 || c.From.MakerName != "Brannock" || c.To.Packages != 5 {
		t.Errorf("%+v %+v", c.From, c.To)
	}
	// The way back has the lanes the other way round.
	back, err := w.CompareSides(w.ctx, store.Side{Kind: "build", ID: second.BuildID}, store.Side{Kind: "build", ID: first})
	if err != nil || len(back.Packages) != len(c.Packages) || back.Packages[0].Lane != "gone" || back.Packages[0].Name != "l.fresh" {
		t.Errorf("%+v, %v", back.Packages, err)
	}
	// A build against itself, and against what a phone of it has.
	same, err := w.CompareSides(w.ctx, store.Side{Kind: "build", ID: first}, store.Side{Kind: "build", ID: first})
	if err != nil || len(same.Packages) != 0 || same.Same != 5 {
		t.Errorf("%+v, %v", same, err)
	}
	thinned := w.linkedOn("thinned", "2", func(c *android.Capture) { bound(c); c.Packages[1].Installed = false })
	phone, err := w.CompareSides(w.ctx, store.Side{Kind: "build", ID: second.BuildID}, store.Side{Kind: "capture", ID: thinned.ID})
	if err != nil || phone.To.TakenAt == nil || len(phone.Packages) == 0 || phone.Packages[0].Lane != "gone" || phone.Packages[0].Name != "l.lib" {
		t.Errorf("%+v, %v", phone.Packages, err)
	}
	for _, side := range []store.Side{{Kind: "build", ID: uuid.New()}, {Kind: "capture", ID: uuid.New()}} {
		if _, err := w.CompareSides(w.ctx, side, store.Side{Kind: "build", ID: first}); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%s that is not there: %v", side.Kind, err)
		}
	}
}

func TestCarriedOver(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.build = w.linked("1", loose)
	here := catalog.Scope{Kind: catalog.OfBuild, ID: w.build.String()}
	w.accept("tech", w.edit("l.other", change.Load, here, `{"load":"loose"}`), w.edit("l.user", change.Load, everywhere, `{"load":"loose"}`))
	for i := range 6 {
		w.accept([]string{"tech", "other"}[i%2], w.trial("l.lib", fmt.Sprint("x", i), "clean"), w.trial("l.user", fmt.Sprint("x", i), "clean"))
	}
	second := w.linked("2", bound)
	list, err := w.CarriedOver(w.ctx, w.build, second)
	w.must(err)
	var got []string
	for _, c := range list {
		got = append(got, fmt.Sprintf("%s stands %t rose %t", c.Name, c.Stands, c.Rose > 0.01))
	}
	// What was graded for that build alone stands for no other; what was tried
	// there is a little less well known here.
	if want := []string{"l.other stands false rose false", "l.lib stands true rose true", "l.user stands true rose true"}; !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
	if list[0].Why == "" || list[0].Then.Load != "loose" || list[0].Now.Load != "" {
		t.Errorf("%+v", list[0])
	}
	if back, err := w.CarriedOver(w.ctx, second, w.build); err != nil || len(back) != 0 {
		t.Errorf("the other way nothing is worse: %+v, %v", back, err)
	}
}

func TestPackageOverTime(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.linked("1", loose)
	w.linked("2", bound)
	w.linked("3", func(c *android.Capture) {
		c.Packages[3].Requests = []string{"android.permission.CAMERA"}
		c.Packages = slices.Delete(c.Packages, 2, 3)
	})
	told := func(name string) string {
		t.Helper()
		list, err := w.PackageOverTime(w.ctx, w.scope(""), name)
		w.must(err)
		var out []string
		for _, s := range list {
			line := s.Version + " " + s.Lane
			for _, d := range s.What {
				line += " " + d.What
			}
			out = append(out, line)
		}
		return strings.Join(out, "; ")
	}
	for name, want := range map[string]string{"l.fresh": "3 gone; 2 new", "l.admin": "3 new; 2 gone", "l.lib": "3 gone", "com.brannock.p000": "1 gone"} {
		if got := told(name); !strings.Contains(got, want) {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
	if got := told("l.user"); !strings.Contains(got, "permissions") && !strings.Contains(got, "requests") {
		t.Errorf("l.user asks for more: %q", got)
	}
}

func TestWanted(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.build = w.linked("1", loose)
	id, _ := w.edition("Quiet", "l.lib", "l.other")
	main := w.people["main"].ID
	first, err := w.WantTrials(w.ctx, id, w.build, "remove-for-user", 0.3, []string{"l.lib"}, main)
	w.must(err)
	asked, err := w.WantTrials(w.ctx, id, w.build, "remove-for-user", 0.3, []string{"l.lib", "l.other"}, main)
	w.must(err)
	got, err := w.WantedFor(w.ctx, id, w.build)
	if err != nil || got == nil || got.ID != asked || !slices.Equal(got.Left, []string{"l.lib", "l.other"}) || got.AskedBy != "main" {
		t.Fatalf("%+v, %v", got, err)
	}
	if old, err := w.Wanted(w.ctx, first); err == nil && old.ClosedAt == nil && first != asked {
		t.Errorf("the first is still asked for: %+v", old)
	}
	// What was only made quiet was not gone, and is not tried by that.
	quiet := w.trial("l.lib", "y", "clean")
	quiet.Value = bytes.Replace(quiet.Value, []byte("remove-for-user"), []byte("quieten"), 1)
	quiet.Value = bytes.Replace(quiet.Value, []byte("held"), []byte("back-after-restart"), 1)
	w.accept("tech", quiet)
	var capture uuid.UUID
	w.must(w.Pool().QueryRow(w.ctx, `select id from captures where build_id = $1 limit 1`, w.build).Scan(&capture))
	if sub, _, _, err := w.Subject(w.ctx, capture); err != nil || sub.ComesBack["l.lib"] != 0 {
		t.Errorf("%+v, %v", sub.ComesBack, err)
	}
	if got, err := w.Wanted(w.ctx, asked); err != nil || !slices.Equal(got.Left, []string{"l.lib", "l.other"}) {
		t.Errorf("%+v, %v", got, err)
	}
	w.accept("tech", w.trial("l.lib", "x", "clean"))
	if got, err := w.Wanted(w.ctx, asked); err != nil || !slices.Equal(got.Left, []string{"l.other"}) {
		t.Errorf("%+v, %v", got, err)
	}
	list, err := w.Unsettled(w.ctx, w.build, "remove-for-user", []string{"l.lib", "l.other", "l.none"})
	if err != nil || len(list) != 2 {
		t.Errorf("%+v, %v", list, err)
	}
	w.must(w.CloseWanted(w.ctx, asked, main))
	if got, err := w.WantedFor(w.ctx, id, w.build); err != nil || got != nil {
		t.Errorf("%+v, %v", got, err)
	}
	if _, err := w.Wanted(w.ctx, uuid.New()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
}

// TestCapturesOfThePast dates captures: what was taken off a phone counts from
// when it was captured, not from when the file came.
func TestCapturesOfThePast(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	day := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	add := func(version string, at time.Time, installed bool) store.CaptureSummary {
		t.Helper()
		c := capture(version, 3)
		c.Packages[1].Installed = installed
		sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: "old", Person: w.people["tech"].ID, Source: "file", At: at})
		w.must(err)
		return sum
	}
	newer := add("14.1.3", day.AddDate(0, 2, 0), true)
	add("14.1.2", day, false) // sent in later, taken earlier
	got, err := w.Arrivals(w.ctx, []uuid.UUID{newer.BuildID})
	if err != nil || !got[newer.BuildID].At.Equal(day.AddDate(0, 2, 0)) {
		t.Errorf("%+v, %v", got, err)
	}
	third := add("14.1.4", day.AddDate(0, 3, 0), true)
	if got, err = w.Arrivals(w.ctx, []uuid.UUID{third.BuildID}); err != nil || got[third.BuildID].Back != 0 {
		t.Errorf("it was there before this update already: %+v, %v", got[third.BuildID], err)
	}
}
