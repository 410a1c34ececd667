package site

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/text/feature/plural"
)

var placeholder = regexp.MustCompile(`\{\w+\}`)

// TestSentencesInEveryLanguage holds every language to every sentence, with the same things to be
// filled in and every form that its plurals need.
func TestSentencesInEveryLanguage(t *testing.T) {
	english := speakers()["en"].words
	for _, l := range Languages {
		s := speakers()[l.Code]
		needed := map[string]bool{}
		for n := range 200 {
			needed[formNames[plural.Cardinal.MatchPlural(s.tag, n, 0, 0, 0, 0)]] = true
		}
		for key, sentence := range english {
			base, counted := strings.CutSuffix(key, ".other")
			counted = counted && english[base+".one"] != ""
			if one, ok := strings.CutSuffix(key, ".one"); ok && english[one+".other"] != "" {
				continue // by the rules of its own language
			}
			if s.words[key] == "" {
				t.Errorf("%s says nothing for %q", l.Code, key)
				continue
			}
			if counted && needed["one"] && s.words[base+".one"] == "" {
				t.Errorf("%s has no form for one of %q", l.Code, base)
			}
			for _, form := range []string{key, base + ".one", base + ".two", base + ".few", base + ".many"} {
				text, ok := s.words[form]
				if !ok || form != key && !counted {
					continue
				}
				want, got := placeholder.FindAllString(sentence, -1), placeholder.FindAllString(text, -1)
				slices.Sort(want)
				slices.Sort(got)
				if form != key || counted { // a form may say its number in a word
					want, got = without(want, "{n}"), without(got, "{n}")
				}
				if !slices.Equal(slices.Compact(want), slices.Compact(got)) {
					t.Errorf("%s, %s: %v is filled in, not %v", l.Code, form, got, want)
				}
			}
		}
		for key := range s.words {
			base, form, _ := cutLast(key)
			if _, ok := english[key]; !ok && (!slices.Contains([]string{"zero", "two", "few", "many"}, form) || english[base+".other"] == "") {
				t.Errorf("%s has %q, which nobody says", l.Code, key)
			}
		}
	}
}

func without(list []string, one string) []string {
	return slices.DeleteFunc(list, func(s string) bool { return s == one })
}

func cutLast(key string) (base, form string, ok bool) {
	i := strings.LastIndexByte(key, '.')
	if i < 0 {
		return key, "", false
	}
	return key[:i], key[i+1:], true
}

// longestSentence is how many words an English sentence may have for readers who
// never heard of any of it.
const longestSentence = 26

// TestSentencesAreShort holds the English ones to what everybody can read, and to
// no word that stands there unexplained.
func TestSentencesAreShort(t *testing.T) {
	end := regexp.MustCompile(`[.:?!](\s|$)`)
	for key, text := range speakers()["en"].words {
		for _, sentence := range end.Split(text, -1) {
			if n := len(strings.Fields(sentence)); n > longestSentence {
				t.Errorf("%s: %d words at a time: %s", key, n, sentence)
			}
		}
		for _, word := range []string{"partition", "confidence", "PowerShell window", "install-existing", "--user 0", "SHA-256"} {
			if strings.Contains(text, word) {
				t.Errorf("%s says %q", key, word)
			}
		}
	}
}

func TestPlurals(t *testing.T) {
	for code, want := range map[string][]string{
		"en": {"0 apps", "1 app", "2 apps"}, "fr": {"0 application", "1 application", "2 applications"}, "zh": {"0 个应用", "1 个应用", "2 个应用"},
		"ar": {"٠ تطبيق", "تطبيق واحد", "تطبيقان"},
	} {
		for n, text := range want {
			if got, err := speakers()[code].many("page.apps", n); err != nil || got != text {
				t.Errorf("%s, %d: %q, %v, want %q", code, n, got, err, text)
			}
		}
	}
	if got, err := speakers()["de"].say("page.by", "day", "1.", "name", "{n}"); err != nil || got != "1., von {n}" {
		t.Errorf("%q, %v", got, err)
	}
	if _, err := speakers()["de"].say("nothing"); err == nil {
		t.Error("a sentence that there is not")
	}
	if strings.Join([]string{Wished("de-CH, en;q=0.5"), Wished("xx"), Known("de"), Known("../x")}, " ") != "de en de en" {
		t.Error("the language that is wished for")
	}
}
