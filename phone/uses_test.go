package phone_test

import (
	"testing"
	"time"

	"roster/core/android"
	"roster/phone"
)

// TestUses measures a stand-in: what it uses is its packages', and less when some are
// taken off; two starts are never quite alike.
func TestUses(t *testing.T) {
	for _, root := range []string{"", "adbd"} {
		p := rootedPhone(t, func(s *phone.Scenario) { s.Root = root })
		measure := func() android.Measurement {
			p.Pass(2 * time.Hour)
			m := android.ReadMeasurement(string(p.Ask(t.Context(), android.MeasureQuestion())))
			m.ReadOpenings(string(p.Ask(t.Context(), android.OpeningsQuestion())))
			return m
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
		if feed.Wakeups < 10 || feed.Processor == 0 || feed.Traffic == 0 || feed.Room == 0 || feed.Jobs != 1 {
			t.Errorf("%+v", feed)
		}
		if len(before.Openings) != 4 || before.Openings["camera"].Took < 500 || before.Openings["home"].Frames == 0 {
			t.Errorf("%+v", before.Openings)
		}
		p.Ask(t.Context(), "pm uninstall --user 0 com.brannock.feed.daily")
		after := measure()
		if gained := after.MemAvailable - before.MemAvailable; gained != feed.Memory || after.Processes != before.Processes-1 {
			t.Errorf("%d bytes of %d, %d of %d processes", gained, feed.Memory, after.Processes, before.Processes)
		}
		p.Restart()
		if again := measure(); again.MemAvailable == after.MemAvailable || again.Uptime > after.Uptime {
			t.Errorf("%+v", again)
		}
	}
}
