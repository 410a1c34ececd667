// Package people holds what the roles of an installation are.
package people

import "slices"

// Role is what somebody may do here; each may do what those before it may.
type Role string

// The roles.
const (
	Technician Role = "technician"
	Reviewer   Role = "reviewer"
	Maintainer Role = "maintainer"
	Keeper     Role = "keeper"
)

// Roles lists every role, from who may least to who may most.
var Roles = []Role{Technician, Reviewer, Maintainer, Keeper}

// Valid reports whether r is one of Roles.
func (r Role) Valid() bool { return slices.Contains(Roles, r) }

// AtLeast reports whether r may do what least may. What is no role may nothing.
func (r Role) AtLeast(least Role) bool {
	return r.Valid() && slices.Index(Roles, r) >= slices.Index(Roles, least)
}
