package change

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/strictjson"
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
	// Translations are of a package's description and of the functions that it
	// carries; Debugging is how owners let phones listen to a computer, of the
	// package that has the phone's settings.
	Translations Field = "translations"
	Debugging    Field = "debugging"
)

// Adds reports whether an edit of the field adds to what is there instead of
// taking its place.
func (f Field) Adds() bool { return f == Trial || f == Source }

// scoped reports whether the field can say something else of some phones than
// everywhere.
func (f Field) scoped() bool { return f == Load || f == Source || f == Debugging }

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

// Canonical reads a value for a field at a scope and returns both as they are
// kept: the value in its field's own JSON, with nothing in it but what was
// checked, ids in the one form that they have. The error is for the person who
// typed it. A nil value or JSON null clears a field, which one that adds can't
// be, and comes back as nil.
func Canonical(field Field, scope catalog.Scope, value json.RawMessage) (catalog.Scope, json.RawMessage, error) {
	read := readerOf(field)
	if read == nil {
		return scope, nil, fmt.Errorf("there is no field %q", field)
	}
	if err := scope.Check(); err != nil {
		return scope, nil, err
	}
	if err := canonicalID("the scope", &scope.ID); err != nil {
		return scope, nil, err
	}
	if !field.scoped() && scope.Kind != catalog.Everywhere {
		return scope, nil, fmt.Errorf("%s is the same everywhere: it takes no narrower scope", field)
	}
	if isNull(value) {
		if field.Adds() {
			return scope, nil, fmt.Errorf("a %s can't be empty", field)
		}
		return scope, nil, nil
	}
	checked, err := read(value)
	if err != nil {
		return scope, nil, err
	}
	kept, err := json.Marshal(checked)
	return scope, kept, err
}

// Check reports whether value is a good one for the field at the scope; see
// Canonical.
func Check(field Field, scope catalog.Scope, value json.RawMessage) error {
	_, _, err := Canonical(field, scope, value)
	return err
}

// readerOf reads and checks the value of a field, and returns it in its type;
// nil for a field that is none. It is a function, and no table, so that programs
// that read no changes go without all that this takes.
func readerOf(f Field) func(json.RawMessage) (any, error) {
	switch f {
	case Load:
		return readAs(LoadValue.check)
	case Trial:
		return readAs((*TrialValue).check)
	case Source:
		return readAs((*SourceValue).check)
	case Substitutes:
		return readAs(checkSubstitutes)
	case Links:
		return readAs(checkLinks)
	case Translations:
		return readAs(TranslationsValue.check)
	case Debugging:
		return readAs(checkGuides)
	case Labels:
		return readAs(checkLabels)
	case Description:
		return readAs(func(text string) error { return checkText("the description", text) })
	case Origin:
		return readAs(checkOrigin)
	case Functions:
		return readAs(func(list []string) error { return checkList(list, "function", goodSlug) })
	case Aliases:
		return readAs(func(list []string) error { return checkList(list, "alias", goodName) })
	case Countries:
		return readAs(func(list []string) error { return checkList(list, "country code such as NO", country.MatchString) })
	}
	return nil
}

// readAs reads a value into the type that check takes.
func readAs[T any](check func(T) error) func(json.RawMessage) (any, error) {
	return func(value json.RawMessage) (any, error) {
		var v T
		if err := strictjson.Unmarshal(value, &v); err != nil {
			return nil, fmt.Errorf("the value does not have the shape of its field: %w", err)
		}
		return v, check(v)
	}
}

func checkOrigin(o catalog.Origin) error {
	if !o.Valid() {
		return fmt.Errorf("origin %q is not known", o)
	}
	return nil
}

func (v LoadValue) check() error {
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

func checkLabels(v map[string]string) error {
	if len(v) > 200 {
		return errors.New("more than 200 languages")
	}
	for lang, label := range v {
		if !language.MatchString(lang) || len(lang) > 40 {
			return fmt.Errorf("%q is not a language tag such as de or pt-BR", lang)
		}
		if !goodName(label) {
			return fmt.Errorf("the label for %s is empty, over 200 bytes or not text", lang)
		}
	}
	return nil
}

func checkList(v []string, what string, good func(string) bool) error {
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

// canonicalID brings an id into the one form that it has, of the several that
// mean the same; "" stays.
func canonicalID(what string, id *string) error {
	if *id == "" {
		return nil
	}
	parsed, err := uuid.Parse(*id)
	if err != nil {
		return fmt.Errorf("%s is not an id: %q", what, *id)
	}
	*id = parsed.String()
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
