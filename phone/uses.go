package phone

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"
)

// A stand-in's memory in kB: all of it, and what the system has without any app.
const (
	memTotal = 5_812_340
	memBase  = 1_460_000
)

// clock is how much faster a stand-in's time goes than ours: it restarts in seconds,
// and has been up for long soon.
const clock = 300

// up is for how long the phone has been up, in its own time. The lock is held.
func (p *Phone) up() time.Duration { return p.passed + clock*time.Since(p.started) }

// runs reports whether something of a package runs by itself. Its lock is held.
func (a *app) runs() bool {
	on := a.first().installed && a.first().enabled <= 1
	return on && (a.Boot || a.Persistent || a.Memory > 0) && a.noise.modes["RUN_ANY_IN_BACKGROUND"] != "ignore"
}

// memory is what a package's processes take while they run, in kB: what its spec
// says, else a few MB that are always the same, and of a start's own a little more
// or less. The lock is held.
func (p *Phone) memory(a *app) int64 {
	kb := int64(a.Memory) << 10
	if kb == 0 {
		kb = 3<<10 + int64(hashOf(a.Name)%14)<<10
	}
	return kb + kb*p.wobble(a.Name, 60)/1000
}

// wobble is between -most and most, always the same for a start of the phone and a
// word: no two measurements of a phone are alike.
func (p *Phone) wobble(word string, most int64) int64 {
	h := hashOf(p.scenario.Serial + p.settings["global"]["boot_count"] + word)
	// Words that differ in one letter have hashes that do so little: mixed as murmur3
	// ends, they have nothing to do with each other.
	h = (h ^ h>>16) * 0x85ebca6b
	h = (h ^ h>>13) * 0xc2b2ae35
	h ^= h >> 16
	return int64(h%uint32(2*most+1)) - most
}

// Pass lets time pass on the phone, as when it lies there for a while.
func (p *Phone) Pass(d time.Duration) {
	p.mu.Lock()
	p.passed += d
	p.mu.Unlock()
}

// wakeups are how often alarms of a package woke the phone since it started. The
// lock is held.
func (p *Phone) wakeups(a *app) int {
	return int(math.Round(a.Wakeups * p.up().Hours() * (1 + float64(p.wobble("wakes"+a.Name, 100))/1000)))
}

// startTook is how long the phone's last start took: what starts with it makes it
// wait, the longer the larger it is. The lock is held.
func (p *Phone) startTook() time.Duration {
	ms := 21_000 + p.wobble("start", 350)
	for _, a := range p.packages {
		if a.runs() && a.Boot {
			ms += 60 + 10*int64(a.Memory)
		}
	}
	return time.Duration(ms) * time.Millisecond
}

// used are the processor time and the traffic of a package since the phone was last
// full, on its battery: each time that it wakes it computes, and asks the network
// where it may. The lock is held.
func (p *Phone) used(a *app) (processor time.Duration, bytes int64) {
	hours := p.onBattery().Hours() * (1 + float64(p.wobble("used"+a.Name, 150))/1000)
	processor = time.Duration(float64(500*time.Millisecond) * (1 + 1.8*a.Wakeups) * hours)
	if slices.Contains(a.Asks, "INTERNET") {
		bytes = int64(120_000 * a.Wakeups * hours)
	}
	return processor, bytes
}

// onBattery is the time since the phone was last full. The lock is held.
func (p *Phone) onBattery() time.Duration { return p.up() / 2 }

