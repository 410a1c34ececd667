package profile

import (
	"slices"
	"strings"
)

// CheckRow is one thing to try after the removal.
type CheckRow struct {
	Text string `json:"text"`
	// Function is what it tries, "" where it follows from the form of device
	// or from a person's own words.
	Function string `json:"function,omitempty"`
	// Own is true where a person added it, Out where one left it out.
	Own bool `json:"own,omitempty"`
	Out bool `json:"out,omitempty"`
}

// tries says how to try a function; others are tried by their names.
var tries = map[string]string{
	"payments": "Pay by touch", "transit": "Hold the phone to a gate, if a transit card is in it", "voice": "Say what used to start the assistant; press the side button",
	"calls": "Call, and be called", "messages": "Send a message and get one", "camera": "Take a picture and look at it", "printing": "Print a page", "calendar": "Enter a date and be reminded of it",
	"weather": "Look for the weather where it used to be", "photo-backup": "Look whether a new picture is saved", "accessibility": "Have a page read aloud; feel the keyboard", "unlocking": "Lock the phone and unlock it",
}

// checks composes the check list: what every such device must still do, what
// came back, and what the packages that go used to carry.
func (w *composer) checks() {
	add := func(text, function string) {
		if text != "" && !slices.ContainsFunc(w.c.Checks, func(c CheckRow) bool { return c.Text == text }) {
			w.c.Checks = append(w.c.Checks, CheckRow{Text: text, Function: function, Out: slices.Contains(w.rules.NotChecks, text)})
		}
	}
	if w.c.Goes > 0 {
		add(w.restart(), "")
		if w.Form == "phone" {
			add("Call, and be called", "")
		}
		if w.Form == "phone" || w.Form == "tablet" {
			add(unlockAfter, "")
			add("Type in two languages", "")
		} else {
			add("Type a word in a search", "")
		}
	}
	if w.c.Quiet > 0 {
		add("See that nothing that was quietened notifies, and that it still does its work", "")
	}
	for _, group := range w.order() {
		for _, name := range group {
			row := w.goes[name]
			functions := row.Lost
			if row.Leaves() {
				functions = slices.Concat(row.Lost, row.Functions)
			}
			for _, f := range functions {
				text, ok := tries[f]
				if !ok {
					text = "Try " + words(f)
				}
				add(text, f)
			}
		}
	}
	for _, text := range w.rules.Checks {
		if !slices.ContainsFunc(w.c.Checks, func(c CheckRow) bool { return c.Text == text }) {
			w.c.Checks = append(w.c.Checks, CheckRow{Text: text, Own: true})
		}
	}
	for _, c := range w.c.Checks {
		if !c.Out {
			w.step(Step{Kind: Check, Phase: Afterward, Text: c.Text})
		}
	}
}

// FunctionTried is the function that a check's words try, "" where they try
// none by itself.
func FunctionTried(text string) string {
	for f, how := range tries {
		if how == text && f != "calls" && f != "unlocking" { // every phone is asked for these
			return f
		}
	}
	if f, ok := strings.CutPrefix(text, "Try "); ok {
		return strings.ReplaceAll(f, " ", "-")
	}
	return ""
}

// StartTried reports whether a check's words try that the phone starts, and
// can be unlocked then.
func StartTried(text string) bool {
	return strings.HasPrefix(text, restartFirst) || text == unlockAfter
}

// The words that try whether a phone starts.
const (
	restartFirst = "Restart the phone"
	unlockAfter  = "Unlock with a code after a restart"
)

// restart says what to look for after the first restart.
func (w *composer) restart() string {
	var back []string
	for _, row := range w.c.Rows {
		if row.Goes && row.ComesBack > 0 {
			back = append(back, orText(row.Label, string(row.Package)))
		}
	}
	if len(back) == 0 {
		return restartFirst
	}
	if len(back) > 4 {
		return restartFirst + ", and look for what came back"
	}
	return restartFirst + ", and look whether these came back: " + strings.Join(back, ", ")
}
