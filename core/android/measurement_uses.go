package android

import (
	"encoding/json"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// What of a measurement a phone attributes to packages.

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
			m.Owner.Add(u)
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

var jobLine = regexp.MustCompile(`^\s*JOB \S+: \S+ ([^/\s]+)/`)

// jobs reads the jobs that are registered in dumpsys jobscheduler.
func (m *Measurement) jobs(text string) bool {
	told := strings.Contains(text, "Registered ")
	for line := range strings.Lines(text) {
		if found := jobLine.FindStringSubmatch(line); found != nil {
			m.Jobs++
			m.use(found[1], func(u *Use) { u.Jobs++ })
		}
	}
	return told
}

// batteryStats reads the check-in form of dumpsys batterystats, of what was counted
// since the phone was last full ("l"): which packages have a user id (uid), for how
// long it ran on its battery (bt), and of each user id the processor time (cpu) and
// the traffic over mobile networks and Wi-Fi (nt). What several packages share one
// user id for can't be told apart, and is nobody's.
func (m *Measurement) batteryStats(text string) bool {
	type counted struct{ processor, traffic int64 }
	names, counts := map[string][]string{}, map[string]counted{}
	told := false
	for line := range strings.Lines(text) {
		w := strings.Split(strings.TrimSpace(line), ",")
		if len(w) < 6 || w[0] != "9" {
			continue
		}
		switch uid := w[1]; {
		case w[2] == "i" && w[3] == "uid":
			if len(names) < maxUses {
				names[w[4]] = append(names[w[4]], w[5])
			}
		case w[2] != "l" || len(counts) >= maxUses:
		case w[3] == "bt":
			ms, ok := sumOf(w[5:6])
			m.OnBattery, told = float64(ms)/1000, ok
		case w[3] == "cpu":
			if ms, ok := sumOf(w[4:6]); ok {
				c := counts[uid]
				c.processor = ms
				counts[uid] = c
			}
		case w[3] == "nt" && len(w) >= 8:
			if bytes, ok := sumOf(w[4:8]); ok {
				c := counts[uid]
				c.traffic = bytes
				counts[uid] = c
			}
		}
	}
	for uid, c := range counts {
		if len(names[uid]) == 1 {
			m.use(names[uid][0], func(u *Use) { u.Processor, u.Traffic = c.processor, c.traffic })
		}
	}
	return told
}

// sumOf adds counters up; none of them can be below 0 or more than 2^50.
func sumOf(words []string) (sum int64, ok bool) {
	for _, w := range words {
		n, err := strconv.ParseInt(w, 10, 64)
		if err != nil || n < 0 || n > 1<<50 {
			return 0, false
		}
		sum += n
	}
	return sum, true
}

// diskStats reads the lists of dumpsys diskstats, which go together by their places:
// names, and the sizes of apps, of their data and of what they keep ready.
func (m *Measurement) diskStats(text string) bool {
	var names []string
	var sizes [][]int64
	for line := range strings.Lines(text) {
		head, list, _ := strings.Cut(strings.TrimSpace(line), ":")
		switch head {
		case "Package Names":
			if json.Unmarshal([]byte(list), &names) != nil {
				return false
			}
		case "App Sizes", "App Data Sizes", "Cache Sizes":
			var one []int64
			if json.Unmarshal([]byte(list), &one) != nil {
				return false
			}
			sizes = append(sizes, one)
		}
	}
	if len(names) == 0 || len(sizes) == 0 || slices.ContainsFunc(sizes, func(s []int64) bool { return len(s) != len(names) }) {
		return false
	}
	for i, name := range names {
		m.use(name, func(u *Use) {
			for _, s := range sizes {
				if s[i] > 0 && s[i] < 1<<50 {
					u.Room += s[i]
				}
			}
		})
	}
	return true
}

// enabled makes sure that each package that came with the phone and is switched on
// stands among the uses, with nothing where it uses nothing.
func (m *Measurement) enabled(text string) bool {
	told := false
	for line := range strings.Lines(text) {
		if name, ok := strings.CutPrefix(strings.TrimSpace(line), "package:"); ok {
			told = true
			m.use(name, func(*Use) {})
		}
	}
	return told
}
