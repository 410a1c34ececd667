package change

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"roster/core/catalog"
	"roster/core/evidence"
)

// Field is one thing that the catalogue says of a package and that an edit
// can set. Trial is the exception: an edit of it adds one.
type Field string

// The fields.
const (
	Load        Field = "load"
	Trial       Field = "trial"
	Description Field = "description"
	Origin      Field = "origin"
	Functions   Field = "functions"
	Labels      Field = "labels"
	Aliases     Field = "aliases"
)

// LoadValue is the value of Load.
type LoadValue struct {
	Load       evidence.Load `json:"load" enum:"loose,leaned-on,tied-in,load-bearing,unproven"`
	Conditions []string      `json:"conditions,omitempty" nullable:"false"`
}

// Persistence is whether a removal lasted.
var persistences = []string{"held", "back-after-restart", "back-after-update", "not-watched"}

// Recovery is what it took to undo a removal.
var recoveries = []string{"put-back", "reset", "reflash", "not-tried"}

// TrialValue is the value of Trial: what somebody saw on one phone.
type TrialValue struct {
	// Build is the identity of the phone's firmware.
	Build string `json:"build"`
	// Phone is the keyed hash of its serial number, or an anonymous mark
	// that tells this person's phones apart.
	Phone       string           `json:"phone"`
	Method      evidence.Method  `json:"method" enum:"disable,remove-for-user,remove-from-image"`
	Outcome     evidence.Outcome `json:"outcome" enum:"clean,function-lost,fault,no-start,refused"`
	Function    string           `json:"function,omitempty"`
	Persistence string           `json:"persistence" enum:"held,back-after-restart,back-after-update,not-watched"`
	Recovery    string           `json:"recovery" enum:"put-back,reset,reflash,not-tried"`
	// WatchedDays is how long the phone was used afterwards.
	WatchedDays int    `json:"watchedDays" minimum:"0" maximum:"3650"`
	Note        string `json:"note,omitempty"`
}

const maxText = 10_000

var (
	slug     = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)
	language = regexp.MustCompile(`^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$`)
)

// Check reports whether value is a good one for the field at the scope; the
// error is for the person who typed it. A nil value or JSON null clears a
// field, which a trial can't be.
func Check(field Field, scope catalog.Scope, value json.RawMessage) error {
	if err := scope.Check(); err != nil {
		return err
	}
	if field != Load && scope.Kind != catalog.Everywhere {
		return fmt.Errorf("%s is the same everywhere: it takes no narrower scope", field)
	}
	if isNull(value) {
		if field == Trial {
			return errors.New("a trial can't be empty")
		}
		return nil
	}
	switch field {
	case Load:
		return checkLoad(value)
	case Trial:
		return checkTrial(value)
	case Description:
		var text string
		if err := strict(value, &text); err != nil {
			return err
		}
		return checkText("the description", text)
	case Origin:
		var o catalog.Origin
		if err := strict(value, &o); err != nil {
			return err
		}
		if !o.Valid() {
			return fmt.Errorf("origin %q is not known", o)
		}
		return nil
	case Functions:
		return checkList(value, "function", func(s string) bool { return len(s) <= 40 && slug.MatchString(s) })
	case Aliases:
		return checkList(value, "alias", goodName)
	case Labels:
		return checkLabels(value)
	}
	return fmt.Errorf("there is no field %q", field)
}

func checkLoad(value json.RawMessage) error {
	var v LoadValue
	if err := strict(value, &v); err != nil {
		return err
	}
	if !v.Load.Valid() {
		return fmt.Errorf("load %q is not known", v.Load)
	}
	if len(v.Conditions) > 20 {
		return errors.New("more than 20 conditions")
	}
	for _, c := range v.Conditions {
		if strings.TrimSpace(c) == "" || len(c) > 500 || !utf8.ValidString(c) {
			return errors.New("a condition is empty, over 500 bytes or not text")
		}
	}
	return nil
}

func checkTrial(value json.RawMessage) error {
	var v TrialValue
	if err := strict(value, &v); err != nil {
		return err
	}
	switch {
	case v.Build == "":
		return errors.New("a trial needs the build that it was made on")
	case v.Phone == "" || len(v.Phone) > 64:
		return errors.New("a trial needs the phone that it was made on")
	case !v.Method.Valid():
		return fmt.Errorf("method %q is not known", v.Method)
	case !v.Outcome.Valid():
		return fmt.Errorf("outcome %q is not known", v.Outcome)
	case v.Outcome == evidence.FunctionLost && !slug.MatchString(v.Function):
		return errors.New("say which function was lost, as a short word such as payments")
	case v.Outcome != evidence.FunctionLost && v.Function != "":
		return errors.New("a function belongs to the outcome function-lost alone")
	case v.Outcome == evidence.Refused && strings.TrimSpace(v.Note) == "":
		return errors.New("a refused trial needs the phone's words in its note")
	case !slices.Contains(persistences, v.Persistence):
		return fmt.Errorf("persistence %q is not known", v.Persistence)
	case !slices.Contains(recoveries, v.Recovery):
		return fmt.Errorf("recovery %q is not known", v.Recovery)
	case v.WatchedDays < 0 || v.WatchedDays > 3650:
		return errors.New("days watched: want 0 to 3650")
	}
	return checkText("the note", v.Note)
}

func checkLabels(value json.RawMessage) error {
	var v map[string]string
	if err := strict(value, &v); err != nil {
		return err
	}
	for lang, label := range v {
		if !language.MatchString(lang) {
			return fmt.Errorf("%q is not a language tag such as de or pt-BR", lang)
		}
		if !goodName(label) {
			return fmt.Errorf("the label for %s is empty, over 200 bytes or not text", lang)
		}
	}
	return nil
}

func checkList(value json.RawMessage, what string, good func(string) bool) error {
	var v []string
	if err := strict(value, &v); err != nil {
		return err
	}
	if len(v) > 50 {
		return fmt.Errorf("more than 50 entries for %s", what)
	}
	for _, s := range v {
		if !good(s) {
			return fmt.Errorf("%q is not a good %s", s, what)
		}
	}
	return nil
}

func checkText(what, s string) error {
	if len(s) > maxText {
		return fmt.Errorf("%s is %d bytes long, at most %d", what, len(s), maxText)
	}
	if !utf8.ValidString(s) || strings.ContainsRune(s, 0) {
		return fmt.Errorf("%s is not text", what)
	}
	return nil
}

func goodName(s string) bool {
	return strings.TrimSpace(s) != "" && len(s) <= 200 && utf8.ValidString(s) && !strings.ContainsAny(s, "\x00\n\r")
}

func isNull(v json.RawMessage) bool {
	v = bytes.TrimSpace(v)
	return len(v) == 0 || string(v) == "null"
}

func strict(value json.RawMessage, into any) error {
	d := json.NewDecoder(bytes.NewReader(value))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		return fmt.Errorf("the value does not have the shape of its field: %w", err)
	}
	return nil
}
