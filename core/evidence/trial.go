package evidence

import "slices"

// Method is how a package was taken off a phone, or made quiet on it.
type Method string

// The methods, gentlest first. What is quietened stays: it tells nothing and does
// nothing in the background.
const (
	Quieten         Method = "quieten"
	Disable         Method = "disable"
	RemoveForUser   Method = "remove-for-user"
	RemoveFromImage Method = "remove-from-image"
)

// Methods lists every method, gentlest first.
var Methods = methodsInOrder[:]

var methodsInOrder = [...]Method{Quieten, Disable, RemoveForUser, RemoveFromImage}

// Valid reports whether m is one of Methods.
func (m Method) Valid() bool { return slices.Contains(Methods, m) }

// Outcome is what happened on the phone.
type Outcome string

// The outcomes. Refused says nothing about harm.
const (
	Clean        Outcome = "clean"
	FunctionLost Outcome = "function-lost"
	Fault        Outcome = "fault"
	NoStart      Outcome = "no-start"
	Refused      Outcome = "refused"
)

// Outcomes lists every outcome, from harmless to worst, then refused.
var Outcomes = []Outcome{Clean, FunctionLost, Fault, NoStart, Refused}

// Valid reports whether o is one of Outcomes.
func (o Outcome) Valid() bool { return slices.Contains(Outcomes, o) }

// Harm reports whether the outcome counts as harm.
func (o Outcome) Harm() bool { return o == FunctionLost || o.Severe() }

// Severe reports whether the outcome counts for the severe figures.
func (o Outcome) Severe() bool { return o == Fault || o == NoStart }

// severity orders outcomes: the larger one stands where a phone was tried
// more than once.
func (o Outcome) severity() int {
	switch o {
	case FunctionLost:
		return 1
	case Fault:
		return 2
	case NoStart:
		return 3
	}
	return 0
}

// Firmware places a trial or a target: a build of a model of a maker. Fields
// are opaque identities; an empty one means that the target is wider than
// that (a maker has no Model and no Build).
type Firmware struct {
	Build, Model, Maker string
	// Release is the Android release, such as "14".
	Release string
}

// Trial is somebody's taking one package off one phone, as far as the
// calculations need it.
type Trial struct {
	ID string
	// Phone is the keyed hash of the phone's serial number.
	Phone string
	// Person is the technician who reports it; of a trial from outside its phone,
	// which is all that is known of whoever told.
	Person   string
	On       Firmware
	Method   Method
	Outcome  Outcome
	Function string
	// CameBack is true where the package returned by itself afterwards.
	CameBack bool
	// Outside is true where a stranger told of it: it counts less, and such
	// trials alone make nothing more than thin.
	Outside bool
}
