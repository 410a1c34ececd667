package impact

import (
	"slices"
	"strings"

	"roster/core/android"
)

// Holds is what is known of a condition.
type Holds int

// What is known of a condition: nothing, as of every one that is written for
// people alone; that it holds; that it does not.
const (
	Open Holds = iota
	Met
	Unmet
)

// Condition is a condition in the form that a phone can be asked about:
// lock-code-set, device-admin:PACKAGE or role-held:ROLE, led by "not " where
// it must not be so.
type Condition struct {
	Not  bool
	Kind string
	// Of is the package or the role.
	Of string
}

// ParseCondition reads a condition; ok is false where it is written for people.
func ParseCondition(text string) (c Condition, ok bool) {
	text = strings.TrimSpace(text)
	text, c.Not = strings.CutPrefix(text, "not ")
	c.Kind, c.Of, _ = strings.Cut(text, ":")
	switch c.Kind {
	case "lock-code-set":
		ok = c.Of == ""
	case "device-admin":
		ok = android.PackageName(c.Of).Valid()
	case "role-held":
		ok = c.Of != "" && strings.Trim(c.Of, "ABCDEFGHIJKLMNOPQRSTUVWXYZ_") == ""
	}
	return c, ok
}

// condition tells whether a condition holds on the phone when the removal is
// done.
func (w *worker) condition(text string) Holds {
	c, ok := ParseCondition(text)
	if !ok {
		return Open
	}
	var is bool
	switch c.Kind {
	case "lock-code-set":
		if w.phone.Facts.LockCode == "" {
			return Open
		}
		is = w.phone.Facts.LockCode == android.LockCodeSet
	case "device-admin":
		is = w.Administrator(android.PackageName(c.Of)) && !w.known.Before.Withdrawn[android.PackageName(c.Of)]
	case "role-held":
		_, is = w.known.Before.Held[c.Of]
		for i, r := range w.Roles {
			is = is || r.Name == c.Of && slices.ContainsFunc(w.able[i], func(j int32) bool { return w.goes[j] == "" })
		}
	}
	if is != c.Not {
		return Met
	}
	return Unmet
}
