package catalog

import (
	"reflect"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
)

func TestApplying(t *testing.T) {
	all, maker, model, build := Scope{Everywhere, ""}, Scope{OfMaker, "k1"}, Scope{OfModel, "m1"}, Scope{OfBuild, "b1"}
	other := Scope{OfModel, "m2"}
	at := evidence.Firmware{Build: "b1", Model: "m1", Maker: "k1", Release: "14"}
	for _, c := range []struct {
		scopes []Scope
		at     evidence.Firmware
		want   int
		hidden []int
	}{
		{nil, at, -1, nil},
		{[]Scope{other}, at, -1, nil},
		{[]Scope{all}, at, 0, nil},
		{[]Scope{all, model, maker}, at, 1, []int{2, 0}},
		{[]Scope{build, all, other, maker, model}, at, 0, []int{4, 3, 1}},
		{[]Scope{maker, build}, evidence.Firmware{Maker: "k1"}, 0, nil},
	} {
		got, hidden := Applying(c.scopes, c.at)
		if got != c.want || !reflect.DeepEqual(hidden, c.hidden) {
			t.Errorf("%v: %d hiding %v, want %d hiding %v", c.scopes, got, hidden, c.want, c.hidden)
		}
	}
	for _, bad := range []Scope{{"planet", "x"}, {Everywhere, "x"}, {OfModel, ""}} {
		if bad.Check() == nil {
			t.Errorf("%+v was accepted", bad)
		}
	}
}

func TestGuessOrigin(t *testing.T) {
	phone := android.Identity{Manufacturer: "Brannock", Carrier: "Norrwave"}
	for _, c := range []struct {
		name, partition string
		system          bool
		want            Origin
	}{
		{"android", "system", true, Platform},
		{"com.android.settings", "system_ext", true, Platform},
		{"com.brannock.tips", "product", true, Maker},
		{"com.norrwave.selfcare", "product", true, Carrier},
		{"com.quarrystone.ims", "vendor", true, Silicon},
		{"app.basketree.shop", "product", true, Partner},
		{"org.tidewater.checkin", "data", false, Owner},
		{"org.tidewater.odd", "system", true, Unknown},
	} {
		got, why := GuessOrigin(android.Package{Name: android.PackageName(c.name), Partition: c.partition, System: c.system}, phone)
		if got != c.want || why == "" {
			t.Errorf("%s: %s (%s), want %s", c.name, got, why, c.want)
		}
	}
}
