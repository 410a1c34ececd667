package filter

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// Node is an expression: And, Or, Not, Word or Term.
type Node interface{ node() }

// And holds where all of its parts do, Or where one of them does. An empty
// And holds always.
type (
	And []Node
	Or  []Node
	// Not holds where its part does not.
	Not struct{ Of Node }
	// Word searches names, labels and aliases. Exact words were quoted: typing
	// errors are not forgiven in them.
	Word struct {
		Text  string
		Exact bool
	}
	// Term asks for a field. Values has the alternatives of field:a,b; with an
	// operator other than Is there is one.
	Term struct {
		Field  Field
		Op     Op
		Values []string
		// Number is the value of a field of kind Number (percent as a share
		// between 0 and 1) or Bytes or the place of an ordered word in its order.
		Number float64
		// Since is the value of a field of kind Time.
		Since time.Time
	}
)

func (And) node()  {}
func (Or) node()   {}
func (Not) node()  {}
func (Word) node() {}
func (Term) node() {}

// Phrase is what somebody looks for by name: the bare words that everything
// found must hold, in their order. It is "" where there are none, or where an
// "or" leaves open which are meant.
func Phrase(n Node) string {
	switch n := n.(type) {
	case Word:
		return n.Text
	case And:
		var words []string
		for _, part := range n {
			if w, ok := part.(Word); ok {
				words = append(words, w.Text)
			}
		}
		return strings.Join(words, " ")
	}
	return ""
}

// Op is how a term compares.
type Op string

// The operators. Is is written ":" or "=".
const (
	Is          Op = ":"
	Less        Op = "<"
	LessOrEqual Op = "<="
	More        Op = ">"
	MoreOrEqual Op = ">="
)

// Kind is what the values of a field are.
type Kind int

// The kinds of field.
const (
	Text    Kind = iota // any words
	Choice              // one of a few
	Ordered             // one of a few, which can be compared
	Number
	Percent
	Bytes // a number of them: 20MB, 1.5GB
	Time  // a date, or a number of days, weeks or months back: 7d, 2w, 3m
)

// Field is one field of the language.
type Field struct {
	Name string
	Kind Kind
	// Choices are the values of a Choice or an Ordered field, in their order.
	Choices []string
	// Means says in words what the field is, for completion.
	Means string
}

// Fields are all fields, in the order in which completion offers them.
var Fields = []Field{
	{"name", Text, nil, "package name holds this"},
	{"label", Text, nil, "name on screen, in any language"},
	{"alias", Text, nil, "another name that people use"},
	{"load", Ordered, []string{"unproven", "loose", "leaned-on", "tied-in", "load-bearing"}, "how much rests on it"},
	{"graded", Choice, []string{"yes", "no"}, "a person has set a load that applies here"},
	{"standing", Ordered, []string{"untried", "thin", "contested", "fair", "firm"}, "how sure that is"},
	{"ceiling", Percent, nil, "at most so many phones harmed: ceiling<20%"},
	{"trials", Number, nil, "phones that it was tried on"},
	{"outcome", Choice, []string{"clean", "function-lost", "fault", "no-start", "refused"}, "some trial had this outcome"},
	{"method", Choice, []string{"quieten", "disable", "remove-for-user", "remove-from-image"}, "some trial used this method"},
	{"back", Choice, []string{"restart", "update", "never"}, "what brought it back in some trial"},
	{"origin", Choice, []string{"platform", "maker", "silicon", "carrier", "partner", "region", "owner", "unknown"}, "who put it there"},
	{"function", Text, nil, "what a person would miss"},
	{"role", Text, nil, "holds this role on some phone: home, dialler"},
	{"icon", Choice, []string{"yes", "no", "unknown"}, "has an icon on the home screen or in the list of apps: what owners see"},
	{"maker", Text, nil, "shipped by this maker"},
	{"model", Text, nil, "shipped on this model"},
	{"build", Text, nil, "shipped by this firmware, of the model where one is chosen"},
	{"builds", Number, nil, "shipped by so many firmwares: builds>=5"},
	{"memory", Bytes, nil, "phones attribute so much memory to it: memory>20MB"},
	{"wakeups", Number, nil, "wakes phones so often in an hour: wakeups>10/h"},
	{"starts", Choice, []string{"yes", "no"}, "runs by itself on phones that were measured"},
	{"in", Text, nil, "taken off by the current release of this edition"},
	{"changed", Time, nil, "changed since a date, or so long ago: changed:2w"},
}

