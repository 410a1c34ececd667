package android

import (
	"slices"
	"strings"
	"testing"
)

// measured is what a phone says to MeasureQuestion, with a maker's own lines between.
const measured = `--measure-0
5025.31 18230.11
--measure-1
MemTotal:        3812340 kB
MemFree:          112340 kB
MemAvailable:    1612340 kB
VendorPool:        99999 kB
--measure-2
Filesystem     1K-blocks     Used Available Use% Mounted on
/dev/block/dm-9 112345678 31142222 81203456  28% /data
--measure-3
Current Battery Service state:
  AC powered: false
  USB powered: true
--measure-4
  mWakefulness=Dozing
--measure-5
time,5025310,5025310
proc,native,init,1,2310,0,e
proc,cached,com.maker.feed,2001,61000,0,e
proc,cached,com.maker.feed:remote,2002,1000,0,e
proc,fore,org.owner.chess,2003,90000,0,a
proc,cached,$(reboot),2004,7,0,e
proc,cached,com.maker.bad,2005,many,0,e
lostram,90112
--measure-6
  * ServiceRecord{4f2a u0 com.maker.feed/.Sync}
    intent={cmp=com.maker.feed/.Sync}
--measure-7
  Alarm Stats:
  1000:android +2m4s211ms running, 4 wakeups:
  u0a77:com.maker.feed +4s120ms running, 12 wakeups:
    +1s20ms 12 wakes 12 alarms: *walarm*:com.maker.feed/.SYNC
--measure-8
package:org.owner.chess
package:org.owner.other
--measure-end
`

func TestReadMeasurement(t *testing.T) {
	m := ReadMeasurement(strings.ReplaceAll(measured, "\n", "\r\n"))
	feed := m.Uses["com.maker.feed"]
	if m.Uptime != 5025.31 || m.MemTotal != 3812340<<10 || m.MemAvailable != 1612340<<10 || m.DataFree != 81203456<<10 ||
		m.Plugged != "yes" || m.Screen != "off" ||
		m.Processes != 5 || m.Services != 1 || m.Wakeups != 16 || len(m.Missing) != 0 {
		t.Errorf("%+v", m)
	}
	if feed != (Use{62000 << 10, 2, 1, 12}) {
		t.Errorf("%+v", feed)
	}
	if _, named := m.Uses["org.owner.chess"]; named || m.Owner.Memory != 90000<<10 || len(m.Uses) != 2 {
		t.Errorf("%+v, %+v", m.Uses, m.Owner)
	}
	none := ReadMeasurement(strings.ReplaceAll(measured, "package:org", "Error: java.lang.SecurityException package:org"))
	if len(none.Uses) != 0 || !slices.Contains(none.Missing, "pm list packages -3") {
		t.Errorf("an owner's apps are kept by name: %+v", none.Uses)
	}
	if old := ReadMemory("MemTotal:       1000 kB\nMemFree:        10 kB\nCached:         20 kB\n"); old != 30<<10 {
		t.Errorf("%d", old)
	}
}

// FuzzReadMeasurement has a phone say anything.
func FuzzReadMeasurement(f *testing.F) {
	f.Add(measured)
	f.Add("--measure-0\n1e309 2\n--measure-5\nproc,a,b,c,99999999999999999999,0\n--measure-99\n--measure-x\n")
	f.Fuzz(func(t *testing.T, answer string) {
		m := ReadMeasurement(answer)
		if m.Uptime < 0 || m.MemAvailable < 0 || m.DataFree < 0 || len(m.Uses) > maxUses || len(m.Missing) > len(measuring) {
			t.Errorf("%+v", m)
		}
		for name, u := range m.Uses {
			if !name.Valid() || u.Memory < 0 || u.Wakeups < 0 {
				t.Errorf("%q: %+v", name, u)
			}
		}
	})
}
