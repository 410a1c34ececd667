package filter

import "strings"

type tokenKind int

const (
	tokenEnd tokenKind = iota
	tokenOpen
	tokenClose
	tokenWord
	tokenTerm
)

// token is a bracket, a word or a field with its operator and value.
type token struct {
	kind       tokenKind
	start, end int
	text       string // the word, or the value
	quoted     bool
	field      string
	op         Op
	valueStart int
}

// word reports whether a token is one of the words of the language: bare and
// in any case.
func (t token) word(w string) bool {
	return t.kind == tokenWord && !t.quoted && strings.EqualFold(t.text, w)
}

// scan cuts an expression into tokens. A quote that is not closed ends with
// the text.
func scan(text string) []token {
	var tokens []token
	for i := 0; i < len(text); {
		switch c := text[i]; {
		case space(c):
			i++
		case c == '(':
			tokens = append(tokens, token{kind: tokenOpen, start: i, end: i + 1})
			i++
		case c == ')':
			tokens = append(tokens, token{kind: tokenClose, start: i, end: i + 1})
			i++
		default:
			t := scanOne(text, i)
			tokens = append(tokens, t)
			i = t.end
		}
	}
	return tokens
}

func scanOne(text string, start int) token {
	t := token{kind: tokenWord, start: start, valueStart: start}
	i := start
	for i < len(text) && letter(text[i]) {
		i++
	}
	if op := operator(text[i:]); i > start && op != "" {
		t.kind, t.field = tokenTerm, text[start:i]
		i += len(op)
		if op == "=" {
			op = Is
		}
		t.op, t.valueStart = op, i
	} else {
		i = start
	}
	t.text, t.quoted, t.end = value(text, i)
	return t
}

// value reads a word, or words in quotes, from i.
func value(text string, i int) (word string, quoted bool, end int) {
	if i < len(text) && text[i] == '"' {
		rest := text[i+1:]
		if closing := strings.IndexByte(rest, '"'); closing >= 0 {
			return rest[:closing], true, i + 1 + closing + 1
		}
		return rest, true, len(text)
	}
	end = i
	for end < len(text) && !space(text[end]) && text[end] != '(' && text[end] != ')' {
		end++
	}
	return text[i:end], false, end
}

func operator(text string) Op {
	for _, op := range []Op{LessOrEqual, MoreOrEqual, Less, More, Is, "="} {
		if strings.HasPrefix(text, string(op)) {
			return op
		}
	}
	return ""
}

func space(c byte) bool  { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }
func letter(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }
