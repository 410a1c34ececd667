package android

import (
	"math"
	"slices"
	"strings"
	"testing"
)

// measured is what a phone says to MeasureQuestion, with a maker's own lines between.
const measured = `--measure-0
5025.31 18230.11
--measure-1
brannock/lyra/l5:15/A/1:user/release-keys
--measure-2
--------- beginning of events
11-29 00:00:00.000  1234  1245 I boot_progress_enable_screen: 31999
11-29 10:00:00.000  1234  1245 I boot_progress_enable_screen: 24531
--measure-3
MemTotal:        3812340 kB
MemFree:          112340 kB
MemAvailable:    1612340 kB
VendorPool:        99999 kB
--measure-4
Filesystem     1K-blocks     Used Available Use% Mounted on
/dev/block/dm-9 112345678 31142222 81203456  28% /data
--measure-5
Filesystem     1K-blocks     Used Available Use% Mounted on
/dev/block/dm-0   2345678  2345000      678 100% /
--measure-6
Current Battery Service state:
  AC powered: false
  USB powered: true
--measure-7
  mWakefulness=Dozing
--measure-8
NAME
init
dex2oat64
--measure-9
time,5025310,5025310
proc,native,init,1,2310,0,e
proc,cached,com.maker.feed,2001,61000,0,e
proc,cached,com.maker.feed:remote,2002,1000,0,e
proc,fore,org.owner.chess,2003,90000,0,a
proc,cached,$(reboot),2004,7,0,e
proc,cached,com.maker.bad,2005,many,0,e
lostram,90112
--measure-10
  * ServiceRecord{4f2a u0 com.maker.feed/.Sync}
    intent={cmp=com.maker.feed/.Sync}
--measure-11
  Alarm Stats:
  1000:android +2m4s211ms running, 4 wakeups:
  u0a77:com.maker.feed +4s120ms running, 12 wakeups:
    +1s20ms 12 wakes 12 alarms: *walarm*:com.maker.feed/.SYNC
--measure-12
Registered 2 jobs:
  JOB #u0a77/7: 3f2a1b com.maker.feed/.Later
    u0a77 tag=*job*/com.maker.feed/.Later
  JOB #u0a90/8: 3f2a1b org.owner.chess/.Daily
--measure-13
9,0,i,vers,36,214,A,B
9,0,i,uid,10077,com.maker.feed
9,0,i,uid,10078,com.maker.one
9,0,i,uid,10078,com.maker.two
9,0,l,bt,3,7200000,7000000,9999999,9999999
9,10077,l,cpu,3000,500,12
9,10077,l,nt,1,20,300,4000,5,6,7,8
9,10077,c,cpu,9999999,0,0
9,10078,l,cpu,88,88,88
9,10079,l,cpu,-5,1,1
--measure-14
Package Names: ["com.maker.feed","org.owner.chess","$(reboot)"]
App Sizes: [1000,5,6]
App Data Sizes: [200,7,8]
Cache Sizes: [30,-1,9]
--measure-15
package:com.maker.feed
package:com.maker.still
--measure-16
package:org.owner.chess
package:org.owner.other
--measure-end
`

func TestReadMeasurement(t *testing.T) {
	m := ReadMeasurement(strings.ReplaceAll(measured, "\n", "\r\n"))
	feed := m.Uses["com.maker.feed"]
	if m.StartTook != 24.531 || m.Fingerprint != "brannock/lyra/l5:15/A/1:user/release-keys" ||
		m.OnBattery != 7200 || m.SystemFree != 678<<10 || m.Busy != "yes" || m.Jobs != 2 {
		t.Errorf("%+v", m)
	}
	if m.Uptime != 5025.31 || m.MemTotal != 3812340<<10 || m.MemAvailable != 1612340<<10 || m.DataFree != 81203456<<10 ||
		m.Plugged != "yes" || m.Screen != "off" ||
		m.Processes != 5 || m.Services != 1 || m.Wakeups != 16 || len(m.Missing) != 0 {
		t.Errorf("%+v", m)
	}
	if feed != (Use{Memory: 62000 << 10, Processes: 2, Services: 1, Jobs: 1, Wakeups: 12, Processor: 3500, Traffic: 4321, Room: 1230}) {
		t.Errorf("%+v", feed)
	}
	if _, named := m.Uses["org.owner.chess"]; named || m.Owner != (Use{Memory: 90000 << 10, Processes: 1, Jobs: 1, Room: 12}) || len(m.Uses) != 3 {
		t.Errorf("%+v, %+v", m.Uses, m.Owner)
	}
	if still, known := m.Uses["com.maker.still"]; !known || still != (Use{}) {
		t.Error("what is switched on and uses nothing is not known to")
	}
	none := ReadMeasurement(strings.ReplaceAll(measured, "package:org", "Error: java.lang.SecurityException package:org"))
	if len(none.Uses) != 0 || !slices.Contains(none.Missing, "pm list packages -3") {
		t.Errorf("an owner's apps are kept by name: %+v", none.Uses)
	}
	up, old := ReadSettling("61.2 120.4\nMemTotal:       1000 kB\nMemFree:        10 kB\nCached:         20 kB\n")
	if up != 61.2 || old != 30<<10 {
		t.Errorf("%v, %d", up, old)
	}
}

// TestCheck turns down what no phone can say, and nothing that one did.
func TestCheck(t *testing.T) {
	good := ReadMeasurement(measured)
	good.ReadOpenings(openingsOf)
	if err := good.Check(); err != nil {
		t.Error(err)
	}
	for what, change := range map[string]func(*Measurement){
		"a time before it started": func(m *Measurement) { m.Uptime = -1 },
		"no time":                  func(m *Measurement) { m.StartTook = math.NaN() },
		"less than no memory":      func(m *Measurement) { m.MemAvailable = -1 },
		"more than all processes":  func(m *Measurement) { m.Processes = 1 << 40 },
		"a sum below 0":            func(m *Measurement) { m.Owner.Traffic = -4 },
		"no package":               func(m *Measurement) { m.Uses = map[PackageName]Use{"$(reboot)": {}} },
		"a package below 0":        func(m *Measurement) { m.Uses = map[PackageName]Use{"a.b": {Wakeups: -1}} },
		"another screen":           func(m *Measurement) { m.Openings = map[string]Opening{"<b>": {}} },
		"a long word":              func(m *Measurement) { m.Missing = []string{strings.Repeat("x", 101)} },
		"too much":                 func(m *Measurement) { m.Missing = make([]string, 100) },
	} {
		m := good
		change(&m)
		if m.Check() == nil {
			t.Errorf("%s passes", what)
		}
	}
}

// TestMissing reads what a phone without half of it says: that is missing, and not
// nothing.
func TestMissing(t *testing.T) {
	m := ReadMeasurement("--measure-0\n12.5 3\n--measure-13\n9,0,l,bt,0,many,1\n" +
		"--measure-14\nPackage Names: [\"a.b\"]\nApp Sizes: [1,2]\n--measure-15\nUnknown option -e\n")
	for _, asks := range []string{AsksStart, AsksMemory, AsksData, AsksSystem, AsksProcesses, AsksServices, AsksAlarms, AsksJobs, AsksBattery, AsksRoom} {
		if !slices.Contains(m.Missing, asks) {
			t.Errorf("%s is not missing: %+v", asks, m)
		}
	}
	if m.Uptime != 12.5 || slices.Contains(m.Missing, AsksUptime) {
		t.Errorf("%+v", m)
	}
}

const openingsOf = `--opening-home
Starting: Intent { act=android.intent.action.MAIN cat=[android.intent.category.HOME] }
Status: ok
Activity: com.maker.home/.Home
TotalTime: 310
WaitTime: 320
Complete
--opening-home
Status: ok
Activity: com.maker.home/.Home
TotalTime: 290
--opening-home
Status: ok
Activity: com.maker.home/.Home
TotalTime: 900
--opening-camera
Status: ok
TotalTime: 800
--opening-camera
Status: timeout
--opening-camera
Error: Activity not started, unable to resolve Intent
--opening-elsewhere
Status: ok
TotalTime: 1
--opening-drawn
** Graphics info for pid 17 [com.maker.home] **
Total frames rendered: 240
Janky frames: 12 (5.00%)
** Graphics info for pid 18 [com.maker.other] **
Total frames rendered: 9
Janky frames: 9 (100.00%)
`

func TestReadOpenings(t *testing.T) {
	var m Measurement
	m.ReadOpenings(strings.ReplaceAll(openingsOf, "\n", "\r\n"))
	if len(m.Openings) != 1 || m.Openings["home"] != (Opening{310, 240, 12}) || len(m.Missing) != 0 {
		t.Errorf("%+v", m)
	}
	var locked Measurement
	if locked.ReadOpenings("--opening-home\nStatus: timeout\n"); len(locked.Openings) != 0 || !slices.Contains(locked.Missing, AsksOpenings) {
		t.Errorf("%+v", locked)
	}
}

// FuzzReadMeasurement has a phone say anything.
func FuzzReadMeasurement(f *testing.F) {
	f.Add(measured)
	f.Add(openingsOf)
	f.Add("--measure-0\n1e309 2\n--measure-9\nproc,a,b,c,99999999999999999999,0\n--measure-99\n--measure-x\n")
	f.Fuzz(func(t *testing.T, answer string) {
		m := ReadMeasurement(answer)
		m.ReadOpenings(answer)
		if m.Uptime < 0 || m.MemAvailable < 0 || m.DataFree < 0 || m.SystemFree < 0 || m.StartTook < 0 || m.OnBattery < 0 ||
			len(m.Uses) > maxUses || len(m.Missing) > len(measuring)+1 || len(m.Openings) > len(everyday) {
			t.Errorf("%+v", m)
		}
		_ = m.Check() // which has to bear it, whatever it says
		for name, u := range m.Uses {
			if !name.Valid() || u.Memory < 0 || u.Wakeups < 0 || u.Processor < 0 || u.Traffic < 0 || u.Room < 0 {
				t.Errorf("%q: %+v", name, u)
			}
		}
	})
}
