package run

import (
	"fmt"
	"slices"
	"strconv"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/posix"
	"roster/core/profile"
)

// Kind is what a step of a run does.
type Kind string

// The kinds of steps: those of a release that a bench can see to, and those
// that only a run has.
const (
	PutIn         Kind = "put-in"
	WithdrawAdmin Kind = "withdraw-admin"
	Condition     Kind = "condition"
	Setting       Kind = "setting"
	Remove        Kind = "remove"
	Wait          Kind = "wait"
	Restart       Kind = "restart"
	// Measure asks what it uses.
	Measure Kind = "measure"
	// Look asks the phone what it has, and what came back.
	Look Kind = "look"
	// PutBack and SetBack take back a removal and a setting, TakeOut what was put
	// in.
	PutBack Kind = "put-back"
	SetBack Kind = "set-back"
	TakeOut Kind = "take-out"
)

// Undoes reports whether a step of the kind takes another one back.
func (k Kind) Undoes() bool { return k == PutBack || k == SetBack || k == TakeOut }

// Alone reports whether nothing else may be under way beside a step of the kind.
func (k Kind) Alone() bool { return !slices.Contains([]Kind{Remove, PutBack, Setting, SetBack}, k) }

// State is how a step stands.
type State string

// The states: what waits, what is on its way, and how a step ends.
const (
	Waiting State = "waiting"
	Sent    State = "sent"
	Done    State = "done"
	Already State = "already"
	Absent  State = "absent"
	Refused State = "refused"
	Failed  State = "failed"
	Skipped State = "skipped"
	Unknown State = "unknown"
)

// Ended reports whether nothing more will come of the step by itself.
func (s State) Ended() bool { return s != Waiting && s != Sent && s != Unknown }

// Step is one thing that a run does to the phone. Number counts from 1, also
// over steps that were added later; they are done in the order of numbers.
type Step struct {
	Number  int                 `json:"number"`
	Kind    Kind                `json:"kind" enum:"put-in,withdraw-admin,condition,setting,remove,wait,restart,measure,look,put-back,set-back,take-out"`
	Method  evidence.Method     `json:"method,omitempty"`
	Package android.PackageName `json:"package,omitempty"`
	Label   string              `json:"label,omitempty"`
	// Role is the job that a package which is put in must hold, File the file that
	// it comes from, Grants the permissions that it is given.
	Role      string           `json:"role,omitempty"`
	File      *profile.FilePin `json:"file,omitempty" nullable:"false"`
	Grants    []string         `json:"grants,omitempty" nullable:"false"`
	Namespace string           `json:"namespace,omitempty"`
	Key       string           `json:"key,omitempty"`
	// Value is what a setting is set to; of a SetBack what it had, null where
	// it was not set at all; of the PutBack of what was quietened what it might
	// do before, as android.Noise writes itself; of that of what was taken out of the
	// image how it lay there, as android.Image does; and of a TakeOut how it was
	// before, as Place writes itself.
	Value   string `json:"value,omitempty"`
	Seconds int    `json:"seconds,omitempty"`
	Text    string `json:"text,omitempty"`
	// WithData is true where what an app had written goes with it, which is taken
	// out of the image.
	WithData bool `json:"withData,omitempty"`
	// If is the condition of a Condition step that the phone can be asked
	// about, "" where a person saw to it.
	If string `json:"if,omitempty"`
	// Undoes is the number of the step that this one takes back, and Again
	// that of the removal which it does once more; 0 for none.
	Undoes int `json:"undoes,omitempty"`
	Again  int `json:"again,omitempty"`
	// Sheet is the number of the release's step, 0 for the run's own.
	Sheet int `json:"sheet,omitempty"`
}

// NotSet is what the platform says for the value of a setting without one.
const NotSet = "null"

