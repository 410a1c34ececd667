package android

import (
	"regexp"
	"strconv"
	"strings"
)

// Measurement is what a phone uses at one moment, in its own words. What it did not
// tell is 0 there and stands in Missing: it is not known, and not nothing.
type Measurement struct {
	// Uptime is for how long it has been up, in seconds.
	Uptime float64 `json:"uptime"`
	// MemTotal and MemAvailable are its memory and what of it could be had, in
	// bytes; DataFree is the room on the data partition.
	MemTotal     int64 `json:"memTotal"`
	MemAvailable int64 `json:"memAvailable"`
	DataFree     int64 `json:"dataFree"`
	// Processes run, and so do Services.
	Processes int `json:"processes"`
	Services  int `json:"services"`
	// Wakeups are how often alarms woke it since it started.
	Wakeups int `json:"wakeups"`
	// Screen and Plugged are the state in which it was measured: on or off, yes or no.
	Screen  string `json:"screen" enum:"on,off,"`
	Plugged string `json:"plugged" enum:"yes,no,"`
	// Uses are what packages use that came with the phone, as it attributes it itself;
	// Owner is what all apps of its owner use together, whose names are not kept.
	Uses  map[PackageName]Use `json:"uses"`
	Owner Use                 `json:"owner"`
	// Missing are commands whose answers told nothing.
	Missing []string `json:"missing" nullable:"false"`
}

// Use is what a package uses: memory in bytes (its share of what is shared
// included), processes and services that run, and how often its alarms woke the
// phone.
type Use struct {
	Memory    int64 `json:"memory"`
	Processes int   `json:"processes"`
	Services  int   `json:"services"`
	Wakeups   int   `json:"wakeups"`
}

// measuring are the commands of a measurement, each with what reads its answer and
// reports whether that told anything.
var measuring = []struct {
	command string
	read    func(*Measurement, string) bool
}{
	{"cat /proc/uptime", (*Measurement).uptime},
	{"cat /proc/meminfo", (*Measurement).meminfo},
	{"df -k /data", (*Measurement).df},
	{"dumpsys battery", (*Measurement).battery},
	{"dumpsys power", (*Measurement).power},
	{"dumpsys meminfo -c", (*Measurement).processes},
	{"dumpsys activity services", (*Measurement).services},
	{"dumpsys alarm", (*Measurement).alarms},
	{"pm list packages -3", (*Measurement).owners}, // after all that names packages
}

// measureMark leads the answer to each command.
const measureMark = "--measure-"

// MeasureQuestion is the line that asks for a measurement. Its answer is for
// ReadMeasurement.
func MeasureQuestion() string {
	var b strings.Builder
	for i, m := range measuring {
		b.WriteString("echo " + measureMark + strconv.Itoa(i) + "; " + m.command + " 2>&1; ")
	}
	return b.String() + "echo " + measureMark + "end"
}

// MemoryQuestion is the line that asks for memory alone, to see whether a phone has
// settled.
const MemoryQuestion = "cat /proc/meminfo"

// ReadMemory is what of a phone's memory could be had, in bytes, 0 where it does not
// tell.
func ReadMemory(answer string) int64 {
	var m Measurement
	m.meminfo(answer)
	return m.MemAvailable
}

// maxUses bounds the packages of a measurement: no phone runs as many.
const maxUses = 5000

// ReadMeasurement reads the answer to MeasureQuestion, of any Android, language and
// maker: lines that it does not know are passed over.
func ReadMeasurement(answer string) Measurement {
	m := Measurement{Uses: map[PackageName]Use{}, Missing: []string{}}
	parts := make([]string, len(measuring))
	at := -1
	for line := range strings.Lines(answer) {
		if rest, ok := strings.CutPrefix(strings.TrimSpace(line), measureMark); ok {
			n, err := strconv.Atoi(rest)
			if at = -1; err == nil && n >= 0 && n < len(parts) {
				at = n
			}
			continue
		}
		if at >= 0 {
			parts[at] += line
		}
	}
	for i, one := range measuring {
		if !one.read(&m, parts[i]) {
			m.Missing = append(m.Missing, one.command)
		}
	}
	return m
}

// use changes what a package uses, where the name can be one.
func (m *Measurement) use(name string, change func(*Use)) {
	name, _, _ = strings.Cut(name, ":") // of a process of its own
	p, err := ParsePackageName(name)
	if _, known := m.Uses[p]; err != nil || !known && len(m.Uses) >= maxUses {
		return
	}
	u := m.Uses[p]
	change(&u)
	m.Uses[p] = u
}

func (m *Measurement) uptime(text string) bool {
	first, _, _ := strings.Cut(strings.TrimSpace(text), " ")
	v, err := strconv.ParseFloat(first, 64)
	if err != nil || !(v >= 0 && v < 1e10) {
		return false
	}
	m.Uptime = v
	return true
}

