package filter

import (
	"slices"
	"strings"
)

// Completion is something that could stand where the cursor is.
type Completion struct {
	// Text replaces the expression between Start and End.
	Text  string `json:"text"`
	Means string `json:"means"`
	Start int    `json:"start"`
	End   int    `json:"end"`
}

// Complete offers what could be written at a byte offset: names of fields, and
// the values of those that have a few.
func Complete(text string, at int) []Completion {
	at = min(max(at, 0), len(text))
	start := at
	for start > 0 && !space(text[start-1]) && text[start-1] != '(' && text[start-1] != ')' {
		start--
	}
	word := text[start:at]
	i := 0
	for i < len(word) && letter(word[i]) {
		i++
	}
	op := operator(word[i:])
	list := []Completion{}
	if i == 0 || op == "" {
		if i < len(word) {
			return list
		}
		for _, f := range Fields {
			if strings.HasPrefix(f.Name, strings.ToLower(word)) {
				sign := ":"
				switch f.Kind {
				case Percent, Number:
					sign = "<"
				case Bytes:
					sign = ">"
				}
				list = append(list, Completion{f.Name + sign, f.Means, start, at})
			}
		}
		return list
	}
	field, ok := FieldNamed(strings.ToLower(word[:i]))
	if !ok {
		return list
	}
	done := word[i+len(op):]
	last := done[strings.LastIndexByte(done, ',')+1:]
	given := strings.Split(done, ",")
	for _, c := range field.Choices {
		if strings.HasPrefix(c, strings.ToLower(last)) && !slices.Contains(given[:len(given)-1], c) {
			list = append(list, Completion{c, "", at - len(last), at})
		}
	}
	return list
}
