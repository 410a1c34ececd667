package store_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
	"roster/store"
)

// linked captures a build whose packages lean on each other, with a home
// screen and an administrator.
func (w *world) linked(version string, change func(*android.Capture)) uuid.UUID {
	w.t.Helper()
	return w.linkedOn("p"+version, version, change).BuildID
}

// linkedOn captures one phone of it.
func (w *world) linkedOn(phone, version string, change func(*android.Capture)) store.CaptureSummary {
	w.t.Helper()
	c := &android.Capture{Format: android.CaptureFormat, Complete: true, Identity: android.Identity{Fingerprint: "b/p/lyra5:14/LINK/" + version + ":user/k", Manufacturer: "Brannock", Device: "lyra5", Model: "Lyra 5", MarketName: "Lyra 5", Form: "phone", DisplayID: version, Incremental: version, Release: "14", SDK: 34, SecurityPatch: "2027-0" + version + "-01"},
		Phone: android.PhoneFacts{Roles: []android.Role{{Name: "HOME", Holders: []android.PackageName{"l.home"}}}, Administrators: []android.PackageName{"l.admin"}, LockCode: android.LockCodeSet}}
	for _, name := range []android.PackageName{"l.home", "l.admin", "l.lib", "l.user", "l.other"} {
		c.Packages = append(c.Packages, android.Package{Name: name, Installed: true, Enabled: android.EnabledDefault, System: true, Path: "/product/app/" + string(name), VersionName: version, Signer: "s", DataBytes: 100})
	}
	c.Packages[2].Provides = []string{"l.api"}
	c.Packages[3].Uses = []android.LibraryUse{{Name: "l.api", Kind: "required"}}
	c.Packages[4].SystemPath, c.Packages[4].Path, c.Packages[4].AppBytes = "/product/app/l.other", "/data/app/l.other", 5000
	if change != nil {
		change(c)
	}
	sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: phone, Person: w.people["tech"].ID, Source: "file"})
	w.must(err)
	return sum
}

// ledger is a row of the Ledger in the model's scope.
func (w *world) ledger(name string) store.LedgerRow {
	w.t.Helper()
	rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: w.scope(""), Method: "remove-for-user", Sort: "resting", Limit: 500})
	w.must(err)
	i := slices.IndexFunc(rows, func(r store.LedgerRow) bool { return r.Name == name })
	if i < 0 {
		w.t.Fatalf("%s is not in the Ledger", name)
	}
	return rows[i]
}

