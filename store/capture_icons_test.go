package store_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
	"roster/core/filter"
	"roster/store"
)

// icons are what the Ledger says of each package's icon, and what it groups by
// and filters by says the same.
func (w *world) icons(sc store.Scope) string {
	w.t.Helper()
	rows, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: sc, Method: "remove-for-user", Group: "icon", Limit: 50})
	w.must(err)
	var out []string
	for _, r := range rows {
		if group := r.Group[3:]; group != r.Icon {
			w.t.Errorf("%s: the icon is %q, the group %q", r.Name, r.Icon, r.Group)
		}
		out = append(out, r.Name[len("com.brannock.p"):]+"="+r.Icon)
	}
	for _, value := range []string{"yes", "no", "unknown"} {
		f, err := filter.Parse("icon:"+value, time.Now())
		w.must(err)
		_, found, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: sc, Method: "remove-for-user", Filter: f, Limit: 1})
		w.must(err)
		if n := len(slices.DeleteFunc(slices.Clone(rows), func(r store.LedgerRow) bool { return r.Icon != strings.TrimPrefix(value, "unknown") })); n != found {
			w.t.Errorf("icon:%s finds %d of %d", value, found, n)
		}
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

// TestIcons: what a capture does not tell is unknown and not missing; a phone that
// is switched off for something shows no icon of it, which says nothing; and one
// that shows it outweighs those that do not.
func TestIcons(t *testing.T) {
	t.Parallel()
	w := newWorld(t) // 14.1.0 with p000 to p004, of which nothing was asked
	if got := w.icons(w.scope("")); got != "000= 001= 002= 003= 004=" {
		t.Error(got)
	}
	next := capture("14.1.0", 5)
	next.Phone.Icons = []android.PackageName{"com.brannock.p001"}
	next.Packages[2].Enabled, next.Packages[3].Installed = android.EnabledOffByUser, false
	before := w.written("presence", "shipped_by", "packages")
	w.take(next, "phone-2")
	if got := w.icons(w.scope("")); got != "000=no 001=yes 002= 003= 004=no" {
		t.Error(got)
	}
	if w.written("presence", "shipped_by", "packages") == before {
		t.Error("what the capture told was not counted as written")
	}
	// The next one tells more of some, less of others.
	again := capture("14.1.0", 5)
	again.Phone.Icons = []android.PackageName{"com.brannock.p000", "com.brannock.p003"}
	w.take(again, "phone-3")
	const after = "000=yes 001=yes 002=no 003=yes 004=no"
	if got := w.icons(w.scope("")); got != after {
		t.Error(got)
	}
	// One more that tells nothing new writes nothing.
	before = w.written("presence", "shipped_by", "packages")
	w.take(again, "phone-4")
	if now := w.written("presence", "shipped_by", "packages"); now != before {
		t.Errorf("nothing new, and yet: %s, then %s", before, now)
	}
	// Another firmware, where p001 has none: the model still has one, that build not.
	other := capture("14.2.0", 3)
	other.Phone.Icons = []android.PackageName{"com.brannock.p000"}
	sum := w.take(other, "phone-5")
	if got := w.icons(w.scope(sum.BuildID.String())); got != "000=yes 001=no 002=no" {
		t.Error(got)
	}
	for _, sc := range []store.Scope{w.scope(""), {}} {
		if got := w.icons(sc); got != after {
			t.Error(got)
		}
	}
}

// TestReleaseByHand: what the settings of a release's phones offer is derived from
// the key that signed the platform, and what somebody tried outweighs it.
func TestReleaseByHand(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	c := capture("14.1.2", 4)
	platform := c.Packages[0]
	platform.Name, platform.Path, platform.Partition, platform.Signer = "android", "/system/framework", "system", "1a2b"
	c.Packages = append(c.Packages, platform)
	for i, signer := range []string{"9f", "9f", "1a2b", "1a2b"} {
		c.Packages[i].Signer = signer
	}
	c.Phone.Icons = []android.PackageName{"com.brannock.p001"}
	w.take(c, "phone-2")
	goes := []android.PackageName{"com.brannock.p000", "com.brannock.p001", "com.brannock.p002", "com.brannock.p003"}
	_, r := w.edition("Quiet", goes...)
	told := func() string {
		list, err := w.ReleaseByHand(w.ctx, r.ID)
		w.must(err)
		var out []string
		for _, name := range slices.Sorted(maps.Keys(list)) {
			b := list[name]
			out = append(out, fmt.Sprintf("%s %s %t %d", b.Icon, b.Hand, b.Sure, b.Phones))
		}
		return strings.Join(out, ", ")
	}
	if got := told(); got != "no switch-off false 0, yes switch-off false 0, no grey false 0, no grey false 0" {
		t.Error(got)
	}
	by := func(pkg, phone, hand string) store.NewEdit {
		return w.edit(pkg, change.Trial, catalog.Scope{Kind: catalog.Everywhere}, fmt.Sprintf(
			`{"build":%q,"phone":%q,"method":"disable","outcome":"clean","persistence":"held","recovery":"by-hand","watchedDays":3,"byHand":%q}`, w.build, phone, hand))
	}
	w.accept("tech", by("com.brannock.p000", "a", "not-offered"), by("com.brannock.p003", "a", "done"), by("com.brannock.p003", "b", "done"))
	if got := told(); got != "no grey true 1, yes switch-off false 0, no grey false 0, no switch-off true 2" {
		t.Error(got)
	}
}

// TestLabelsIn: names of the screen's language, of a region where that is all.
func TestLabelsIn(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.accept("tech", w.edit("com.brannock.p000", change.Labels, everywhere, `{"de":"Uhr","de-AT":"Wecker","en":"Clock"}`),
		w.edit("com.brannock.p001", change.Labels, everywhere, `{"de-AT":"Kasten"}`), w.edit("com.brannock.p002", change.Labels, everywhere, `{"en":"Notes"}`))
	got, err := w.LabelsIn(w.ctx, "de", []string{"com.brannock.p000", "com.brannock.p001", "com.brannock.p002", "com.nothing"})
	if err != nil || fmt.Sprint(got) != "map[com.brannock.p000:Uhr com.brannock.p001:Kasten]" {
		t.Errorf("%v, %v", got, err)
	}
}
