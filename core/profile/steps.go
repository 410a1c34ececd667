package profile

import (
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/wording"
)

// StepKind is what a step does.
type StepKind string

// The kinds of steps.
const (
	PutIn         StepKind = "put-in"
	WithdrawAdmin StepKind = "withdraw-admin"
	Setting       StepKind = "setting"
	HoldUpdates   StepKind = "hold-updates"
	Remove        StepKind = "remove"
	Wait          StepKind = "wait"
	Check         StepKind = "check"
)

// Phase is when a step is done.
type Phase string

// The phases, in their order. Check is done by hand, days later perhaps.
const (
	Before    Phase = "before"
	Removing  Phase = "remove"
	After     Phase = "after"
	Afterward Phase = "check"
)

// Step is one thing to do to the phone, or to try on it. Number counts from 1.
type Step struct {
	Number int      `json:"number"`
	Kind   StepKind `json:"kind" enum:"put-in,withdraw-admin,setting,hold-updates,remove,wait,check"`
	// Phase is "" in releases of older programs, for remove.
	Phase   Phase               `json:"phase,omitempty" enum:"before,remove,after,check"`
	Method  evidence.Method     `json:"method,omitempty"`
	Package android.PackageName `json:"package,omitempty"`
	Label   string              `json:"label,omitempty"`
	Load    evidence.Load       `json:"load,omitempty"`
	// Group numbers packages that rest on each other in a circle and go
	// together, 0 for all others.
	Group int `json:"group,omitempty"`
	// Costs are the functions that people missed without the package.
	Costs []string `json:"costs,omitempty"`
	// Conditions must hold before it goes.
	Conditions []string `json:"conditions,omitempty"`
	// Pinned is the reason where a person put the package in by hand.
	Pinned   string    `json:"pinned,omitempty"`
	Evidence *Evidence `json:"evidence,omitempty"`
	// Uses is what phones attributed to it, nil where none was measured.
	Uses *Attributed `json:"uses,omitempty"`
	// Role is what a package that is put in must hold, File the file that it comes
	// from, Grants the permissions that it is given.
	Role      string   `json:"role,omitempty"`
	File      *FilePin `json:"file,omitempty"`
	Grants    []string `json:"grants,omitempty"`
	Namespace string   `json:"namespace,omitempty"`
	Key       string   `json:"key,omitempty"`
	Value     string   `json:"value,omitempty"`
	Seconds   int      `json:"seconds,omitempty"`
	// Text says what to do, for people.
	Text string `json:"text,omitempty"`
}

// Leaves reports whether a step takes a package off or switches it off: what is
// quietened stays, and can still be everything that it was.
func (s Step) Leaves() bool { return s.Kind == Remove && s.Method != evidence.Quieten }

// In reports when the step is done.
func (s Step) In() Phase {
	if s.Phase == "" {
		return Removing
	}
	return s.Phase
}

// Evidence is what was known when the release was made.
type Evidence struct {
	Ceiling  float64           `json:"ceiling"`
	Floor    float64           `json:"floor"`
	Standing evidence.Standing `json:"standing"`
	Phones   int               `json:"phones"`
	People   int               `json:"people"`
}

// The setting by which the platform's developer options hold updates back.
const (
	HoldNamespace = "global"
	HoldKey       = "ota_disable_automatic_update"
	HoldValue     = "1"
)

// steps makes the run sheet: what is done before, what goes in which order,
// and what is done after. What is to be tried afterwards follows in checks.
func (w *composer) steps() {
	order := w.order()
	leaving, staying := w.parted(order)
	w.putIns(leaving)
	w.administrators(leaving)
	w.conditions(order)
	for i, e := range w.rules.Extras {
		switch e.Kind {
		case HoldUpdates:
			w.c.Extras[i] = w.step(Step{Kind: HoldUpdates, Phase: Before, Namespace: HoldNamespace, Key: HoldKey, Value: HoldValue, Text: orText(e.Why, "Hold system updates back: one may bring packages back")})
		case Setting:
			w.c.Extras[i] = w.step(Step{Kind: Setting, Phase: Before, Namespace: e.Namespace, Key: e.Key, Value: e.Value, Text: orText(e.Why, "Set "+e.Key)})
		}
	}
	groups := 0
	// What stays is quietened last: what it worked with has gone by then.
	for _, group := range slices.Concat(leaving, staying) {
		if len(group) > 1 {
			groups++
		}
		for _, name := range group {
			row := w.goes[name]
			s := Step{Kind: Remove, Phase: Removing, Method: row.Method, Package: name, Label: row.Label, Load: row.Load, Costs: row.Lost, Conditions: row.Conditions, Pinned: row.Pin,
				Evidence: &Evidence{row.Ceiling, roundLimit(row.Floor), row.Standing, row.Phones, row.People}, Uses: row.Uses.attributed()}
			if len(group) > 1 {
				s.Group = groups
			}
			w.step(s)
		}
	}
	for i, e := range w.rules.Extras {
		if e.Kind == Wait {
			w.c.Extras[i] = w.step(Step{Kind: Wait, Phase: After, Seconds: e.Seconds, Text: orText(e.Why, fmt.Sprintf("Wait %d s until the phone settles", e.Seconds))})
		}
	}
}

