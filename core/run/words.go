package run

import (
	"slices"
	"strings"

	"roster/core/evidence"
)

// Judge says how a step ended by the phone's own words; old releases answer
// with exit code 0 even to what they refuse, so that the code says little.
// Sense is false where the words are none that Android says to this.
func (s Step) Judge(words string, code int) (state State, sense bool) {
	has := func(list ...string) bool {
		for _, one := range list {
			if strings.Contains(words, one) {
				return true
			}
		}
		return false
	}
	if s.quietens() {
		return s.judgeNoise(words)
	}
	switch s.Kind {
	case Setting, SetBack:
		// Settings answer with nothing where all is well.
		if code == 0 && !has("Error", "Exception", "Invalid") {
			return Done, true
		}
		return Refused, has("Error", "Exception", "Invalid", "Permission", "denied")
	case Remove:
		if s.Method == evidence.Disable && has("new state: disabled") || s.Method != evidence.Disable && has("Success") {
			return Done, true
		}
	case PutBack:
		if s.Method == evidence.Disable && has("new state: enabled") || has("installed for user") {
			return Done, true
		}
	case PutIn:
		if has("installed for user", "Success") {
			return Done, true
		}
	}
	switch {
	case has("not installed for"):
		return Already, true
	case has("Unknown package", "doesn't exist", "NameNotFound"):
		if s.Kind == Remove {
			return Absent, true
		}
		return Failed, true
	case has("find service", "error: closed", "device offline"):
		return Failed, true
	case has("Failure", "Error", "Exception", "not allowed", "denied", "Unknown option", "Unknown command"):
		return Refused, true
	}
	return Failed, false
}

// Advice is what can be done about a step that did not end well.
type Advice string

// The advice that there is.
const (
	// SwitchOff tries to disable what could not be removed.
	SwitchOff Advice = "switch-off"
	// ForUser removes for the user what could not be taken out of the image.
	ForUser Advice = "remove-for-user"
	// Hush quietens what can be neither removed nor switched off.
	Hush Advice = "quieten"
	// Withdraw asks for the device administrator to be withdrawn first.
	Withdraw Advice = "withdraw"
	// Later tries once more when the phone has settled.
	Later Advice = "later"
	// Restore brings it back from a backup.
	Restore Advice = "restore"
	// Leave leaves the package on the phone.
	Leave Advice = "leave"
)

// Meaning is what a phone's refusal means in plain words, and what to try
// next.
type Meaning struct {
	Means string   `json:"means"`
	Try   []Advice `json:"try" nullable:"false"`
}

// sign is what a phone's words hold, and what that means.
type sign struct {
	in string
	Meaning
}

// meanings are looked through in order: the first whose sign the words hold
// stands.
var meanings = []sign{
	{"no root", Meaning{"Only root can take it out of the image, and this phone gives none.", []Advice{ForUser, SwitchOff, Hush, Leave}}},
	{"out of the image", Meaning{"It can't be taken out of the image of this phone.", []Advice{ForUser, SwitchOff, Hush, Leave}}},
	{"DEVICE_POLICY_MANAGER", Meaning{"A device administrator guards it. Withdraw that in the phone's settings under security, then try again.", []Advice{Withdraw, Leave}}},
	{"DELETE_FAILED_INTERNAL_ERROR", Meaning{"The maker protects it on this build.", []Advice{SwitchOff, Hush, Leave}}},
	{"protected package", Meaning{"The maker protects it: it can't be switched off either.", []Advice{Hush, Leave}}},
	{"INSTALL_FAILED_USER_RESTRICTED", Meaning{"Its owner said no on the phone's screen, or the phone does not let a computer install anything: " +
		"look under developer options.", []Advice{Later, Leave}}},
	{"USER_RESTRICTED", Meaning{"This user of the phone may not remove apps.", []Advice{Hush, Leave}}},
	{"OWNER_BLOCKED", Meaning{"Whoever manages the phone does not let it go.", []Advice{Hush, Leave}}},
	{"USED_SHARED_LIBRARY", Meaning{"Another app that is on the phone still uses a library of it.", []Advice{SwitchOff, Hush, Leave}}},
	{"APP_PINNED", Meaning{"It is pinned on the phone's screen: let go of it there, then try again.", []Advice{Later, Leave}}},
	{"DELETE_FAILED_ABORTED", Meaning{"Something on the phone broke the removal off.", []Advice{Later, Leave}}},
	{"doesn't exist", Meaning{"The phone's image holds no copy of it.", []Advice{Restore, Leave}}},
	{"NameNotFound", Meaning{"The phone's image holds no copy of it.", []Advice{Restore, Leave}}},
	{"find service", Meaning{"The phone's system is not up yet.", []Advice{Later}}},
	{"error: closed", Meaning{"The phone hung up before it answered.", []Advice{Later}}},
	{"INSUFFICIENT_STORAGE", Meaning{"There is not enough room for it on the phone.", []Advice{Later, Leave}}},
	{"VERSION_DOWNGRADE", Meaning{"The phone has a newer version of it already.", []Advice{Leave}}},
	{"UPDATE_INCOMPATIBLE", Meaning{"The phone has one of the same name that somebody else signed.", []Advice{Leave}}},
	{"OLDER_SDK", Meaning{"It needs a newer Android than the phone has.", []Advice{Leave}}},
	{"NO_MATCHING_ABIS", Meaning{"It is for another processor.", []Advice{Leave}}},
	{"INSTALL_FAILED_ABORTED", Meaning{"Its owner said no on the phone's screen.", []Advice{Later, Leave}}},
	{"INSTALL_FAILED_VERIFICATION_FAILURE", Meaning{"The phone's own check of apps refused it.", []Advice{Later, Leave}}},
	{"INSTALL_", Meaning{"The phone does not take the file.", []Advice{Leave}}},
	{"SecurityException", Meaning{"The phone does not give a computer the right to do this.", []Advice{Leave}}},
}

// Explain says what a phone's words mean that are no good answer to a step.
func (s Step) Explain(words string) Meaning {
	m := Meaning{"The phone does not say why.", []Advice{SwitchOff, Hush, Leave}}
	if i := slices.IndexFunc(meanings, func(m sign) bool { return strings.Contains(words, m.in) }); i >= 0 {
		m = meanings[i].Meaning
	}
	m.Try = slices.DeleteFunc(slices.Clone(m.Try), func(a Advice) bool { return !s.may(a) })
	return m
}

// may reports whether advice can be followed for a step: only what is gentler than
// what was tried.
func (s Step) may(a Advice) bool {
	switch a {
	case SwitchOff:
		return s.Kind == Remove && gentler(evidence.Disable, s.Method)
	case ForUser:
		return s.Kind == Remove && gentler(evidence.RemoveForUser, s.Method)
	case Hush:
		return s.Kind == Remove && gentler(evidence.Quieten, s.Method)
	}
	return true
}
