package bench

import (
	"errors"
	"strings"

	"roster/bench/adb"
)

// Seen is a phone as the adb server lists it, with what to do about it.
type Seen struct {
	// Serial is the adb server's name for it: needed to ask it something,
	// and shown to nobody who does not stand at the bench.
	Serial string `json:"serial"`
	State  string `json:"state"`
	// Name is the model as the phone tells it, "a phone" when it does not.
	Name string `json:"name"`
	// Ready is true where the phone can be asked.
	Ready bool `json:"ready"`
	// Wrong says in words why it can't be used, Next what to try.
	Wrong string `json:"wrong,omitempty"`
	Next  string `json:"next,omitempty"`
}

// advice for each state in which a phone can't be used.
var advice = map[string]struct{ wrong, next string }{
	"unauthorized": {"waits for you to accept this computer", "Unlock the phone and tap Allow. No prompt? Pull the cable, turn USB debugging off and on, and plug it in again."},
	"authorizing":  {"is being asked whether it trusts this computer", "Wait a moment, then unlock the phone and tap Allow."},
	"connecting":   {"is connecting", "Wait a moment. If it stays so, pull the cable and plug it in again."},
	"offline":      {"is there, and does not answer", "Usually the cable: pull it and plug it in again. A phone that has just restarted needs a minute."},
	"no permissions": {"may not be used by this computer's user",
		"The computer's USB rules do not let you reach it. Install your system's Android USB rules, then plug it in again."},
	"recovery":   {"is in recovery", "Restart it into its system: hold the power button, or choose Reboot on its screen."},
	"sideload":   {"waits for an update file", "Cancel on the phone's screen and restart it."},
	"bootloader": {"is in its bootloader", "Restart it into its system: hold the power button."},
	"rescue":     {"is in rescue mode", "Restart it into its system: hold the power button."},
}

// See explains one entry of the adb server's list.
func See(d adb.Device) Seen {
	s := Seen{Serial: d.Serial, State: d.State, Name: "a phone", Ready: d.State == "device"}
	if d.Model != "" {
		s.Name = strings.ReplaceAll(d.Model, "_", " ")
	}
	if s.Ready {
		return s
	}
	a, ok := advice[d.State]
	if !ok {
		a.wrong, a.next = "is in the state "+d.State, "Restart it and plug it in again."
	}
	s.Wrong, s.Next = a.wrong, a.next
	return s
}

// Trouble explains why the adb server can't be used at all; "" where err is
// nil.
func Trouble(err error) (wrong, next string) {
	var refused *adb.ServerError
	switch {
	case err == nil:
		return "", ""
	case errors.Is(err, adb.ErrNoServer):
		return "No adb server answers on this computer.", "Start one with: adb start-server"
	case errors.As(err, &refused):
		return "The adb server refuses: " + refused.Words, "Restart it with: adb kill-server, then adb start-server"
	}
	return "The adb server can't be used: " + err.Error(), "Restart it with: adb kill-server, then adb start-server"
}