// proc answers cat for what every user may read.
func (p *Phone) proc(c *command) byte {
	if len(c.args) == 0 && c.in != nil {
		io.Copy(c.out, c.in) // what fails is the end of it
		return 0
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, name := range c.args {
		switch name {
		case "/proc/uptime":
			up := p.up().Seconds()
			c.print("%.2f %.2f\n", up, 3*up)
		case "/proc/meminfo":
			free := int64(memTotal-memBase) + p.wobble("memory", 24_000)
			for _, a := range p.packages {
				if a.runs() {
					free -= p.memory(a)
				}
			}
			c.print("MemTotal:        %d kB\nMemFree:          %d kB\nMemAvailable:    %d kB\n", memTotal, free/6, free)
			c.print("Buffers:            5120 kB\nCached:          812340 kB\n")
		default:
			return c.fail(1, "cat: %s: Permission denied", name)
		}
	}
	return 0
}

// The dumps of what runs and of the state in which a phone is. The lock is held.

func (p *Phone) dumpBattery(w *bufio.Writer, _ []string) {
	fmt.Fprintf(w, "Current Battery Service state:\n  AC powered: false\n  USB powered: %t\n  Wireless powered: false\n  level: 84\n", p.plugged)
}

func (p *Phone) dumpPower(w *bufio.Writer, _ []string) {
	state := "Asleep"
	if p.awake {
		state = "Awake"
	}
	fmt.Fprintf(w, "POWER MANAGER (dumpsys power)\n\nPower Manager State:\n  mWakefulness=%s\n  mIsPowered=%t\n", state, p.plugged)
}

func (p *Phone) dumpMemory(w *bufio.Writer, _ []string) {
	now := p.up().Milliseconds()
	fmt.Fprintf(w, "time,%d,%d\nproc,native,init,1,2310,0,e\nproc,sys,system,1412,310220,0,e\n", now, now)
	for i, a := range p.packages {
		if a.runs() {
			fmt.Fprintf(w, "proc,cached,%s,%d,%d,0,e\n", a.Name, 2000+i, p.memory(a))
		}
	}
	fmt.Fprintf(w, "lostram,90112\nram,%d,%d,%d\n", memTotal, memTotal/3, memTotal/2)
}

func (p *Phone) dumpActivity(w *bufio.Writer, _ []string) {
	w.WriteString("ACTIVITY MANAGER SERVICES (dumpsys activity services)\n  User 0 active services:\n")
	for _, a := range p.packages {
		if a.runs() && (a.Boot || a.Persistent) {
			fmt.Fprintf(w, "  * ServiceRecord{%07x u0 %s/.Service}\n    intent={cmp=%s/.Service}\n", hashOf(a.Name)&0xfffffff, a.Name, a.Name)
		}
	}
}

func (p *Phone) dumpAlarms(w *bufio.Writer, _ []string) {
	fmt.Fprintf(w, "Current Alarm Manager state:\n\n  Alarm Stats:\n  1000:android +2m4s211ms running, %d wakeups:\n", int(p.up().Hours()*4))
	for _, a := range p.packages {
		if n := p.wakeups(a); a.runs() && n > 0 {
			fmt.Fprintf(w, "  u0a%d:%s +%ds120ms running, %d wakeups:\n", a.uid-10000, a.Name, n, n)
			fmt.Fprintf(w, "    +1s20ms %d wakes %d alarms: *walarm*:%s/.SYNC\n", n, n, a.Name)
		}
	}
}

func (p *Phone) dumpJobs(w *bufio.Writer, _ []string) {
	var list strings.Builder
	n := 0
	for _, a := range p.packages {
		if a.runs() && a.Wakeups > 0 {
			n++
			fmt.Fprintf(&list, "  JOB #u0a%d/%d: %07x %s/.SyncJob\n", a.uid-10000, n, hashOf(a.Name)&0xfffffff, a.Name)
			fmt.Fprintf(&list, "    u0a%d tag=*job*/%s/.SyncJob\n", a.uid-10000, a.Name)
		}
	}
	fmt.Fprintf(w, "Settings:\n  min_ready_non_active_jobs_count=5\n\nRegistered %d jobs:\n%s", n, list.String())
}

func (p *Phone) dumpBatteryStats(w *bufio.Writer, _ []string) {
	ms := p.onBattery().Milliseconds()
	w.WriteString("9,0,i,vers,36,214,A,B\n")
	for _, a := range p.packages {
		fmt.Fprintf(w, "9,0,i,uid,%d,%s\n", a.uid, a.Name)
	}
	fmt.Fprintf(w, "9,0,l,bt,3,%d,%d,%d,%d,0,0\n", ms, ms*9/10, 2*ms, 2*ms)
	for _, a := range p.packages {
		if processor, bytes := p.used(a); a.runs() {
			fmt.Fprintf(w, "9,%d,l,cpu,%d,%d,0\n", a.uid, processor.Milliseconds()*3/4, processor.Milliseconds()/4)
			fmt.Fprintf(w, "9,%d,l,nt,0,0,%d,%d,0,0,12,9,0,0\n", a.uid, bytes*9/10, bytes/10)
		}
	}
}

func (p *Phone) dumpDrawn(w *bufio.Writer, _ []string) {
	w.WriteString("Applications Graphics Acceleration Info:\nUptime: 5025310 Realtime: 5025310\n\n")
	for i, a := range p.drew {
		const drawn = 240
		late := 9 + p.pressure()/12 + p.wobble("late"+a.Name, 2)
		fmt.Fprintf(w, "** Graphics info for pid %d [%s] **\n\nStats since: 5025310ns\n", 3000+i, a.Name)
		fmt.Fprintf(w, "Total frames rendered: %d\nJanky frames: %d (%.2f%%)\n\n", drawn, late, 100*float64(late)/drawn)
	}
}