func TestNets(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	build := w.linked("1", nil)
	n, err := w.Net(w.ctx, build)
	w.must(err)
	// A lock code is the owner's, not the build's; an update is freed, the copy
	// on the image is not.
	if got := n.Consequences(impact.Removal{"l.lib": evidence.RemoveForUser}, impact.Known{Conditions: map[android.PackageName][]string{"l.lib": {"not lock-code-set"}}}); len(got) != 3 || got[0].Code != "link-broken" || got[1].Severity != impact.Costs {
		t.Errorf("%+v", got)
	}
	if got := n.Freed(impact.Removal{"l.other": evidence.RemoveForUser, "l.lib": evidence.RemoveForUser}); got != 5200 {
		t.Errorf("%d bytes freed", got)
	}
	if again, _ := w.Net(w.ctx, build); again != n {
		t.Error("a net was read twice though nothing changed")
	}
	if _, err := w.Net(w.ctx, uuid.New()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a build that is not there: %v", err)
	}
	// Lists know it without a net.
	for name, want := range map[string]string{"l.lib": "tied-in 1", "l.home": "load-bearing 0", "l.user": "unproven 0"} {
		if r := w.ledger(name); fmt.Sprint(r.Load, " ", r.Hard) != want || !r.BySuggestion {
			t.Errorf("%s: %s, %d rest on it", name, r.Load, r.Hard)
		}
	}
	s, err := w.Structure(w.ctx, w.scope(""), "l.lib")
	if err != nil || s.Called() != evidence.TiedIn {
		t.Errorf("%+v, %v", s, err)
	}
	// The next firmware cuts the link and ties another.
	w.linked("2", func(c *android.Capture) {
		c.Packages[3].Uses = nil
		c.Packages[4].Uses = []android.LibraryUse{{Name: "l.api", Kind: "optional"}}
	})
	if r := w.ledger("l.lib"); r.Hard != 0 || r.Soft != 1 || r.Load != "unproven" {
		t.Errorf("after the update: %+v", r)
	}
	news, err := w.LinkNews(w.ctx, w.scope("").Model.ID, "l.lib")
	if err != nil || len(news) != 1 || news[0].Build.Version != "2" || len(news[0].Lost) != 1 || len(news[0].Gained) != 1 {
		t.Errorf("%+v, %v", news, err)
	}
	if b, err := w.Standing(w.ctx, w.scope(""), []string{"l.lib", "l.home"}); err != nil || b.Version != "2" {
		t.Errorf("%s stands for the model: %v", b.Version, err)
	}
	if _, err := w.Standing(w.ctx, store.Scope{}, []string{"no.such"}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
}

// TestStatedLink states a link that no phone tells, through review.
func TestStatedLink(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	build := w.linked("1", nil)
	before, err := w.Net(w.ctx, build)
	w.must(err)
	w.accept("tech", w.edit("l.user", change.Links, everywhere, `[
		{"on":"l.other","strength":"hard","why":"it crashed without"},
		{"on":"no.where","strength":"soft","why":"seen on another phone"}]`))
	after, err := w.Net(w.ctx, build)
	w.must(err)
	on, _ := after.Around("l.user")
	if len(on) != 2 || on[1].Kind != impact.Stated || !strings.Contains(on[1].Lines[0], "says so: it crashed without") {
		t.Errorf("%+v", on)
	}
	if d := impact.Compare(before, after); len(d.Gained) != 1 {
		t.Errorf("%+v", d)
	}
	if r := w.ledger("l.other"); r.Hard != 1 || r.Load != "tied-in" {
		t.Errorf("%+v", r)
	}
	// A grade that forgets it is more lenient than what is suggested.
	id, _ := w.send("tech", w.edit("l.other", change.Load, everywhere, `{"load":"loose"}`))
	_, list, err := w.Change(w.ctx, uuid.Nil, id)
	w.must(err)
	j, err := w.EvidenceSnapshot(w.ctx, list)
	w.must(err)
	if c := j.Circumstance(list[0], j); c.Suggested != evidence.TiedIn || !c.After.MoreLenientThan(c.Suggested) {
		t.Errorf("%+v", c)
	}
}

// TestPublishing returns, takes back and finds moved what was asked for.
func TestPublishing(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	main, rev := w.people["main"], w.people["rev"]
	w.accept("tech", w.edit("com.brannock.p000", change.Load, everywhere, `{"load":"loose"}`), w.trial("com.brannock.p000", "x", "clean"), w.trial("com.brannock.p000", "y", "clean"))
	rules := profile.DefaultRules
	rules.HighestCeiling = 1
	id, err := w.AddProfile(w.ctx, store.NewProfile{Model: w.scope("").Model.ID, Name: "E", Rules: rules}, main.ID)
	w.must(err)
	sign := func([]byte, *profile.Document) (string, string, error) {
		w.must(w.AddKey(w.ctx, store.SigningKey{ID: "k", Public: "p", Sealed: []byte{1}}))
		return "s", "k", nil
	}
	ask := func(revision int) uuid.UUID {
		t.Helper()
		asked, err := w.AskPublication(w.ctx, id, revision, []string{"New."}, "please", main.ID)
		w.must(err)
		return asked
	}
	decide := func(asked uuid.UUID, by store.Person, v store.Verdict, want error) {
		t.Helper()
		if _, err := w.DecidePublication(w.ctx, asked, by, v, sign); !errors.Is(err, want) || want == nil && err != nil {
			t.Errorf("%s by %s: %v, want %v", v.State, by.Name, err, want)
		}
	}
	if _, err := w.AskPublication(w.ctx, id, 9, []string{"x"}, "", main.ID); !errors.Is(err, store.ErrStale) {
		t.Errorf("asked for what is no longer so: %v", err)
	}
	asked := ask(1)
	decide(asked, rev, store.Verdict{State: "taken-back"}, store.ErrNotYours)
	decide(asked, main, store.Verdict{State: "returned", Answer: "no"}, store.ErrOwn)
	decide(asked, rev, store.Verdict{State: "returned", Answer: "Name the alarm clock."}, nil)
	decide(asked, rev, store.Verdict{State: "published"}, store.ErrState)
	notices, err := w.Notices(w.ctx, main.ID, 10)
	if err != nil || notices[0].Kind != "publish-returned" || notices[0].ProfileID == nil || !strings.Contains(notices[0].Title, "E") {
		t.Errorf("%+v, %v", notices, err)
	}
	decide(ask(1), main, store.Verdict{State: "taken-back"}, nil)
	// Evidence that changes no step does not stop it; a step does.
	asked = ask(1)
	w.accept("tech", w.trial("com.brannock.p000", "z", "clean"))
	w.accept("other", w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose"}`), w.trial("com.brannock.p001", "x", "clean"))
	decide(asked, rev, store.Verdict{State: "published"}, store.ErrMoved)
	decide(asked, main, store.Verdict{State: "taken-back"}, nil)
	asked = ask(1)
	w.accept("tech", w.trial("com.brannock.p000", "more", "clean"))
	decide(asked, rev, store.Verdict{State: "published", Changes: []string{"In other words."}}, nil)
	r, err := w.Release(w.ctx, "brannock", "lyra-5", "e", 0)
	w.must(err)
	d, err := profile.ParseDocument(r.Document)
	if err != nil || d.Publisher != main.Name || d.Approver != rev.Name || d.Changes[0] != "In other words." || len(d.Stays) == 0 {
		t.Errorf("%+v, %v", d, err)
	}
	// New rules take back what was asked for.
	asked = ask(2)
	w.must(w.SetRules(w.ctx, id, 2, "", nil, rules, main.ID))
	decide(asked, rev, store.Verdict{State: "published"}, store.ErrState)
	w.must(w.Withdraw(w.ctx, r.ID, "it was wrong", main.ID, time.Time{}))
	if err := w.Withdraw(w.ctx, r.ID, "again", main.ID, time.Time{}); !errors.Is(err, store.ErrState) {
		t.Errorf("withdrawn twice: %v", err)
	}
	if err := w.Withdraw(w.ctx, uuid.New(), "x", main.ID, time.Time{}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("%v", err)
	}
	// Who could publish is told of a withdrawal, but not who did it.
	for who, want := range map[string]bool{"main": false, "keep": true} {
		person, ok := w.people[who]
		if !ok {
			continue
		}
		list, err := w.Notices(w.ctx, person.ID, 20)
		w.must(err)
		if got := slices.ContainsFunc(list, func(n store.Notice) bool { return n.Kind == "withdrawn" && n.Words == "it was wrong" }); got != want {
			t.Errorf("%s was told of the withdrawal: %t", who, got)
		}
	}
	lately, err := w.LatelyReleased(w.ctx, 10)
	if err != nil || len(lately) != 1 || lately[0].State != "withdrawn" || lately[0].WithdrawnBy != main.Name || lately[0].WithdrawnAt == nil {
		t.Errorf("%+v, %v", lately, err)
	}
}

func TestKeys(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	keeper := w.people["main"].ID
	w.must(w.AddKey(w.ctx, store.SigningKey{ID: "A", Public: "a", Sealed: []byte{1}}))
	w.must(w.AddKey(w.ctx, store.SigningKey{ID: "B", Public: "b", Sealed: []byte{1}})) // another server was faster
	w.must(w.RotateKey(w.ctx, "A", store.SigningKey{ID: "C", Public: "c", Sealed: []byte{1}, Endorsement: "signed", EndorsedBy: "A"}, "a laptop was lost", keeper))
	if err := w.RotateKey(w.ctx, "A", store.SigningKey{ID: "D", Public: "d", Sealed: []byte{1}}, "again", keeper); !errors.Is(err, store.ErrStale) {
		t.Errorf("the same key was retired twice: %v", err)
	}
	keys, err := w.PublicKeys(w.ctx)
	if err != nil || len(keys) != 2 || keys[0].ID != "C" || keys[0].EndorsedBy != "A" || keys[1].RetiredAt == nil || keys[1].RetiredWhy != "a laptop was lost" {
		t.Errorf("%+v, %v", keys, err)
	}
	if k, err := w.KeyInUse(w.ctx); err != nil || k.ID != "C" {
		t.Errorf("%s, %v", k.ID, err)
	}
}

// TestSisters composes for two models: of what both ship the more cautious word
// stands, and what one of them has to keep stays on both.
func TestSisters(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.linked("1", func(c *android.Capture) { c.Packages[3].Uses = nil })
	w.linked("2", func(c *android.Capture) {
		c.Identity.Device, c.Identity.Model, c.Identity.MarketName = "lyra5mini", "Lyra 5 mini", "Lyra 5 mini"
		c.Packages = append(c.Packages, android.Package{Name: "l.mini", Installed: true, Enabled: android.EnabledDefault, System: true, Path: "/product/app/l.mini", VersionName: "2", Signer: "s"})
	})
	sister, err := w.FindScope(w.ctx, "brannock", "lyra-5-mini", "")
	w.must(err)
	w.accept("tech", w.edit("l.lib", change.Load, everywhere, `{"load":"loose"}`), w.edit("l.other", change.Load, everywhere, `{"load":"loose"}`), w.edit("l.other", change.Load, sister.Claims(), `{"load":"leaned-on"}`))
	rules := profile.DefaultRules
	rules.Pins = []profile.Pin{{Package: "l.lib", Goes: true, Reason: "x"}, {Package: "l.other", Goes: true, Reason: "x"}, {Package: "l.mini", Goes: true, Reason: "x"}}
	id, err := w.AddProfile(w.ctx, store.NewProfile{Model: w.scope("").Model.ID, Sisters: []uuid.UUID{sister.Model.ID}, Name: "Both", Rules: rules}, w.people["main"].ID)
	w.must(err)
	p, err := w.Profile(w.ctx, id)
	w.must(err)
	b, err := w.Basis(w.ctx, p, rules)
	if err != nil || len(b.Builds) != 3 || b.Builds[2].Model != "lyra-5-mini" {
		t.Fatalf("%+v, %v", b.Builds, err)
	}
	rows := map[string]profile.Row{}
	for _, r := range profile.Compose(b, rules).Rows {
		rows[string(r.Package)] = r
	}
	if rows["l.other"].Load != evidence.LeanedOn || !rows["l.other"].Goes || !rows["l.mini"].Goes {
		t.Errorf("%+v", rows["l.other"])
	}
	if r := rows["l.lib"]; r.Goes || !r.Dropped || !strings.Contains(r.Why, "l.user stays") {
		t.Errorf("what the mini has to keep goes: %+v", r)
	}
	// It is found from either model.
	for _, sc := range []store.Scope{w.scope(""), sister} {
		if list, err := w.Profiles(w.ctx, sc, 10); err != nil || len(list) != 1 || len(list[0].Sisters) != 1 {
			t.Errorf("%s: %+v, %v", sc.Model.Name, list, err)
		}
	}
}

// TestKnockOnLeans foretells what becomes of packages that the change does not
// touch, because they lean on what it does.
func TestKnockOnLeans(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.linked("1", nil)
	trials := func(name string) []store.NewEdit {
		list := []store.NewEdit{w.edit(name, change.Load, everywhere, `{"load":"loose"}`)}
		for _, phone := range []string{"x", "y", "z"} {
			list = append(list, w.trial(name, phone, "clean"))
		}
		return list
	}
	w.accept("tech", trials("l.lib")...)
	rules := profile.DefaultRules
	rules.HighestCeiling = 0.9
	id, err := w.AddProfile(w.ctx, store.NewProfile{Model: w.scope("").Model.ID, Name: "E", Rules: rules}, w.people["main"].ID)
	w.must(err)
	goes := func() (list []string) {
		t.Helper()
		p, err := w.Profile(w.ctx, id)
		w.must(err)
		b, err := w.Basis(w.ctx, p, rules)
		w.must(err)
		for _, r := range profile.Compose(b, rules).Rows {
			if r.Goes {
				list = append(list, string(r.Package))
			}
		}
		slices.Sort(list)
		return list
	}
	if got := goes(); len(got) != 0 {
		t.Fatalf("%v goes though something that stays rests on it", got)
	}
	changeID, ids := w.send("tech", trials("l.user")...)
	_, edits, err := w.Change(w.ctx, uuid.Nil, changeID)
	w.must(err)
	k, err := w.KnockOn(w.ctx, w.people["tech"].ID, edits)
	w.must(err)
	var gains []string
	for _, g := range k.Profiles[0].Gains {
		gains = append(gains, string(g.Package))
	}
	slices.Sort(gains)
	w.must(w.Decide(w.ctx, w.people["rev"].ID, changeID, 1, verdicts(ids, "accepted")))
	if now := goes(); !slices.Equal(gains, now) || fmt.Sprint(now) != "[l.lib l.user]" {
		t.Errorf("foretold %v, came to %v", gains, now)
	}
}
