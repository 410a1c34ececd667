package android

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Measurement is what a phone uses at one moment, in its own words. What it did not
// tell is 0 there and stands in Missing: it is not known, and not nothing.
type Measurement struct {
	// Fingerprint is that of its firmware.
	Fingerprint string `json:"fingerprint,omitempty"`
	// Uptime is for how long it has been up, StartTook how long it took to start, in
	// seconds. OnBattery is the time over which processor time and traffic are
	// counted: that without a charger since it was last full.
	Uptime    float64 `json:"uptime"`
	StartTook float64 `json:"startTook"`
	OnBattery float64 `json:"onBattery"`
	// MemTotal and MemAvailable are its memory and what of it could be had, in
	// bytes; DataFree and SystemFree are the room on the data partition and in the
	// image.
	MemTotal     int64 `json:"memTotal"`
	MemAvailable int64 `json:"memAvailable"`
	DataFree     int64 `json:"dataFree"`
	SystemFree   int64 `json:"systemFree"`
	// Processes run, and so do Services; Jobs wait for their turn.
	Processes int `json:"processes"`
	Services  int `json:"services"`
	Jobs      int `json:"jobs"`
	// Wakeups are how often alarms woke it since it started.
	Wakeups int `json:"wakeups"`
	// Openings are how long everyday screens took to open; none where it was not
	// asked, or does not let itself be asked.
	Openings map[string]Opening `json:"openings,omitempty"`
	// Screen and Plugged are the state in which it was measured: on or off, yes or
	// no. Busy is yes where it was installing or compiling something, and Unsettled
	// is true where its memory still moved.
	Screen    string `json:"screen" enum:"on,off,"`
	Plugged   string `json:"plugged" enum:"yes,no,"`
	Busy      string `json:"busy" enum:"yes,no,"`
	Unsettled bool   `json:"unsettled,omitempty"`
	// Uses are what packages use that came with the phone, as it attributes it itself;
	// Came is the sum of it, and Owner what all apps of its owner use together, whose
	// names are not kept.
	Uses  map[PackageName]Use `json:"uses,omitempty"`
	Came  Use                 `json:"came"`
	Owner Use                 `json:"owner"`
	// Missing are commands whose answers told nothing.
	Missing []string `json:"missing" nullable:"false"`
}

// Use is what a package uses: memory in bytes (its share of what is shared
// included), processes and services that run, jobs that wait, and how often its
// alarms woke the phone; on battery, processor time in milliseconds and traffic in
// bytes; and room on the phone in bytes.
type Use struct {
	Memory    int64 `json:"memory"`
	Processes int   `json:"processes"`
	Services  int   `json:"services"`
	Jobs      int   `json:"jobs"`
	Wakeups   int   `json:"wakeups"`
	Processor int64 `json:"processor"`
	Traffic   int64 `json:"traffic"`
	Room      int64 `json:"room"`
}

// Add adds what another one uses.
func (u *Use) Add(more Use) {
	u.Memory, u.Processor, u.Traffic, u.Room = u.Memory+more.Memory, u.Processor+more.Processor, u.Traffic+more.Traffic, u.Room+more.Room
	u.Processes, u.Services, u.Jobs, u.Wakeups = u.Processes+more.Processes, u.Services+more.Services, u.Jobs+more.Jobs, u.Wakeups+more.Wakeups
}

// The commands of a measurement whose answers figures are made of.
const (
	AsksUptime    = "cat /proc/uptime"
	AsksStart     = "logcat -b events -d -s boot_progress_enable_screen"
	AsksMemory    = "cat /proc/meminfo"
	AsksData      = "df -k /data"
	AsksSystem    = "df -k /system"
	AsksProcesses = "dumpsys meminfo -c"
	AsksServices  = "dumpsys activity services"
	AsksAlarms    = "dumpsys alarm"
	AsksJobs      = "dumpsys jobscheduler"
	AsksBattery   = "dumpsys batterystats -c"
	AsksRoom      = "dumpsys diskstats"
	AsksOwners    = "pm list packages -3"
	AsksOpenings  = "am start -W"
)

