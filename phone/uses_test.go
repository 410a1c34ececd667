package phone_test

import (
	"testing"

	"roster/core/android"
	"roster/phone"
)

// TestUses measures a stand-in: what it uses is its packages', and less when some are
// taken off; two starts are never quite alike.
func TestUses(t *testing.T) {
	for _, root := range []string{"", "adbd"} {
		p := rootedPhone(t, func(s *phone.Scenario) { s.Root = root })
		measure := func() android.Measurement {
			return android.ReadMeasurement(string(p.Ask(t.Context(), android.MeasureQuestion())))
		}
		before := measure()
		if len(before.Missing) != 0 || before.MemAvailable == 0 || before.Processes < 20 || before.Services == 0 ||
			before.Screen != "off" || before.Plugged != "yes" {
			t.Fatalf("%+v", before)
		}
		feed := before.Uses["com.brannock.feed.daily"]
		if feed.Memory < 40<<20 || feed.Processes != 1 {
			t.Errorf("%+v", feed)
		}
		p.Ask(t.Context(), "pm uninstall --user 0 com.brannock.feed.daily")
		after := measure()
		if gained := after.MemAvailable - before.MemAvailable; gained != feed.Memory || after.Processes != before.Processes-1 {
			t.Errorf("%d bytes of %d, %d of %d processes", gained, feed.Memory, after.Processes, before.Processes)
		}
		p.Restart()
		if again := measure(); again.MemAvailable == after.MemAvailable || again.Uptime > before.Uptime {
			t.Errorf("%+v", again)
		}
	}
}