var memoryLine = regexp.MustCompile(`(?m)^(MemTotal|MemAvailable|MemFree|Cached):\s+(\d{1,15}) kB`)

// meminfo reads /proc/meminfo; kernels before 3.14 tell no MemAvailable, of which
// free and cached memory stand in.
func (m *Measurement) meminfo(text string) bool {
	kb := map[string]int64{}
	for _, found := range memoryLine.FindAllStringSubmatch(text, 10) {
		kb[found[1]], _ = strconv.ParseInt(found[2], 10, 64) // so many digits always fit
	}
	m.MemTotal, m.MemAvailable = kb["MemTotal"]<<10, kb["MemAvailable"]<<10
	if m.MemAvailable == 0 {
		m.MemAvailable = (kb["MemFree"] + kb["Cached"]) << 10
	}
	return m.MemTotal > 0 && m.MemAvailable > 0
}

var dataLine = regexp.MustCompile(`(?m)^\S+\s+\d+\s+\d+\s+(\d{1,15})\s+\d+%`)

func (m *Measurement) df(text string) bool {
	found := dataLine.FindStringSubmatch(text)
	if found == nil {
		return false
	}
	kib, _ := strconv.ParseInt(found[1], 10, 64) // so many digits always fit
	m.DataFree = kib << 10
	return true
}

var powered = regexp.MustCompile(`(?m)^\s*(?:AC|USB|Wireless|Dock) powered: (true|false)`)

func (m *Measurement) battery(text string) bool {
	for _, found := range powered.FindAllStringSubmatch(text, 10) {
		if found[1] == "true" {
			m.Plugged = "yes"
		} else if m.Plugged == "" {
			m.Plugged = "no"
		}
	}
	return m.Plugged != ""
}

var wakefulness = regexp.MustCompile(`mWakefulness=(\w+)`)

func (m *Measurement) power(text string) bool {
	found := wakefulness.FindStringSubmatch(text)
	switch {
	case found == nil:
	case found[1] == "Awake":
		m.Screen = "on"
	default:
		m.Screen = "off"
	}
	return m.Screen != ""
}

// processes reads dumpsys meminfo -c: lines of proc, a label, the process's name,
// its number and its memory in kB.
func (m *Measurement) processes(text string) bool {
	for line := range strings.Lines(text) {
		w := strings.Split(strings.TrimSpace(line), ",")
		if len(w) < 5 || w[0] != "proc" {
			continue
		}
		kb, err := strconv.ParseInt(w[4], 10, 40)
		if err != nil || kb < 0 {
			continue
		}
		m.Processes++
		m.use(w[2], func(u *Use) { u.Memory, u.Processes = u.Memory+kb<<10, u.Processes+1 })
	}
	return m.Processes > 0
}

var serviceRecord = regexp.MustCompile(`^\s*\* ServiceRecord\{\S+ \S+ ([^/\s]+)/`)

func (m *Measurement) services(text string) bool {
	for line := range strings.Lines(text) {
		if found := serviceRecord.FindStringSubmatch(line); found != nil {
			m.Services++
			m.use(found[1], func(u *Use) { u.Services++ })
		}
	}
	return m.Services > 0
}

// owners puts together what the apps use that did not come with the phone. Where it
// does not tell which these are, nothing is kept by name.
func (m *Measurement) owners(text string) bool {
	if strings.Contains(text, "Error") || strings.Contains(text, "not found") {
		clear(m.Uses)
		return false
	}
	for line := range strings.Lines(text) {
		name := PackageName(strings.TrimPrefix(strings.TrimSpace(line), "package:"))
		if u, ok := m.Uses[name]; ok {
			m.Owner.Memory, m.Owner.Processes = m.Owner.Memory+u.Memory, m.Owner.Processes+u.Processes
			m.Owner.Services, m.Owner.Wakeups = m.Owner.Services+u.Services, m.Owner.Wakeups+u.Wakeups
			delete(m.Uses, name)
		}
	}
	return true
}

var alarmStat = regexp.MustCompile(`^\s*[\w.]+:(\S+) \+\S+ running, (\d{1,9}) wakeups`)

// alarms reads the statistics at the end of dumpsys alarm.
func (m *Measurement) alarms(text string) bool {
	told := false
	for line := range strings.Lines(text) {
		if found := alarmStat.FindStringSubmatch(line); found != nil {
			n, _ := strconv.Atoi(found[2]) // so many digits always fit
			told = true
			m.Wakeups += n
			m.use(strings.TrimSuffix(found[1], ":"), func(u *Use) { u.Wakeups += n })
		}
	}
	return told
}
