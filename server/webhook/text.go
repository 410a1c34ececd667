package webhook

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// short is a text of somebody else's as it is kept: one line of at most maxAnswer
// bytes, and nothing that is no letter or sign.
func short(text string) string {
	text = strings.Map(func(r rune) rune {
		if unicode.IsPrint(r) {
			return r
		}
		return ' '
	}, strings.ToValidUTF8(text, "?"))
	text = strings.Join(strings.Fields(text), " ")
	for len(text) > maxAnswer || !utf8.ValidString(text) {
		text = text[:min(len(text)-1, maxAnswer)]
	}
	return text
}
