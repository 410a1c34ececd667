package catalog

import (
	"fmt"

	"roster/core/evidence"
)

// ScopeKind is how wide a claim reaches.
type ScopeKind string

// The kinds of scope, widest first.
const (
	Everywhere ScopeKind = "everywhere"
	OfMaker    ScopeKind = "maker"
	OfModel    ScopeKind = "model"
	OfBuild    ScopeKind = "build"
)

// ScopeKinds lists every kind of scope, widest first.
var ScopeKinds = []ScopeKind{Everywhere, OfMaker, OfModel, OfBuild}

var narrowness = map[ScopeKind]int{Everywhere: 0, OfMaker: 1, OfModel: 2, OfBuild: 3}

// Scope is where a claim applies. ID is the maker's, model's or build's
// identity, empty for everywhere.
type Scope struct {
	Kind ScopeKind `json:"kind" enum:"everywhere,maker,model,build"`
	ID   string    `json:"id,omitempty"`
}

// Check reports whether the scope is well formed.
func (s Scope) Check() error {
	if _, ok := narrowness[s.Kind]; !ok {
		return fmt.Errorf("scope %q: want everywhere, maker, model or build", s.Kind)
	}
	if (s.Kind == Everywhere) != (s.ID == "") {
		return fmt.Errorf("scope %s: an id belongs to every scope but everywhere", s.Kind)
	}
	return nil
}

// Covers reports whether a claim with this scope applies to the firmware.
func (s Scope) Covers(f evidence.Firmware) bool {
	switch s.Kind {
	case Everywhere:
		return true
	case OfMaker:
		return s.ID == f.Maker
	case OfModel:
		return s.ID == f.Model
	case OfBuild:
		return s.ID == f.Build
	}
	return false
}

// Narrower reports whether s reaches less far than other.
func (s Scope) Narrower(other Scope) bool { return narrowness[s.Kind] > narrowness[other.Kind] }

// Applying picks, of several scoped values, the narrowest that covers the
// firmware, and lists the wider ones that it hides, narrowest first. The
// index is -1 where none covers it.
func Applying(scopes []Scope, f evidence.Firmware) (index int, hidden []int) {
	index = -1
	for i, s := range scopes {
		if !s.Covers(f) {
			continue
		}
		if index < 0 || s.Narrower(scopes[index]) {
			if index >= 0 {
				hidden = append(hidden, index)
			}
			index = i
			continue
		}
		hidden = append(hidden, i)
	}
	for i := 1; i < len(hidden); i++ {
		for j := i; j > 0 && scopes[hidden[j]].Narrower(scopes[hidden[j-1]]); j-- {
			hidden[j], hidden[j-1] = hidden[j-1], hidden[j]
		}
	}
	return index, hidden
}