// measuring are the commands of a measurement, each with what reads its answer and
// reports whether that told anything.
var measuring = []struct {
	command string
	read    func(*Measurement, string) bool
}{
	{AsksUptime, (*Measurement).uptime},
	{"getprop ro.build.fingerprint", (*Measurement).firmware},
	{AsksStart, (*Measurement).start},
	{AsksMemory, (*Measurement).meminfo},
	{AsksData, func(m *Measurement, text string) bool { return df(&m.DataFree, text) }},
	{AsksSystem, func(m *Measurement, text string) bool { return df(&m.SystemFree, text) }},
	{"dumpsys battery", (*Measurement).battery},
	{"dumpsys power", (*Measurement).power},
	{"ps -A -o NAME", (*Measurement).busy},
	{AsksProcesses, (*Measurement).processes},
	{AsksServices, (*Measurement).services},
	{AsksAlarms, (*Measurement).alarms},
	{AsksJobs, (*Measurement).jobs},
	{AsksBattery, (*Measurement).batteryStats},
	{AsksRoom, (*Measurement).diskStats},
	{"pm list packages -s -e", (*Measurement).enabled}, // so that what uses nothing is known to
	{AsksOwners, (*Measurement).owners},                // after all that names packages
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

// SettlingQuestion is the line that asks what tells whether a phone has settled.
const SettlingQuestion = AsksUptime + "; " + AsksMemory

// ReadSettling is for how many seconds a phone has been up and what of its memory could
// be had, in bytes; each 0 where it does not tell.
func ReadSettling(answer string) (up float64, memory int64) {
	var m Measurement
	first, rest, _ := strings.Cut(answer, "\n")
	m.uptime(first)
	m.meminfo(rest)
	return m.Uptime, m.MemAvailable
}

// maxUses bounds the packages of a measurement: no phone runs as many.
const maxUses = 5000

// ReadMeasurement reads the answer to MeasureQuestion, of any Android, language and
// maker: lines that it does not know are passed over.
func ReadMeasurement(answer string) Measurement {
	m := Measurement{Uses: map[PackageName]Use{}, Missing: []string{}}
	parts := make([]string, len(measuring))
	// Each part is all that stands between its mark and the next.
	at, from, end := -1, 0, 0
	for line := range strings.Lines(answer) {
		if rest, ok := strings.CutPrefix(strings.TrimSpace(line), measureMark); ok {
			if at >= 0 {
				parts[at] = answer[from:end]
			}
			n, err := strconv.Atoi(rest)
			if at = -1; err == nil && n >= 0 && n < len(parts) {
				at, from = n, end+len(line)
			}
		}
		end += len(line)
	}
	if at >= 0 {
		parts[at] = answer[from:end]
	}
	for i, one := range measuring {
		if !one.read(&m, parts[i]) {
			m.Missing = append(m.Missing, one.command)
		}
	}
	for _, u := range m.Uses {
		m.Came.Add(u)
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

func (m *Measurement) firmware(text string) bool {
	m.Fingerprint = Printable(strings.TrimSpace(text), 200)
	return m.Fingerprint != ""
}

var startLine = regexp.MustCompile(`boot_progress_enable_screen: (\d{1,9})`)

// start reads when after the kernel the last start had its screen ready, of the log
// of events.
func (m *Measurement) start(text string) bool {
	found := startLine.FindAllStringSubmatch(text, -1)
	if found == nil {
		return false
	}
	ms, _ := strconv.Atoi(found[len(found)-1][1]) // so many digits always fit
	m.StartTook = float64(ms) / 1000
	return true
}

// busy looks for what compiles apps that were just installed.
func (m *Measurement) busy(text string) bool {
	if !strings.Contains(text, "init") {
		return false
	}
	m.Busy = "no"
	if strings.Contains(text, "dex2oat") {
		m.Busy = "yes"
	}
	return true
}

var memoryLine = regexp.MustCompile(`(?m)^(MemTotal|MemAvailable|MemFree|Cached):\s+(\d{1,11}) kB`)

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

var dataLine = regexp.MustCompile(`(?m)^\S+\s+\d+\s+\d+\s+(\d{1,11})\s+\d+%`)

func df(free *int64, text string) bool {
	found := dataLine.FindStringSubmatch(text)
	if found == nil {
		return false
	}
	kib, _ := strconv.ParseInt(found[1], 10, 64) // so many digits always fit
	*free = kib << 10
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

// The most of what no phone comes near: bytes, milliseconds and numbers of things.
const (
	mostBytes = 1 << 50
	mostMS    = 1 << 40
	mostOf    = 1 << 30
)

// Check reports whether a measurement that somebody else read can be one: what a
// bench elsewhere tells is not believed.
func (m *Measurement) Check() error {
	switch {
	case !(m.Uptime >= 0 && m.Uptime < 1e10 && m.StartTook >= 0 && m.StartTook < 1e10 && m.OnBattery >= 0 && m.OnBattery < 1e10):
		return errors.New("it has times that can't be")
	case !within(mostBytes, m.MemTotal, m.MemAvailable, m.DataFree, m.SystemFree) ||
		!within(mostOf, int64(m.Processes), int64(m.Services), int64(m.Jobs), int64(m.Wakeups)):
		return errors.New("it has numbers that can't be")
	case !m.Came.possible() || !m.Owner.possible():
		return errors.New("it has sums that can't be")
	case len(m.Fingerprint) > 1000 || len(m.Missing) > len(measuring)+1 || len(m.Openings) > len(everyday) || len(m.Uses) > maxUses:
		return errors.New("it tells more than a measurement asks")
	}
	for name, u := range m.Uses {
		if !name.Valid() || !u.possible() {
			return fmt.Errorf("%q uses what can't be", Printable(string(name), 60))
		}
	}
	for name, o := range m.Openings {
		if !slices.ContainsFunc(everyday, func(e struct{ name, intent string }) bool { return e.name == name }) ||
			!within(mostOf, int64(o.Took), int64(o.Frames), int64(o.Janky)) {
			return fmt.Errorf("the screen %q can't have opened so", Printable(name, 60))
		}
	}
	for _, command := range m.Missing {
		if len(command) > 100 {
			return errors.New("what is missing is no command of a measurement")
		}
	}
	return nil
}

// possible reports whether anything can use so much.
func (u Use) possible() bool {
	return within(mostBytes, u.Memory, u.Traffic, u.Room) && within(mostMS, u.Processor) &&
		within(mostOf, int64(u.Processes), int64(u.Services), int64(u.Jobs), int64(u.Wakeups))
}

// within reports whether numbers lie between 0 and the most.
func within(most int64, numbers ...int64) bool {
	for _, n := range numbers {
		if n < 0 || n > most {
			return false
		}
	}
	return true
}
