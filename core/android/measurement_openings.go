package android

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Opening is how an everyday screen opened: the median time in milliseconds, and how
// many of the frames that it then drew came late.
type Opening struct {
	Took   int `json:"took"`
	Frames int `json:"frames"`
	Janky  int `json:"janky"`
}

// everyday are screens that everybody opens, each with the words by which the
// platform knows it; all but the home screen are stopped before they are opened.
var everyday = []struct{ name, intent string }{
	{"home", "-a android.intent.action.MAIN -c android.intent.category.HOME"},
	{"dialler", "-S -a android.intent.action.DIAL"},
	{"camera", "-S -a android.media.action.STILL_IMAGE_CAMERA"},
	{"settings", "-S -a android.settings.SETTINGS"},
}

const (
	// openedTimes is how often each screen is opened; the median of it stands.
	openedTimes = 3
	// openingMark leads the answers to each opening.
	openingMark = "--opening-"
)

// SleepCommand switches a phone's screen off, as its key does.
const SleepCommand = "input keyevent KEYCODE_SLEEP"

// OpeningsQuestion is the line that opens everyday screens and then switches the
// screen off. A screen that is not there within eight seconds is given up.
func OpeningsQuestion() string {
	var b strings.Builder
	b.WriteString("input keyevent KEYCODE_WAKEUP; ")
	for _, e := range everyday {
		for range openedTimes {
			b.WriteString("echo " + openingMark + e.name + "; timeout 8 am start -W " + e.intent + " 2>&1; ")
		}
	}
	b.WriteString("echo " + openingMark + "drawn; dumpsys gfxinfo 2>&1; ")
	return b.String() + "input keyevent KEYCODE_HOME; " + SleepCommand
}

var (
	totalTime = regexp.MustCompile(`(?m)^TotalTime: (\d{1,6})\s*$`)
	opened    = regexp.MustCompile(`(?m)^Activity: ([^/\s]+)/`)
	drawnBy   = regexp.MustCompile(`(?m)^\*\* Graphics info for pid \d+ \[([^\]\s]+)\]`)
	frames    = regexp.MustCompile(`(?m)^Total frames rendered: (\d{1,9})`)
	janky     = regexp.MustCompile(`(?m)^Janky frames: (\d{1,9})`)
)

// ReadOpenings reads the answer to OpeningsQuestion into a measurement. A screen
// that did not open each time is not among them.
func (m *Measurement) ReadOpenings(answer string) {
	took, by := map[string][]int{}, map[string]string{}
	draws := map[string]Opening{}
	for i, part := range strings.Split(answer, openingMark) {
		name, text, _ := strings.Cut(part, "\n")
		switch name = strings.TrimSpace(name); {
		case i == 0 || i > 50:
		case name == "drawn":
			draws = readDrawn(text)
		case !slices.ContainsFunc(everyday, func(e struct{ name, intent string }) bool { return e.name == name }):
		case !strings.Contains(text, "Status: ok"):
		default:
			if found := totalTime.FindStringSubmatch(text); found != nil {
				ms, _ := strconv.Atoi(found[1]) // so many digits always fit
				took[name] = append(took[name], ms)
			}
			if found := opened.FindStringSubmatch(text); found != nil {
				by[name] = found[1]
			}
		}
	}
	m.Openings = map[string]Opening{}
	for name, list := range took {
		if len(list) == openedTimes {
			slices.Sort(list)
			o := draws[by[name]]
			o.Took = list[openedTimes/2]
			m.Openings[name] = o
		}
	}
	if len(m.Openings) == 0 {
		m.Openings, m.Missing = nil, append(m.Missing, AsksOpenings)
	}
}

// readDrawn reads how many frames each program drew, and how many of them late, of
// dumpsys gfxinfo.
func readDrawn(text string) map[string]Opening {
	list := map[string]Opening{}
	heads := drawnBy.FindAllStringSubmatchIndex(text, maxUses)
	for i, at := range heads {
		end := len(text)
		if i+1 < len(heads) {
			end = heads[i+1][0]
		}
		part := text[at[1]:end]
		all, late := frames.FindStringSubmatch(part), janky.FindStringSubmatch(part)
		if all == nil || late == nil {
			continue
		}
		var o Opening
		o.Frames, _ = strconv.Atoi(all[1]) // so many digits always fit
		o.Janky, _ = strconv.Atoi(late[1])
		o.Janky = min(o.Janky, o.Frames)
		list[text[at[2]:at[3]]] = o
	}
	return list
}