// FieldNamed finds a field.
func FieldNamed(name string) (Field, bool) {
	i := slices.IndexFunc(Fields, func(f Field) bool { return f.Name == name })
	if i < 0 {
		return Field{}, false
	}
	return Fields[i], true
}

// Error is a mistake in an expression. Start and End are byte offsets.
type Error struct {
	Start, End int
	Words      string
	// Expected lists what could stand there, where that is a short list.
	Expected []string
}

func (e *Error) Error() string { return e.Words }

// The bounds of an expression.
const (
	MaxLength = 2000
	maxDepth  = 40
	maxTerms  = 100 // words and values of terms, all together
	maxValues = 50  // of one term
)

// Parse reads an expression. Now is what dates are counted back from. The
// error is an *Error.
func Parse(text string, now time.Time) (Node, error) {
	if len(text) > MaxLength {
		return nil, &Error{MaxLength, len(text), fmt.Sprintf("a filter has at most %d characters", MaxLength), nil}
	}
	if !utf8.ValidString(text) {
		return nil, &Error{0, len(text), "this is not text", nil}
	}
	p := &parser{tokens: scan(text), now: now, end: len(text)}
	n, err := p.or(0)
	if err != nil {
		return nil, err
	}
	if t := p.peek(); t.kind != tokenEnd {
		return nil, &Error{t.start, t.end, "a closing bracket without an opening one", nil}
	}
	return n, nil
}

type parser struct {
	tokens []token
	at     int
	end    int
	terms  int
	now    time.Time
}

func (p *parser) peek() token {
	if p.at < len(p.tokens) {
		return p.tokens[p.at]
	}
	return token{kind: tokenEnd, start: p.end, end: p.end}
}

func (p *parser) or(depth int) (Node, error) {
	first, err := p.and(depth)
	if err != nil {
		return nil, err
	}
	list := Or{first}
	for p.peek().word("or") {
		t := p.peek()
		p.at++
		if empty(first) {
			return nil, &Error{t.start, t.end, "something has to stand before “or”", nil}
		}
		next, err := p.and(depth)
		if err != nil {
			return nil, err
		}
		if empty(next) {
			return nil, &Error{t.start, t.end, "something has to stand after “or”", nil}
		}
		list = append(list, next)
	}
	if len(list) == 1 {
		return first, nil
	}
	return list, nil
}

func empty(n Node) bool {
	a, ok := n.(And)
	return ok && len(a) == 0
}

func (p *parser) and(depth int) (Node, error) {
	list := And{}
	for {
		t := p.peek()
		if t.kind == tokenEnd || t.kind == tokenClose || t.word("or") {
			break
		}
		if t.word("and") {
			p.at++
			continue
		}
		n, err := p.not(depth)
		if err != nil {
			return nil, err
		}
		list = append(list, n)
	}
	if len(list) == 1 {
		return list[0], nil
	}
	return list, nil
}

func (p *parser) not(depth int) (Node, error) {
	t := p.peek()
	if depth > maxDepth {
		return nil, &Error{t.start, t.end, "too many brackets inside one another", nil}
	}
	switch {
	case t.word("not"):
		p.at++
		if next := p.peek(); next.kind == tokenEnd || next.kind == tokenClose || next.word("or") {
			return nil, &Error{t.start, t.end, "something has to stand after “not”", nil}
		}
		n, err := p.not(depth + 1)
		return Not{n}, err
	case t.kind == tokenOpen:
		p.at++
		n, err := p.or(depth + 1)
		if err != nil {
			return nil, err
		}
		if p.peek().kind != tokenClose {
			return nil, &Error{t.start, t.end, "this bracket is not closed", nil}
		}
		p.at++
		return n, nil
	}
	p.at++
	if p.terms++; p.terms > maxTerms {
		return nil, p.tooMany(t)
	}
	if t.kind == tokenTerm {
		return p.term(t)
	}
	return Word{Text: t.text, Exact: t.quoted}, nil
}

func (p *parser) tooMany(t token) error {
	return &Error{t.start, t.end, fmt.Sprintf("a filter has at most %d words and values", maxTerms), nil}
}

