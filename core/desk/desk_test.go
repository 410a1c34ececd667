package desk

import (
	"math"
	"slices"
	"strings"
	"testing"
	"time"
)

var now = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func ago(days float64) time.Time {
	return now.Add(-time.Duration(days * 24 * float64(time.Hour)))
}

// TestOrder holds the order to what waiting can do: what is worse stands above
// what is older, and of one kind what more people meet.
func TestOrder(t *testing.T) {
	lines := []Line{
		{Key: "news", Kind: Told, Since: ago(90)},
		{Key: "old change", Kind: Change, Since: ago(20)},
		{Key: "new change", Kind: Change, Since: ago(1)},
		{Key: "change of a release", Kind: Change, Since: ago(1), Weighs: 1.5, Affected: 7, Whom: "7 phones that ran it"},
		{Key: "stops, nobody ran it", Kind: ReleaseStops, Since: ago(0)},
		{Key: "stops, fourteen ran it", Kind: ReleaseStops, Since: ago(0), Affected: 14, Whom: "14 phones that ran it"},
		{Key: "behind", Kind: ReleaseBehind, Since: ago(3), Affected: 14},
	}
	Order(lines, now)
	var keys []string
	for _, l := range lines {
		keys = append(keys, l.Key)
	}
	want := []string{"stops, fourteen ran it", "behind", "stops, nobody ran it", "change of a release", "old change", "new change", "news"}
	if !slices.Equal(keys, want) {
		t.Errorf("%q, want %q", keys, want)
	}
	slices.Reverse(lines)
	Order(lines, now)
	if lines[0].Key != want[0] || lines[6].Key != want[6] {
		t.Error("the order depends on where they stood before")
	}
	if why := lines[0].Why; why != "whoever runs it loses something vital; 14 phones that ran it; since today" {
		t.Error(why)
	}
}

func TestWeigh(t *testing.T) {
	for _, c := range []struct {
		line Line
		want float64
		why  string
	}{
		{Line{Kind: ReleaseStops, Since: now}, 100, "since today"},
		{Line{Kind: ReleaseStops, Since: now, Affected: 15}, 200, "vital; since today"}, // fifteen double it
		{Line{Kind: ReleaseStops, Since: ago(28)}, 200, "for 28 days"},
		{Line{Kind: ReleaseStops, Since: ago(200)}, 200, "for 6 months"},
		{Line{Kind: Change, Since: ago(1), Weighs: 2}, 60 * (1 + 1.0/28), "since yesterday"},
		{Line{Kind: Change, Since: ago(-3)}, 30, "since today"}, // a clock that was set back
	} {
		u := c.line.Weigh(now)
		if math.Abs(u.Points-c.want) > 0.06 || math.Abs(u.Severity*u.Reach*u.Age-u.Points) > 0.06 || !strings.HasSuffix(u.Why, c.why) {
			t.Errorf("%+v: %+v, want %v", c.line, u, c.want)
		}
	}
	for kind := range severities {
		if !kind.Valid() || harms[kind] == "" {
			t.Errorf("%s has no words", kind)
		}
	}
	if len(harms) != len(severities) || Kind("").Valid() {
		t.Error("a kind without severity")
	}
}
