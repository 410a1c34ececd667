package bench

import (
	"errors"
	"strings"

	"roster/bench/services"
)

// Phone is a phone as the adb server lists it, with what to do about it.
type Phone struct {
	// Handle is this bench's own name for the phone while it is attached; it
	// says nothing of the phone.
	Handle string `json:"handle"`
	// Address is where a phone on the network is reached, "" on a cable.
	Address string `json:"address"`
	State   string `json:"state"`
	// Name is the model as the phone tells it, "a phone" when it does not.
	Name string `json:"name"`
	// Ready is true where the phone can be asked.
	Ready bool `json:"ready"`
	// Wrong says in words why it can't be used, Next what to try.
	Wrong string `json:"wrong"`
	Next  string `json:"next"`
	// Who it is, once it has been asked.
	Maker   string `json:"maker"`
	Version string `json:"version"`
	Release string `json:"release"`
	Carrier string `json:"carrier"`
	// Device and Fingerprint say exactly which model and firmware.
	Device      string `json:"device"`
	Fingerprint string `json:"fingerprint"`
	// StandIn is true for a simulated phone.
	StandIn bool `json:"standIn"`
	// Mark tells phones apart for good: the keyed hash of the serial number,
	// which only the server can make.
	Mark string `json:"mark"`
	// Hardware is the serial number, or what stands for it, on its way to the
	// server, which keeps nothing but Mark of it.
	Hardware string `json:"hardware,omitempty"`
	// Unnumbered is true for a phone that tells no serial number of its own, or
	// one that others tell as well. Label is what it is told apart by then,
	// LabelBefore what a phone that hung there before was.
	Unnumbered  bool   `json:"unnumbered,omitempty"`
	Label       string `json:"label,omitempty"`
	LabelBefore string `json:"labelBefore,omitempty"`

	start string // tells one start of the phone from every other
}

// advice for each state in which a phone can't be used.
var advice = map[string]struct{ wrong, next string }{
	"unauthorized": {"waits for you to accept this computer", "Unlock the phone and tap Allow. No prompt? Pull the cable, turn USB debugging off and on, and plug it in again."},
	"authorizing":  {"is being asked whether it trusts this computer", "Wait a moment, then unlock the phone and tap Allow."},
	"connecting":   {"is connecting", "Wait a moment. If it stays so, pull the cable and plug it in again."},
	"offline":      {"is there, and does not answer", "Usually the cable: pull it and plug it in again. A phone that has just restarted needs a minute."},
	"no permissions": {"may not be used by this computer's user",
		"The computer's USB rules do not let you reach it. Install your system's Android USB rules (on Debian: android-sdk-platform-tools-common), then plug it in again."},
	"recovery":   {"is in recovery", "Restart it into its system: hold the power button, or choose Reboot on its screen."},
	"sideload":   {"waits for an update file", "Cancel on the phone's screen and restart it."},
	"bootloader": {"is in its bootloader", "Restart it into its system: hold the power button."},
	"rescue":     {"is in rescue mode", "Restart it into its system: hold the power button."},
	"host":       {"is attached the wrong way round: it acts as the computer", "In the phone's USB settings choose that the other device is the host, or swap the cable's ends."},
	// Of these adb knows nothing: a browser finds them out.
	"claimed":   {"is held by another program on this computer", "Usually an adb server: end it with adb kill-server, and close development tools and the maker's suite. A browser can't share a phone with them. Then try again."},
	"no driver": {"can't be opened: Windows has no driver for it that a browser could use", "Install the maker's USB driver, or Windows' own WinUSB for it in the Device Manager. If adb reaches it, end the adb server: adb kill-server. Then try again."},
	"refused":   {"was told not to trust this browser, or nobody answered", "Pull the cable, plug it in again, and tap Allow on its screen."},
	"detached":  {"is held by another program on this computer", "Another tool has taken it: end that tool, or wait until it lets go."},
}

// See explains one entry of the adb server's list.
func See(d services.Device) Phone {
	p := Phone{State: d.State, Name: "a phone", Ready: d.State == "device"}
	if strings.Contains(d.Serial, ":") {
		p.Address = d.Serial // a network address, not a serial number
	}
	if d.Model != "" {
		p.Name = strings.ReplaceAll(d.Model, "_", " ")
	}
	if p.Ready {
		return p
	}
	a, ok := advice[d.State]
	if !ok {
		a.wrong, a.next = "is in the state "+d.State, "Restart it and plug it in again."
	}
	p.Wrong, p.Next = a.wrong, a.next
	return p
}

// NoneSeen is what to try where the adb server sees no phone at all, in the
// order in which it is usually found.
var NoneSeen = []string{
	"Use a cable that carries data: many only charge.",
	"On the phone: Settings, About phone, tap the build number seven times; then Developer options, USB debugging.",
	"On the phone's USB notification choose to transfer files, not only to charge.",
	"On Windows install the maker's USB driver; on Linux your system's Android USB rules.",
	"Or reach it over the network by its address, under wireless debugging in the developer options.",
}

// oldestServer is the first adb server that speaks all of what Roster asks.
const oldestServer = 36

// errTooOld and errFought are troubles that only this package can see.
var (
	errTooOld = errors.New("the adb server is too old")
	errFought = errors.New("the adb server keeps being ended")
)

// Trouble explains why the adb server can't be used at all; "" where err is
// nil.
func Trouble(err error) (wrong, next string) {
	const again = "Restart it with: adb kill-server, then adb start-server"
	var refused *services.RefusedError
	switch {
	case err == nil:
		return "", ""
	case errors.Is(err, services.ErrNoHost):
		return "No adb server answers on this computer.", "Start one with: adb start-server"
	case errors.Is(err, services.ErrNotADB):
		return "Another program answers where the adb server should: its port is taken.",
			"Find it with: ss -ltnp 'sport = :5037', and end it; or let Roster use another port with --adb 127.0.0.1:5038"
	case errors.Is(err, services.ErrGone):
		return "What listens where the adb server should hangs up.",
			"Either the server was just ended (adb start-server), or another program has its port: find it with ss -ltnp 'sport = :5037'"
	case errors.Is(err, errTooOld):
		return "The adb server on this computer is too old: " + err.Error() + ".", "Install a newer adb (Debian's is new enough), then: adb kill-server"
	case errors.Is(err, errFought):
		return "Something keeps ending the adb server: two tools fight over the phones.",
			"Two versions of adb end each other's server in turn. Close the other tool (a maker's suite, a development tool, an old adb), then: adb start-server"
	case errors.As(err, &refused):
		return "The adb server refuses: " + refused.Words, again
	}
	return "The adb server can't be used: " + err.Error(), again
}

// pairRefused explains a server that can't pair by code; "" for anything else.
func pairRefused(err error) string {
	var refused *services.RefusedError
	if errors.As(err, &refused) && strings.Contains(refused.Words, "unknown host service") {
		return "This adb server can't pair by code: that needs adb 30 or newer, and Debian's is 29. Pair with a newer adb elsewhere, or attach the phone by cable once and run: adb tcpip 5555"
	}
	return ""
}
