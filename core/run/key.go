package run

import (
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

// Key names something of a phone that a step changes and that has to be known
// before, to be put back: a setting, or, in the namespace Quiet, what the package
// with the key's name may do unasked; in the namespace Image how it lies there.
type Key struct {
	Namespace string `json:"namespace" enum:"global,secure,system,quiet,image"`
	Key       string `json:"key" maxLength:"255"`
}

// Quiet is the namespace of packages that are quietened.
const Quiet = "quiet"

// Touches is what a step changes; the zero Key where that needs no value before.
func (s Step) Touches() Key {
	switch {
	case s.Kind == Setting || s.Kind == SetBack:
		return Key{s.Namespace, s.Key}
	case s.quietens():
		return Key{Quiet, string(s.Package)}
	case s.FromImage():
		return Key{Image, string(s.Package)}
	}
	return Key{}
}

// String is namespace/key.
func (k Key) String() string { return k.Namespace + "/" + k.Key }

// check refuses what does not belong into a command.
func (k Key) check() error {
	if k.Namespace == Quiet || k.Namespace == Image {
		_, err := android.ParsePackageName(k.Key)
		return err
	}
	return profile.CheckSetting(k.Namespace, k.Key)
}

// Get is the command that reads it; Value makes of its answer what is kept. It
// fails for what NeedsRoot: that takes more than one.
func (k Key) Get() (string, error) {
	if err := k.check(); err != nil {
		return "", err
	}
	switch k.Namespace {
	case Quiet:
		return android.NoiseQuestion(android.PackageName(k.Key)), nil
	case Image:
		return "", fmt.Errorf("%s: how it lies on the image is asked of root", k.Key)
	}
	return "settings get " + k.Namespace + " " + k.Key, nil
}

// Value is what an answer to Get says, "" where that is nothing.
func (k Key) Value(answer string) string {
	if k.Namespace != Quiet {
		return strings.TrimSpace(strings.ReplaceAll(answer, "\r", ""))
	}
	noise, ok := android.ReadNoise(answer)
	if !ok {
		return ""
	}
	return noise.String()
}

// Keys are what steps touch, each once.
func Keys(steps []Step) []Key {
	var list []Key
	for _, s := range steps {
		if k := s.Touches(); k != (Key{}) && !slices.Contains(list, k) {
			list = append(list, k)
		}
	}
	return list
}

// quietWords is what is said of a package that is quiet in every way.
var quietWords = android.Noise{Any: "ignore"}.Words()

// Had is what a step that waits is to write down before it is sent: ok where the
// phone has just told it.
func (s Step) Had(seen *Seen) (value string, ok bool) {
	if s.Kind == PutIn && s.Package != "" {
		return s.placeOf(seen).String(), true
	}
	if s.Kind.Undoes() || s.Touches() == (Key{}) {
		return "", false
	}
	value, ok = seen.Settings[s.Touches().String()]
	if s.FromImage() {
		_, ok = s.ImageOf(seen)
	}
	return android.Printable(value, 500), ok
}

// quietens reports whether a step quietens a package, or gives it back what it
// might do before.
func (s Step) quietens() bool {
	return s.Method == evidence.Quieten && (s.Kind == Remove || s.Kind == PutBack)
}

// louden is the line that puts back what was quietened.
func (s Step) louden() (string, error) {
	before, ok := android.ParseNoise(s.Value)
	if !ok {
		return "", fmt.Errorf("step %d: nobody wrote down what %s might do before", s.Number, s.Package)
	}
	return android.LoudenCommand(s.Package, before), nil
}

// judgeNoise says how a step that quietens, or undoes it, ended: what the phone
// shows right after it counts, not what it answered to each command.
func (s Step) judgeNoise(words string) (state State, sense bool) {
	now, ok := android.ReadNoise(words)
	before, _ := android.ParseNoise(s.Value)
	switch {
	case !ok && strings.Contains(words, "No UID"):
		return Absent, true
	case !ok:
		return Failed, strings.Contains(words, "Error") || strings.Contains(words, "Exception")
	case s.Kind == Remove && !now.Background(), s.Kind == PutBack && now.Restored(before):
		return Done, true
	}
	return Refused, true
}

// settleNoise is Settle for steps that quieten.
func (s Step) settleNoise(seen *Seen, there bool) (State, string) {
	now, ok := android.ParseNoise(seen.Settings[s.Touches().String()])
	before, _ := android.ParseNoise(s.Value)
	switch {
	case !there && s.Kind == Remove:
		return Absent, "not on this phone"
	case ok && s.Kind == Remove && now.Quiet(), ok && s.Kind == PutBack && now.Restored(before):
		return Done, "the answer was lost; the phone shows that it was done"
	}
	return Waiting, ""
}

// Says is what is kept of a phone's words about a step.
func (s Step) Says(words string) string {
	if !s.quietens() {
		return words
	}
	now, ok := android.ReadNoise(words)
	if !ok {
		return words
	}
	said, _, _ := strings.Cut(words, "--noise-") // what single commands had to say
	said = strings.Join(strings.Fields(said), " ")
	if s.Kind == PutBack {
		if before, _ := android.ParseNoise(s.Value); now.Restored(before) {
			return "as before"
		}
		return strings.TrimSpace("not as before: " + now.Words() + ". " + said)
	}
	if now.Quiet() || !strings.Contains(said, "rror") && !strings.Contains(said, "xception") {
		return now.Words()
	}
	return now.Words() + ". " + said
}

// Undone reports whether what a step took off is back on a phone that was looked
// at: there again, on again, loud again.
func (j Journal) Undone(seen *Seen) bool {
	_, installed, off := seen.Package(j.Package)
	switch j.Method {
	case evidence.Quieten:
		now, ok := android.ParseNoise(seen.Settings[j.Touches().String()])
		// What could not be taken from it at the time is no news.
		again := now.Background() || j.Words == quietWords && !now.Quiet()
		return installed && !off && ok && again
	case evidence.Disable:
		return installed && !off
	}
	return installed
}
