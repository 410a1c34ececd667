package change

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"roster/core/catalog"
)

// TranslationsValue is the value of Translations, by language as a BCP 47 tag.
type TranslationsValue map[string]Translation

// Translation is what people wrote of a package in another language.
type Translation struct {
	// Description is what it does, plain text.
	Description string `json:"description,omitempty" maxLength:"2000"`
	// Functions are the names of functions by their short words.
	Functions map[string]string `json:"functions,omitempty" nullable:"false"`
}

// In is the translation into a language, of a region where that is all there is.
func (v TranslationsValue) In(language string) Translation {
	if t, ok := v[language]; ok {
		return t
	}
	first := ""
	for tag := range v {
		if own, _, _ := strings.Cut(strings.ToLower(tag), "-"); own == language && (first == "" || tag < first) {
			first = tag
		}
	}
	return v[first]
}

func (v TranslationsValue) check() error {
	if len(v) > 200 {
		return errors.New("more than 200 languages")
	}
	for tag, t := range v {
		switch {
		case !language.MatchString(tag) || len(tag) > 40:
			return fmt.Errorf("%q is not a language tag such as de or pt-BR", tag)
		case t.Description == "" && len(t.Functions) == 0:
			return fmt.Errorf("nothing is said in %s", tag)
		case len(t.Description) > 2000 || !utf8.ValidString(t.Description) || strings.ContainsRune(t.Description, 0):
			return fmt.Errorf("the description in %s is over 2000 bytes or not text", tag)
		case len(t.Functions) > 50:
			return fmt.Errorf("more than 50 functions in %s", tag)
		}
		for f, called := range t.Functions {
			if !goodSlug(f) {
				return fmt.Errorf("%q is not a good function", f)
			}
			if !goodName(called) || len(called) > 100 {
				return fmt.Errorf("what %s is called in %s: one line of at most 100 bytes", f, tag)
			}
		}
	}
	return nil
}

func checkGuides(list []catalog.Guide) error {
	if len(list) > 60 {
		return errors.New("more than 60 guides")
	}
	for i, g := range list {
		at := fmt.Sprintf("guide %d", i+1)
		switch {
		case g.From < 0 || g.From > 99 || g.To < 0 || g.To > 99 || g.To != 0 && g.To < g.From:
			return fmt.Errorf("%s: Android releases are numbers such as 13, the first before the last", at)
		case !language.MatchString(g.Language) || len(g.Language) > 40:
			return fmt.Errorf("%s: %q is not a language tag such as de or pt-BR", at, g.Language)
		case len(g.Steps) == 0 || len(g.Steps) > 12:
			return fmt.Errorf("%s: it takes one to twelve steps", at)
		}
		for _, s := range g.Steps {
			if !goodName(s) {
				return fmt.Errorf("%s: a step is one line of at most 200 bytes", at)
			}
		}
	}
	return nil
}
