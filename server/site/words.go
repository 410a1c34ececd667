package site

import (
	"encoding/json"
	"fmt"
	"html/template"
	"io/fs"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/text/feature/plural"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/number"

	"roster/core/wording"
	"roster/web"
)

// Language is a language that public pages are written in.
type Language struct {
	// Code is as in addresses and in HTML's lang, Name as its speakers call it.
	Code, Name string
	// Left is true where it is written from right to left.
	Left bool
	// Here is true for the one of the page.
	Here bool
	// At is the page in this language.
	At string
}

// Languages lists them, English first: its addresses have no prefix.
var Languages = []Language{
	{Code: "en", Name: "English"}, {Code: "de", Name: "Deutsch"}, {Code: "es", Name: "Español"}, {Code: "fr", Name: "Français"},
	{Code: "pt", Name: "Português"}, {Code: "hi", Name: "हिन्दी"}, {Code: "ar", Name: "العربية", Left: true}, {Code: "zh", Name: "简体中文"},
}

// matcher finds the language that a browser would like best.
var matcher = language.NewMatcher(func() (tags []language.Tag) {
	for _, l := range Languages {
		tags = append(tags, language.MustParse(l.Code))
	}
	return tags
}())

// Wished is the code of the language that an Accept-Language header asks for; en
// where it asks for none that there is.
func Wished(header string) string {
	tags, _, err := language.ParseAcceptLanguage(header)
	if err != nil || len(tags) == 0 {
		return "en"
	}
	_, i, sure := matcher.Match(tags...)
	if sure == language.No {
		return "en"
	}
	return Languages[i].Code
}

// Known is a language's code where there is one of it, and else en.
func Known(code string) string {
	if slices.ContainsFunc(Languages, func(l Language) bool { return l.Code == code }) {
		return code
	}
	return "en"
}

// InLanguage is the address of a page in a language.
func InLanguage(code, path string) string {
	if code == "en" {
		return path
	}
	return "/" + code + path
}

// SplitLanguage takes an address apart into its language and that of the English
// page.
func SplitLanguage(path string) (code, rest string) {
	first, after, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	if i := slices.IndexFunc(Languages, func(l Language) bool { return l.Code == first }); i > 0 {
		return first, "/" + after
	}
	return "en", path
}

// speaker says sentences in one language.
type speaker struct {
	Language
	tag     language.Tag
	words   map[string]string
	english map[string]string
	print   *message.Printer
}

// speakers are those of all languages, by their codes.
var speakers = sync.OnceValue(func() map[string]*speaker {
	all := map[string]*speaker{}
	for _, l := range Languages {
		raw, err := fs.ReadFile(web.Words, "words/"+l.Code+".json")
		if err != nil {
			panic(err) // it is embedded
		}
		s := &speaker{Language: l, tag: language.MustParse(l.Code), words: map[string]string{}}
		s.print = message.NewPrinter(s.tag)
		if err := json.Unmarshal(raw, &s.words); err != nil {
			panic(fmt.Errorf("the words of %s: %w", l.Code, err))
		}
		all[l.Code] = s
	}
	for _, s := range all {
		s.english = all["en"].words
	}
	return all
})

// say fills a sentence in: after its key come names and values by turns. One that
// the language lacks is said in English; whole numbers are written as it does.
func (s *speaker) say(key string, filling ...any) (string, error) {
	text, ok := s.words[key]
	if !ok {
		text, ok = s.english[key]
	}
	if !ok {
		return "", fmt.Errorf("there is no sentence %q", key)
	}
	pairs := make([]string, 0, len(filling))
	for i := 0; i+1 < len(filling); i += 2 {
		value := filling[i+1]
		switch value.(type) {
		case int, int64:
			value = s.print.Sprint(value)
		}
		pairs = append(pairs, "{"+fmt.Sprint(filling[i])+"}", fmt.Sprint(value))
	}
	return strings.NewReplacer(pairs...).Replace(text), nil
}

// many is say for a number of things, by the language's own rules.
func (s *speaker) many(key string, n int, filling ...any) (string, error) {
	form := key + "." + formNames[plural.Cardinal.MatchPlural(s.tag, n, 0, 0, 0, 0)]
	if _, ok := s.words[form]; !ok {
		form = key + ".other"
	}
	return s.say(form, append(filling, "n", n)...)
}

// formNames are what plural forms are called in keys.
var formNames = map[plural.Form]string{plural.Zero: "zero", plural.One: "one", plural.Two: "two", plural.Few: "few", plural.Many: "many", plural.Other: "other"}

// day writes the day of a time.Time or of a pointer to one: in English as
// everywhere in Roster, else as CLDR has it.
func (s *speaker) day(v any) (string, error) {
	var at time.Time
	switch t := v.(type) {
	case time.Time:
		at = t.UTC()
	case *time.Time:
		if t == nil {
			return "", nil
		}
		at = t.UTC()
	}
	if s.Code == "en" {
		return wording.Day(at), nil
	}
	return s.say("date.order", "d", at.Day(), "month", s.words["date."+strconv.Itoa(int(at.Month()))], "y", s.year(at))
}

// year writes a year: unlike other numbers it has nothing between its digits.
func (s *speaker) year(at time.Time) string {
	return s.print.Sprint(number.Decimal(at.Year(), number.NoSeparator()))
}

// funcs are what pages in this language can say.
func (s *speaker) funcs() template.FuncMap {
	direction := "ltr"
	if s.Left {
		direction = "rtl"
	}
	return template.FuncMap{
		"t": s.say, "many": s.many, "day": s.day, "heat": s.heat,
		"at":        func(path string) string { return InLanguage(s.Code, path) },
		"language":  func() string { return s.Code },
		"direction": func() string { return direction },
		// As literal text the templates would leave them out.
		"alternatesHere": func() template.HTML { return alternatesMark },
		"languagesHere":  func() template.HTML { return languagesMark },
		"condition":      s.condition,
		"number":         func(n int) string { return s.print.Sprint(n) },
		"decimal":        func(v float64, digits int) string { return s.print.Sprint(number.Decimal(v, number.Scale(digits))) },
		"few":            func(phones int) bool { return phones < fewPhones },
		"share":          wording.Ceiling,
	}
}

// condition writes what somebody said that a removal hangs on.
func (s *speaker) condition(text string) (string, error) {
	if s.Code == "en" {
		return wording.OnlyIf(text), nil // which knows how it was said
	}
	return s.say("page.condition", "what", text)
}

// fewPhones is below how many phones nothing is said of a release's harm in
// figures.
const fewPhones = 3

// alternates are what stands in a page's head for its other languages, and what
// leads to them.
func alternates(code, path, base string) (head, bar string, err error) {
	list := slices.Clone(Languages)
	for i := range list {
		list[i].At, list[i].Here = InLanguage(list[i].Code, path), list[i].Code == code
	}
	var h, b strings.Builder
	if err := pages("en").ExecuteTemplate(&h, "alternates", map[string]any{"List": list, "Base": base}); err != nil {
		return "", "", err
	}
	err = pages(code).ExecuteTemplate(&b, "languages", list)
	return h.String(), b.String(), err
}

// Where the two of them stand in a page, until its address is known.
const (
	alternatesMark = "<!--alternates-->"
	languagesMark  = "<!--languages-->"
)
