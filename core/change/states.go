package change

// State is how far a change is. The same words say what became of an edit.
type State string

// The states of changes and edits.
const (
	// Sent is a change that waits for its reviewers.
	Sent State = "sent"
	// InTray and Open are an edit before it was sent, and while nobody has
	// decided about it.
	InTray State = "in-tray"
	Open   State = "open"

	Accepted   State = "accepted"
	Returned   State = "returned"
	TurnedDown State = "turned-down"
	TakenBack  State = "taken-back"
	// Replaced is an edit that a newer round has taken the place of.
	Replaced State = "replaced"
)

// States lists the states of changes, EditStates those of edits.
var (
	States     = []State{Sent, Accepted, Returned, TurnedDown, TakenBack}
	EditStates = []State{InTray, Open, Accepted, Returned, TurnedDown, TakenBack, Replaced}
)