// Command is the line that does a step on a phone of an API level; "" for
// steps that are no command, and an error for those on the image. Every name in it has been checked.
func (s Step) Command(sdk int) (string, error) {
	if s.Package != "" {
		if _, err := android.ParsePackageName(string(s.Package)); err != nil {
			return "", fmt.Errorf("step %d: %w", s.Number, err)
		}
	}
	if s.FromImage() {
		return "", fmt.Errorf("step %d: what root does to the image takes more than a command", s.Number)
	}
	switch s.Kind {
	case Remove:
		if s.quietens() {
			return android.QuietenCommand(s.Package, sdk), nil
		}
		if s.Method == evidence.Disable {
			return "pm disable-user --user 0 " + string(s.Package), nil
		}
		if s.Method != evidence.RemoveForUser {
			return "", fmt.Errorf("step %d: a bench does not remove by %q", s.Number, s.Method)
		}
		return "pm uninstall --user 0 " + string(s.Package), nil
	case PutBack:
		if s.quietens() {
			return s.louden()
		}
		if s.Method == evidence.Disable {
			return "pm enable --user 0 " + string(s.Package), nil
		}
		return installExisting(sdk, s.Package), nil
	case PutIn:
		if s.Package == "" {
			return "", nil
		}
		return installExisting(sdk, s.Package), nil
	case Setting, SetBack:
		if err := s.Touches().check(); err != nil {
			return "", fmt.Errorf("step %d: %w", s.Number, err)
		}
		if s.Kind == SetBack && s.Value == NotSet {
			return "settings delete " + s.Namespace + " " + s.Key, nil
		}
		return "settings put " + s.Namespace + " " + s.Key + " " + posix.Quote(s.Value), nil
	}
	return "", nil
}

// installExisting brings back the image's own copy of a package.
func installExisting(sdk int, name android.PackageName) string {
	if sdk < 28 {
		return "pm install-existing --user 0 " + string(name)
	}
	return "cmd package install-existing --user 0 " + string(name)
}

// Seen is what a phone has at one moment, as far as a run needs it.
type Seen struct {
	Fingerprint string `json:"fingerprint"`
	SDK         int    `json:"sdk"`
	// Boots counts the phone's starts, 0 where it does not tell.
	Boots int `json:"boots"`
	// Known are the packages that the phone knows at all, Installed those that
	// are there for its first user, and Off those of them that are switched
	// off.
	Known     []android.PackageName `json:"known" nullable:"false"`
	Installed []android.PackageName `json:"installed" nullable:"false"`
	Off       []android.PackageName `json:"off" nullable:"false"`
	Facts     android.PhoneFacts    `json:"facts"`
	// Settings are the values of keys, as Key writes itself.
	Settings map[string]string `json:"settings"`
}

// Package reports how a package is.
func (s *Seen) Package(name android.PackageName) (known, installed, off bool) {
	return slices.Contains(s.Known, name), slices.Contains(s.Installed, name), slices.Contains(s.Off, name)
}

// Settle says how a step that was sent, and of whose answer nobody knows,
// ended: what the phone shows. A step of which the phone shows nothing waits
// again: it was not done.
func (s Step) Settle(seen *Seen, before string) (State, string) {
	known, installed, off := seen.Package(s.Package)
	if s.quietens() {
		return s.settleNoise(seen, known && installed)
	}
	if s.FromImage() {
		return s.settleImage(seen)
	}
	switch s.Kind {
	case Remove:
		switch {
		case s.Method == evidence.Disable && off, s.Method != evidence.Disable && !installed:
			return Done, "the answer was lost; the phone shows that it was done"
		case !known:
			return Absent, "not on this phone"
		}
	case TakeOut:
		if !installed && ParsePlace(s.Value).Absent {
			return Done, "the answer was lost; the phone shows that it was done"
		}
	case PutIn:
		if installed && s.Role == "" && len(s.Grants) == 0 {
			return Done, "the answer was lost; the phone shows that it was done"
		}
		if installed && ParsePlace(before).Absent {
			return Waiting, halfPutIn
		}
	case PutBack:
		if installed && (s.Method != evidence.Disable || !off) {
			return Done, "the answer was lost; the phone shows that it was done"
		}
	case Setting, SetBack:
		if seen.Settings[s.Touches().String()] == s.Value {
			return Done, "the answer was lost; the phone shows that it was done"
		}
	case Restart:
		if n, err := strconv.Atoi(before); err == nil && seen.Boots > n {
			return Done, "it has restarted since"
		}
	}
	return Waiting, ""
}

// Holds tells whether a condition that the phone can be asked about holds on
// it now.
func (s *Seen) Holds(text, form string) bool {
	c, ok := impact.ParseCondition(text)
	if !ok {
		return false
	}
	var is bool
	switch c.Kind {
	case "lock-code-set":
		is = s.Facts.LockCode == android.LockCodeSet
	case "device-admin":
		is = slices.Contains(s.Facts.Administrators, android.PackageName(c.Of))
	case "role-held":
		is = len(impact.Able(s.Facts)[c.Of]) > 0
	}
	return is != c.Not
}
