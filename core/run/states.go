package run

// RunState is how far a run is; State is that of one of its steps.
type RunState string

// The states of a run.
const (
	Going       RunState = "going"
	Stopped     RunState = "stopped"     // by a person
	Held        RunState = "held"        // by a guard
	Interrupted RunState = "interrupted" // its bench or its phone went away
	Finished    RunState = "finished"
	BackAsItWas RunState = "put-back"
)

// RunStates lists every state of a run, StepStates every state of a step.
var (
	RunStates  = []RunState{Going, Stopped, Held, Interrupted, Finished, BackAsItWas}
	StepStates = []State{Waiting, Sent, Done, Already, Absent, Refused, Failed, Skipped, Unknown}
)
