package store_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"

	"roster/core/android"
	"roster/core/change"
	"roster/store"
)

func (w *world) take(c *android.Capture, phone string) store.CaptureSummary {
	w.t.Helper()
	sum, err := w.AddCapture(w.ctx, store.NewCapture{Capture: c, Phone: phone, Person: w.people["tech"].ID, Source: "bench"})
	if err != nil {
		w.t.Fatal(err)
	}
	return sum
}

func names(list []store.IntakePackage) string {
	var out []string
	for _, p := range list {
		out = append(out, p.Name[len("com.brannock."):])
	}
	return strings.Join(out, " ")
}

// TestIntake takes in a new firmware, a carrier's edition of it and a capture
// that contradicts the first.
func TestIntake(t *testing.T) {
	t.Parallel()
	w := newWorld(t) // 14.1.0 with p000 to p004
	w.accept("tech", w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose","conditions":[]}`))

	next := capture("14.1.2", 6)
	next.Packages = slices.Delete(next.Packages, 0, 1)
	next.Packages[1].Privileged = true
	next.Phone = android.PhoneFacts{LockCode: android.LockCodeSet, Roles: []android.Role{{Name: "HOME", Holders: []android.PackageName{"com.brannock.p001"}}}}
	first := w.take(next, "phone-2")
	in, err := w.Intake(w.ctx, first.ID)
	if err != nil {
		t.Fatal(err)
	}
	if !in.NewBuild || in.NewModel || in.NewMaker || in.Earlier != nil || in.Phone.LockCode != "set" || in.Phone.Roles[0].Holders[0] != "com.brannock.p001" {
		t.Errorf("%+v", in)
	}
	if in.Before == nil || in.Before.Version != "14.1.0" || fmt.Sprint(in.Before.Gone, in.Before.New) != "[com.brannock.p000] [com.brannock.p005]" || len(in.Before.Changed) != 4 {
		t.Fatalf("%+v", in.Before)
	}
	var what []string
	for _, d := range in.Before.Changed[1].What {
		what = append(what, d.What)
	}
	if fmt.Sprint(what) != "[version privilege]" {
		t.Errorf("%v", what)
	}
	if names(in.NeverSeen) != "p005" || names(in.Ungraded) != "p002 p003 p004 p005" || in.Ungraded[0].Origin != "maker" || in.Ungraded[0].OriginReason == "" || in.Unnamed != 5 {
		t.Errorf("never seen %s, ungraded %s, %d unnamed", names(in.NeverSeen), names(in.Ungraded), in.Unnamed)
	}

	sister := capture("14.1.2", 7)
	sister.Identity.Fingerprint, sister.Identity.Carrier = "b/p_nw/d:14/I/14.1.2:user/k", "Norrwave"
	in, err = w.Intake(w.ctx, w.take(sister, "phone-3").ID)
	if err != nil || in.Before != nil || len(in.Sisters) != 1 || fmt.Sprint(in.Sisters[0].New) != "[com.brannock.p000 com.brannock.p006]" {
		t.Errorf("%+v, %v", in, err)
	}

	// The same build again, from a phone that says otherwise: both are kept.
	again := capture("14.1.2", 6)
	again.Packages = slices.Delete(again.Packages, 0, 1)
	again.Packages[0].Path, again.Packages[0].Installed = "/system/app/P", false
	second := w.take(again, "phone-4")
	in, err = w.Intake(w.ctx, second.ID)
	if err != nil || second.Known || in.NewBuild || in.Earlier == nil || in.Earlier.ID != first.ID || len(in.Earlier.Changed) != 2 || len(in.NeverSeen) != 0 {
		t.Errorf("%+v, %v", in.Earlier, err)
	}
	if back, err := w.Intake(w.ctx, first.ID); err != nil || back.Earlier != nil {
		t.Errorf("the earlier capture was overwritten: %+v, %v", back.Earlier, err)
	}
}

// TestListsThenDump takes a firmware first from lists, then from a phone that
// tells all: the build keeps the fuller facts, and nothing contradicts.
func TestListsThenDump(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	lists := capture("14.7.1", 2)
	for i := range lists.Packages {
		p := &lists.Packages[i]
		*p = android.Package{Name: p.Name, Path: p.Path, Partition: p.Partition, System: true, Installed: true, Enabled: p.Enabled}
	}
	first := w.take(lists, "")
	full := capture("14.7.1", 2)
	full.Packages[0].Signer, full.Packages[0].StartsAtBoot = "1a", true
	second := w.take(full, "phone-2")
	in, err := w.Intake(w.ctx, second.ID)
	if err != nil || second.BuildID != first.BuildID || in.Earlier != nil {
		t.Errorf("%+v, %v", in.Earlier, err)
	}
	if in.Before == nil || len(in.Before.Changed) != 2 || in.Before.Changed[0].What[0].After != "14.7.1 (1)" {
		t.Errorf("the build kept the bare facts: %+v", in.Before)
	}
	// And the other way round nothing is lost.
	in, err = w.Intake(w.ctx, w.take(lists, "phone-3").ID)
	if err != nil || in.Earlier != nil || in.Before == nil || in.Before.Changed[0].What[0].After != "14.7.1 (1)" {
		t.Errorf("%+v, %v", in, err)
	}
}

// TestOriginOfMany learns from a second maker that a package is none's own.
func TestOriginOfMany(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	origin := func() string {
		p, err := w.Package(w.ctx, "net.nobody.thing")
		if err != nil {
			t.Fatal(err)
		}
		return p.Origin
	}
	for i, want := range []string{"unknown", "partner"} {
		c := capture(fmt.Sprintf("1%d.0.0", i), 1)
		c.Identity.Manufacturer, c.Identity.Device = fmt.Sprint("Maker", i), fmt.Sprint("device", i)
		c.Packages[0].Name, c.Packages[0].Path, c.Packages[0].Partition = "net.nobody.thing", "/system/app/T", "system"
		w.take(c, fmt.Sprint("phone", i))
		if got := origin(); got != want {
			t.Errorf("shipped by %d makers: %s, want %s", i+1, got, want)
		}
	}
}

func TestNames(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	sum := w.capture("14.1.0", "phone-9", 3)
	list, err := w.Unnamed(w.ctx, sum.ID)
	if err != nil || len(list) != 3 || list[0].VersionCode != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	w.accept("tech", w.edit("com.brannock.p001", change.Labels, everywhere, `{"de":"Geldtasche"}`))
	png := []byte("\x89PNG\r\n\x1a\n and so on")
	err = w.AddNames(w.ctx, []store.NewName{
		{Name: "com.brannock.p000", VersionCode: 1, Labels: map[string]string{"": "Tips", "de": "Tipps", "a b": "no language"}, Icon: png},
		{Name: "com.brannock.p001", VersionCode: 1, Labels: map[string]string{"de": "Tasche"}, Icon: []byte("<script>")},
		{Name: "com.brannock.p002", VersionCode: 1, Problem: "locked"},
		{Name: "a;reboot", Labels: map[string]string{"": "x"}}, {Name: "com.nobody.knows", Labels: map[string]string{"": "x"}},
	})
	if err != nil {
		t.Fatal(err)
	}
	if list, err := w.Unnamed(w.ctx, sum.ID); err != nil || len(list) != 0 {
		t.Errorf("read once, asked again: %+v, %v", list, err)
	}
	for name, want := range map[string]map[string]string{"com.brannock.p000": {"und": "Tips", "de": "Tipps"}, "com.brannock.p001": {"de": "Geldtasche"}} {
		p, err := w.Package(w.ctx, name)
		if err != nil {
			t.Fatal(err)
		}
		if got, _, err := w.LabelsOf(w.ctx, p.ID); err != nil || !maps.Equal(got, want) {
			t.Errorf("%s is called %v, want %v (%v)", name, got, want, err)
		}
	}
	if data, kind, err := w.Icon(w.ctx, "com.brannock.p000"); err != nil || kind != "image/png" || len(data) != len(png) {
		t.Errorf("%q, %v", kind, err)
	}
	if _, _, err := w.Icon(w.ctx, "com.brannock.p001"); err == nil {
		t.Error("what is no picture became one")
	}
}

// TestShippedCounts takes in firmware of several makers at once, in any order,
// then of each twice more at once with what the first had not, and holds the
// counts that packages carry to what is shipped.
func TestShippedCounts(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	for round, phones := range []int{1, 2} {
		var work sync.WaitGroup
		for n := range 12 {
			for phone := range phones {
				c := capture("1.0.0", 9)
				c.Identity = identity(n%3, n%2, 1+n/6, "14")
				if round == 0 {
					c.Packages = slices.Delete(c.Packages, n%5, n%5+1+n%3)
				}
				add := store.NewCapture{Capture: c, Phone: fmt.Sprint(round, n, phone), Person: w.people["tech"].ID, Source: "file"}
				work.Go(func() {
					if _, err := w.AddCapture(w.ctx, add); err != nil {
						t.Error(err)
					}
				})
			}
		}
		work.Wait()
	}
	const counted = `
		select string_agg(concat_ws(' ', p.name, %s), E'\n' order by p.name)
		from packages p
		left join (select s.package_id, sum(s.builds) as builds, max(s.newest) as newest,
				count(distinct d.maker_id) as makers, min(d.maker_id::text) as maker
			from (select b.model_id, x.package_id, count(*) as builds, max(b.first_seen) as newest
				from presence x join builds b on b.id = x.build_id group by 1, 2) s
			join models d on d.id = s.model_id
			group by 1) k on k.package_id = p.id`
	var got, want string
	err := w.Pool().QueryRow(w.ctx, fmt.Sprintf(counted, `p.builds, p.newest_build, p.makers, p.maker_id`)).Scan(&got)
	if err != nil {
		t.Fatal(err)
	}
	err = w.Pool().QueryRow(w.ctx, fmt.Sprintf(counted, `k.builds, k.newest, k.makers, case when k.makers = 1 then k.maker end`)).Scan(&want)
	if err != nil || got != want || strings.Count(want, "\n") < 8 {
		t.Errorf("%v: counted\n%s\nshipped\n%s", err, got, want)
	}
}
