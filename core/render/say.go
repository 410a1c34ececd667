package render

import (
	"embed"
	"encoding/json"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"text/template"

	"roster/core/android"
	"roster/core/posix"
)

// Words are what scripts print, a file a language. Batch files speak English: the
// command prompt reads no other signs surely.
//
//go:embed words/*.json
var wordFiles embed.FS

// speech is the words of one language, by key; those that it lacks are English.
type speech map[string]string

// speeches are those of all languages, by their codes.
var speeches = sync.OnceValue(func() map[string]speech {
	all := map[string]speech{}
	list, err := wordFiles.ReadDir("words")
	if err != nil {
		panic(err) // they are embedded
	}
	for _, f := range list {
		raw, err := wordFiles.ReadFile("words/" + f.Name())
		if err != nil {
			panic(err)
		}
		var s speech
		if err := json.Unmarshal(raw, &s); err != nil {
			panic(fmt.Errorf("words/%s: %w", f.Name(), err))
		}
		all[strings.TrimSuffix(f.Name(), ".json")] = s
	}
	return all
})

// Languages lists the codes of those that scripts can speak.
func Languages() []string {
	var codes []string
	for code := range speeches() {
		codes = append(codes, code)
	}
	return codes
}

func (s speech) words(key string) (string, error) {
	for _, from := range []speech{s, speeches()["en"]} {
		if words, ok := from[key]; ok {
			return words, nil
		}
	}
	return "", fmt.Errorf("scripts have no words for %q", key)
}

var filled = regexp.MustCompile(`\{\w+\}`)

// pieces takes a sentence apart: literal tells of each piece whether it is words,
// or else what is filled in, which comes after the key as names and values by
// turns.
func (s speech) pieces(key string, filling []string, each func(piece string, literal bool)) error {
	words, err := s.words(key)
	if err != nil {
		return err
	}
	values := map[string]string{}
	for i := 0; i+1 < len(filling); i += 2 {
		values["{"+filling[i]+"}"] = filling[i+1]
	}
	at := 0
	for _, m := range filled.FindAllStringIndex(words, -1) {
		value, ok := values[words[m[0]:m[1]]]
		if !ok {
			return fmt.Errorf("%s: nothing is filled in for %s", key, words[m[0]:m[1]])
		}
		if m[0] > at {
			each(words[at:m[0]], true)
		}
		each(value, strings.Trim(value, "$") == value)
		at = m[1]
	}
	if at < len(words) {
		each(words[at:], true)
	}
	return nil
}

// shell writes a sentence as one quoted word of a POSIX shell; values that begin
// with $ are the script's own variables.
func (s speech) shell(key string, filling ...string) (string, error) {
	var b strings.Builder
	var text strings.Builder // the same without variables
	plain := true
	err := s.pieces(key, filling, func(piece string, literal bool) {
		text.WriteString(piece)
		if plain = plain && literal; literal {
			piece = quoted.Replace(piece)
		}
		b.WriteString(piece)
	})
	if plain {
		return "'" + strings.ReplaceAll(text.String(), "'", `'\''`) + "'", err
	}
	return `"` + b.String() + `"`, err
}

// quoted makes the signs plain that are not so between double quotes.
var quoted = strings.NewReplacer(`\`, `\\`, `"`, `\"`, "$", `\$`, "`", "\\`")

// power writes a sentence as an expression of PowerShell.
func (s speech) power(key string, filling ...string) (string, error) {
	var parts []string
	err := s.pieces(key, filling, func(piece string, literal bool) {
		if literal {
			piece = QuotePowerShell(options.Replace(piece))
		}
		parts = append(parts, piece)
	})
	if len(parts) > 0 && !strings.HasPrefix(parts[0], "'") {
		parts = append([]string{"''"}, parts...) // what is added to it is text, too
	}
	if len(parts) == 1 {
		return parts[0], err
	}
	return "(" + strings.Join(parts, " + ") + ")", err
}

// options are those of PowerShell for the shell's.
var options = strings.NewReplacer("--anyway", "-Anyway", "--log", "-Log", "--files", "-Files")

// plain is a sentence as it is, for a text that the shell reads as such.
func (s speech) plain(key string) (string, error) { return s.words(key) }

// scripts are the templates of all scripts in a language.
func scripts(language string) *template.Template {
	if t, ok := allScripts()[language]; ok {
		return t
	}
	return allScripts()["en"]
}

var allScripts = sync.OnceValue(func() map[string]*template.Template {
	all := map[string]*template.Template{}
	for code, s := range speeches() {
		all[code] = template.Must(template.New("").Funcs(template.FuncMap{
			"quote": posix.Quote, "comment": comment, "ps": QuotePowerShell, "bat": batchText,
			"noiseQuestion": func(name string) string { return android.NoiseQuestion(android.PackageName(name)) },
			"bootScript":    func() string { return android.Script },
			"say":           s.shell, "power": s.power, "plain": s.plain,
		}).ParseFS(templateFiles, "*.tmpl"))
	}
	return all
})
