package run

import (
	"errors"

	"roster/core/android"
)

// Report is what a bench tells of a run that it does: what came of steps, what
// the phone shows, and for how many more it has room.
type Report struct {
	Attempt int `json:"attempt"`
	// Serial is the phone's serial number, of which the server keeps a keyed
	// hash; in the first report.
	Serial  string       `json:"serial,omitempty" maxLength:"200"`
	Seen    *Seen        `json:"seen,omitempty"`
	Answers []StepAnswer `json:"answers" nullable:"false" maxItems:"5000"`
	// Flying are steps that were sent and whose answers are still to come.
	Flying []int `json:"flying" nullable:"false" maxItems:"100"`
	// Want is how many steps it takes now.
	Want int `json:"want" minimum:"0" maximum:"100"`
	// Saved is what the bench has saved of folders on the image for this run, and has
	// not told in this attempt.
	Saved []SavedFolder `json:"saved,omitempty" nullable:"false" maxItems:"2000"`
	// End says that nothing more is sent: interrupted, or held by a guard; Why
	// in words.
	End string `json:"end,omitempty" enum:"interrupted,held,"`
	Why string `json:"why,omitempty" maxLength:"1000"`
}

// StepAnswer is what came of a step. A step that was not sent after all is waiting
// again.
type StepAnswer struct {
	Step  int    `json:"step"`
	State State  `json:"state"`
	Words string `json:"words" maxLength:"2000"`
	// Took is for how long the phone had it, in milliseconds.
	Took int64 `json:"took"`
	// Measured is what the phone uses, of a step that measures it.
	Measured *android.Measurement `json:"measured,omitempty"`
}

// SavedFolder is what a bench saved of a package's folder on the image, in a backup
// that has the run's own identity.
type SavedFolder struct {
	Package android.PackageName `json:"package"`
	Files   int                 `json:"files"`
	Bytes   int64               `json:"bytes"`
	// Folder is where it lies on the bench's computer.
	Folder string `json:"folder" maxLength:"1000"`
}

// Orders are what a bench is to do next. Each step in it has been written
// down as sent.
type Orders struct {
	// Form is the phone's: phone, tablet and so on.
	Form  string `json:"form"`
	Steps []Step `json:"steps" nullable:"false"`
	// Done is true when nothing is left to do, Stop when a person stopped it.
	Done bool `json:"done"`
	Stop bool `json:"stop"`
	// Keys are the settings that the run touches.
	Keys []Key `json:"keys" nullable:"false"`
}

// ErrSuperseded says that somebody else has gone on with a run, or that it was
// ended.
var ErrSuperseded = errors.New("this run is no longer this bench's")