// step adds a step and returns its number.
func (w *composer) step(s Step) int {
	s.Number = len(w.c.Steps) + 1
	w.c.Steps = append(w.c.Steps, s)
	return s.Number
}

func orText(text, or string) string {
	if strings.TrimSpace(text) == "" {
		return or
	}
	return text
}

// parted takes an order apart: what leaves the phone, and what stays and is
// quietened, each by itself: nothing rests on how quiet another is.
func (w *composer) parted(order [][]android.PackageName) (leaving, staying [][]android.PackageName) {
	if w.c.Quiet == 0 {
		return order, nil
	}
	for _, group := range order {
		var leave []android.PackageName
		for _, name := range group {
			if w.goes[name].Leaves() {
				leave = append(leave, name)
			} else {
				staying = append(staying, []android.PackageName{name})
			}
		}
		if len(leave) > 0 {
			leaving = append(leaving, leave)
		}
	}
	return leaving, staying
}

// order is what goes, dependants before what they rest on on any claimed
// build.
func (w *composer) order() [][]android.PackageName {
	var links []impact.Link
	for _, g := range w.claimed {
		links = append(links, g.Net.Links...)
	}
	names := make([]android.PackageName, 0, len(w.goes))
	for name := range w.goes {
		names = append(names, name)
	}
	return impact.Order(links, names)
}

// putIns are what takes the place of what goes: what the rules name, then what
// the catalogue offers for functions that go.
func (w *composer) putIns(order [][]android.PackageName) {
	put := map[string]bool{}
	for i, e := range w.rules.Extras {
		if e.Kind != PutIn {
			continue
		}
		name := orText(e.Label, string(e.Package))
		text := "Put in " + name
		if e.File != nil {
			text += " from its file"
			if e.File.From != "" {
				text += " (" + e.File.From + ")"
			}
		}
		if e.Role != "" {
			text += ", and see that it holds the role " + e.Role
		}
		if e.Why != "" {
			text += ": " + e.Why
		}
		put[name], put[string(e.Package)] = true, true
		w.c.Extras[i] = w.step(Step{Kind: PutIn, Phase: Before, Package: e.Package, Label: e.Label, Role: e.Role, File: e.File,
			Grants: e.Grants, Seconds: e.Seconds, Text: text})
	}
	for _, group := range order {
		for _, name := range group {
			for _, s := range w.goes[name].Substitutes {
				if put[s.Name] || s.Package != "" && put[s.Package] {
					continue
				}
				put[s.Name] = true
				text := "Where wanted, put in " + s.Name
				if s.For != "" {
					text += " for " + words(s.For)
				}
				if s.First != "" {
					text += ". First: " + s.First
				}
				w.step(Step{Kind: PutIn, Phase: Before, Package: android.PackageName(s.Package), Label: s.Name, Text: text})
			}
		}
	}
}

// administrators are what has to be withdrawn before it goes.
func (w *composer) administrators(order [][]android.PackageName) {
	for _, group := range order {
		for _, name := range group {
			if slices.ContainsFunc(w.claimed, func(g Ground) bool { return g.Net.Administrator(name) }) {
				w.step(Step{Kind: WithdrawAdmin, Phase: Before, Package: name, Label: w.goes[name].Label,
					Text: "Withdraw " + orText(w.goes[name].Label, string(name)) + " as device administrator, in the phone's settings under security"})
			}
		}
	}
}

// conditions are what somebody has to see to before a package goes.
func (w *composer) conditions(order [][]android.PackageName) {
	for _, group := range order {
		for _, name := range group {
			for _, c := range w.goes[name].Conditions {
				label := w.goes[name].Label
				text := orText(label, string(name)) + " goes " + wording.OnlyIf(c)
				w.step(Step{Kind: Check, Phase: Before, Package: name, Label: label, Text: text})
			}
		}
	}
}

// words are a slug's.
func words(slug string) string { return strings.ReplaceAll(slug, "-", " ") }