func (p *parser) term(t token) (Node, error) {
	field, ok := FieldNamed(strings.ToLower(t.field))
	if !ok {
		var names []string
		for _, f := range Fields {
			names = append(names, f.Name)
		}
		return nil, &Error{t.start, t.start + len(t.field), fmt.Sprintf("there is no field %q", clip(t.field)), names}
	}
	n := Term{Field: field, Op: t.op}
	bad := func(words string, expected ...string) (Node, error) {
		return nil, &Error{t.valueStart, max(t.end, t.valueStart), words, expected}
	}
	if t.text == "" && !t.quoted {
		return bad(field.Name+" of what?", field.Choices...)
	}
	if n.Op != Is && (field.Kind == Text || field.Kind == Choice) {
		return nil, &Error{t.start, t.end, field.Name + " can't be compared; write " + field.Name + ":…", nil}
	}
	n.Values = []string{t.text}
	if !t.quoted && n.Op == Is {
		n.Values = strings.Split(t.text, ",")
	}
	if len(n.Values) > maxValues {
		return bad(fmt.Sprintf("%s of at most %d at once", field.Name, maxValues))
	}
	if p.terms += len(n.Values) - 1; p.terms > maxTerms {
		return nil, p.tooMany(t)
	}
	switch field.Kind {
	case Choice, Ordered:
		for i, v := range n.Values {
			v = strings.ToLower(v)
			place := slices.Index(field.Choices, v)
			if place < 0 {
				return bad(fmt.Sprintf("%q is no %s", clip(v), field.Name), field.Choices...)
			}
			n.Values[i], n.Number = v, float64(place)
		}
	case Number, Percent, Bytes:
		if len(n.Values) != 1 {
			return bad(field.Name + " is one number")
		}
		number, ok := parseNumber(field.Kind, n.Values[0])
		if !ok {
			return bad(fmt.Sprintf("%q is no number", clip(n.Values[0])))
		}
		n.Number = number
	case Time:
		since, ok := parseSince(n.Values[0], p.now)
		if !ok || len(n.Values) != 1 {
			return bad(fmt.Sprintf("%q is no date; write 2026-11-01, or 7d, 2w, 3m", clip(n.Values[0])))
		}
		n.Since = since
	case Text:
		for _, v := range n.Values {
			if strings.TrimSpace(v) == "" {
				return bad(field.Name + " of what?")
			}
		}
	}
	return n, nil
}

// units are what sizes can be written in.
var units = []struct {
	suffix string
	bytes  float64
}{{"GB", 1e9}, {"MB", 1e6}, {"kB", 1e3}}

// parseNumber reads a number with the unit of its kind, which may be left out: of a
// size it is MB then.
func parseNumber(kind Kind, text string) (number float64, ok bool) {
	factor := 1.0
	switch kind {
	case Percent:
		text, factor = strings.TrimSuffix(text, "%"), 0.01
	case Number:
		text = strings.TrimSuffix(text, "/h")
	case Bytes:
		factor = 1e6
		for _, u := range units {
			if len(text) > 2 && strings.EqualFold(text[len(text)-2:], u.suffix) {
				text, factor = text[:len(text)-2], u.bytes
				break
			}
		}
	}
	var rest string
	k, _ := fmt.Sscanf(text+" .", "%g %s", &number, &rest)
	return number * factor, k == 2 && rest == "." && number >= 0 && number <= 1e9
}

func parseSince(text string, now time.Time) (time.Time, bool) {
	if t, err := time.Parse(time.DateOnly, text); err == nil {
		return t, t.Year() >= 1970 && t.Year() < 3000
	}
	var n int
	var unit, rest string
	if k, _ := fmt.Sscanf(text+" .", "%d%1s %s", &n, &unit, &rest); k != 3 || rest != "." || n < 0 || n > 10_000 {
		return time.Time{}, false
	}
	switch unit {
	case "d":
		return now.AddDate(0, 0, -n), true
	case "w":
		return now.AddDate(0, 0, -7*n), true
	case "m":
		return now.AddDate(0, -n, 0), true
	}
	return time.Time{}, false
}

func clip(s string) string {
	if len(s) > 40 {
		return strings.ToValidUTF8(s[:40], "") + "…"
	}
	return s
}
