package catalog

import (
	"reflect"
	"slices"
	"testing"
)

func TestCompare(t *testing.T) {
	before := []Shipped{
		{Name: "a.same", VersionCode: 1, VersionName: "1", Requests: []string{"x", "y"}},
		{Name: "a.gone"},
		{Name: "a.changed", VersionCode: 1, VersionName: "1.0", Path: "/system/app/A", Requests: []string{"x", "y"}, Uses: []string{"l"}},
	}
	after := []Shipped{
		{Name: "a.changed", VersionCode: 2, VersionName: "1.1", Path: "/product/app/A", Privileged: true, SwitchedOff: true, Requests: []string{"y", "z"}, Provides: []string{"p"}},
		{Name: "a.new"},
		{Name: "a.same", VersionCode: 1, VersionName: "1", Requests: []string{"y", "x"}},
	}
	want := Comparison{Gone: []string{"a.gone"}, New: []string{"a.new"}, Renamed: []Renamed{}, Changed: []Changed{{"a.changed", []Difference{
		{"version", "1.0 (1)", "1.1 (2)"}, {"path", "/system/app/A", "/product/app/A"}, {"privilege", "not privileged", "privileged"},
		{"state", "switched on", "not switched on"}, {"permissions", "x", "z"}, {"libraries provided", "", "p"}, {"libraries used", "l", ""},
	}}}}
	if got := Compare(before, after); !reflect.DeepEqual(got, want) {
		t.Errorf("got  %+v\nwant %+v", got, want)
	}
	if !Compare(before, slices.Clone(before)).Empty() {
		t.Error("a build differs from itself")
	}
	back := Compare(after, before)
	if !reflect.DeepEqual(back.Gone, want.New) || !reflect.DeepEqual(back.New, want.Gone) || len(back.Changed) != 1 {
		t.Errorf("the other way round: %+v", back)
	}
}

// TestArrived sums a comparison up, renamed packages apart.
func TestArrived(t *testing.T) {
	before := []Shipped{{Name: "a.old", VersionName: "1", Provides: []string{"lib"}}, {Name: "a.gone", VersionName: "1", Signer: "x"}, {Name: "a.v", VersionCode: 1, VersionName: "1", Signer: "x"}, {Name: "a.c", VersionName: "1", Signer: "x", Partition: "system", Path: "/system/app/C"}}
	after := []Shipped{{Name: "a.new", VersionName: "1", Provides: []string{"lib"}}, {Name: "a.fresh", VersionName: "1", Signer: "y"}, {Name: "a.v", VersionCode: 2, VersionName: "2", Signer: "x"}, {Name: "a.c", VersionName: "1", Signer: "x", Partition: "product", Path: "/product/app/C", Origin: Partner}}
	c := Compare(before, after)
	if len(c.Gone) != 2 || len(c.New) != 2 {
		t.Fatalf("%+v", c)
	}
	c.Pair(before, after, nil)
	a := Arrived(c)
	if !reflect.DeepEqual(a.Gone, []string{"a.gone"}) || !reflect.DeepEqual(a.New, []string{"a.fresh"}) || len(a.Renamed) != 1 || a.Changed != 2 || a.Versions != 1 {
		t.Errorf("%+v", a)
	}
	// A package that moved to another partition has moved once, not twice.
	if !reflect.DeepEqual(c.Changed[0].What, []Difference{{"partition", "system", "product"}, {"origin", "", "partner"}}) {
		t.Errorf("%+v", c.Changed[0])
	}
	for want, got := range map[string]string{
		"1 package is new, 6 that were off came back, 1 is gone, 1 has another name, 1 changed in more than its version": a.Words(6),
		"2 packages that were off came back": Arrival{}.Words(2),
		"nothing but versions changed":       Arrival{Changed: 3, Versions: 3}.Words(0),
	} {
		if got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

// TestCompareBare compares with packages of which only a list told: what was
// not told is no difference.
func TestCompareBare(t *testing.T) {
	full := Shipped{Name: "a.b", VersionCode: 7, VersionName: "7", Path: "/system/app/B", StartsAtBoot: true, Signer: "1a", Requests: []string{"x"}}
	for _, c := range []struct {
		bare Shipped
		want []Difference
	}{
		{Shipped{Name: "a.b"}, nil},
		{Shipped{Name: "a.b", VersionCode: 7, Path: "/system/app/B"}, nil},
		{Shipped{Name: "a.b", VersionCode: 8, Path: "/product/app/B"}, []Difference{{"version", "7", "8"}, {"path", "/system/app/B", "/product/app/B"}}},
	} {
		got := Compare([]Shipped{full}, []Shipped{c.bare})
		if len(c.want) == 0 && !got.Empty() || len(c.want) > 0 && (len(got.Changed) != 1 || !reflect.DeepEqual(got.Changed[0].What, c.want)) {
			t.Errorf("%+v: %+v", c.bare, got)
		}
	}
}
