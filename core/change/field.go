package change

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"

	"roster/core/catalog"
	"roster/core/evidence"
)

// Field is one thing that the catalogue says of a package and that an edit
// can set. Trial and Source are the exceptions: an edit of them adds one.
type Field string

// The fields.
const (
	Load        Field = "load"
	Trial       Field = "trial"
	Source      Field = "source"
	Description Field = "description"
	Origin      Field = "origin"
	Functions   Field = "functions"
	Labels      Field = "labels"
	Aliases     Field = "aliases"
	Substitutes Field = "substitutes"
	Countries   Field = "countries"
	Links       Field = "links"
)

// Adds reports whether an edit of the field adds to what is there instead of
// taking its place.
func (f Field) Adds() bool { return f == Trial || f == Source }

// LoadValue is the value of Load.
type LoadValue struct {
	Load       evidence.Load `json:"load" enum:"loose,leaned-on,tied-in,load-bearing,unproven"`
	Conditions []string      `json:"conditions,omitempty" nullable:"false"`
}

const maxText = 10_000

var (
	slug     = regexp.MustCompile(`^[a-z][a-z0-9]*(-[a-z0-9]+)*$`)
	language = regexp.MustCompile(`^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$`)
	// ISO 3166-1 alpha-2
	country = regexp.MustCompile(`^[A-Z]{2}$`)
)

// Check reports whether value is a good one for the field at the scope; the
// error is for the person who typed it. A nil value or JSON null clears a
// field, which one that adds can't be.
func Check(field Field, scope catalog.Scope, value json.RawMessage) error {
	check, ok := checks[field]
	if !ok {
		return fmt.Errorf("there is no field %q", field)
	}
	if err := scope.Check(); err != nil {
		return err
	}
	if field != Load && field != Source && scope.Kind != catalog.Everywhere {
		return fmt.Errorf("%s is the same everywhere: it takes no narrower scope", field)
	}
	if isNull(value) {
		if field.Adds() {
			return fmt.Errorf("a %s can't be empty", field)
		}
		return nil
	}
	return check(value)
}

// checks has each field's own rules.
var checks = map[Field]func(json.RawMessage) error{
	Load:        checkLoad,
	Trial:       checkTrial,
	Source:      checkSource,
	Substitutes: checkSubstitutes,
	Links:       checkLinks,
	Labels:      checkLabels,
	Description: checkDescription,
	Origin:      checkOrigin,
	Functions:   func(value json.RawMessage) error { return checkList(value, "function", goodSlug) },
	Aliases:     func(value json.RawMessage) error { return checkList(value, "alias", goodName) },
	Countries: func(value json.RawMessage) error {
		return checkList(value, "country code such as NO", country.MatchString)
	},
}

func checkDescription(value json.RawMessage) error {
	var text string
	if err := strict(value, &text); err != nil {
		return err
	}
	return checkText("the description", text)
}

func checkOrigin(value json.RawMessage) error {
	var o catalog.Origin
	if err := strict(value, &o); err != nil {
		return err
	}
	if !o.Valid() {
		return fmt.Errorf("origin %q is not known", o)
	}
	return nil
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

func goodSlug(s string) bool { return len(s) <= 40 && slug.MatchString(s) }

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
