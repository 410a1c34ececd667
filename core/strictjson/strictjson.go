// Package strictjson reads JSON that comes from outside the way everybody else
// reads it: a key counts as it is written and once. encoding/json takes keys in
// any case and the last of two, PostgreSQL and browsers do not; what one of
// them checked is then not what another uses.
package strictjson

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// Unmarshal reads a single JSON value into what into points at. Keys have to
// be those of the type, in its case and once each; text has to be valid UTF-8
// without NUL, of which PostgreSQL keeps none. The error is for the person who
// wrote the value.
func Unmarshal(data []byte, into any) error {
	if err := json.Unmarshal(data, into, json.RejectUnknownMembers(true)); err != nil {
		return Explain(err)
	}
	return noNUL(data)
}

// UnmarshalKnown is Unmarshal for a type that is checked elsewhere for having
// no other keys: it leaves out those that it does not know.
func UnmarshalKnown(data []byte, into any) error {
	if err := json.Unmarshal(data, into); err != nil {
		return Explain(err)
	}
	return noNUL(data)
}

// noNUL refuses the character that text can't hold, which JSON writes as an
// escape.
func noNUL(data []byte) error {
	for rest := data; ; {
		at := bytes.Index(rest, []byte(`\u0000`))
		if at < 0 {
			return nil
		}
		// An even number of backslashes before it escape each other.
		before := 0
		for before < at && rest[at-1-before] == '\\' {
			before++
		}
		if before%2 == 0 {
			return fmt.Errorf("at byte %d stands a NUL, which no text can hold", len(data)-len(rest)+at)
		}
		rest = rest[at+1:]
	}
}

// explain puts an error of the JSON library into words for whoever wrote the
// JSON; others, and nil, stay as they are.
func Explain(err error) error {
	var syntax *jsontext.SyntacticError
	if errors.As(err, &syntax) {
		what := strings.TrimPrefix(syntax.Err.Error(), "jsontext: ")
		return fmt.Errorf("at byte %d%s: %s", syntax.ByteOffset, within(syntax.JSONPointer), what)
	}
	var semantic *json.SemanticError
	if errors.As(err, &semantic) {
		what := "a " + kindName(semantic.JSONKind) + " does not fit here"
		switch {
		case errors.Is(err, json.ErrUnknownName):
			what = "there is no such key"
		case semantic.Err != nil:
			what = semantic.Err.Error()
		}
		return fmt.Errorf("at byte %d%s: %s", semantic.ByteOffset, within(semantic.JSONPointer), what)
	}
	return err
}

func within(p jsontext.Pointer) string {
	if p == "" {
		return ""
	}
	return ", " + strings.TrimPrefix(string(p), "/")
}

func kindName(k jsontext.Kind) string {
	switch k {
	case '"':
		return "text"
	case '0':
		return "number"
	case '{':
		return "group of keys"
	case '[':
		return "list"
	case 't', 'f':
		return "yes or no"
	}
	return "null"
}

// Bounds are what a document from outside may hold at most, so that it takes
// no more to read than it took to send.
type Bounds struct {
	Values int // of all kinds, at any depth
	Depth  int // of lists and groups inside one another
	Text   int // bytes of one text or key
}

// Guard returns a reader of the JSON that src holds, which fails with words
// where it goes beyond bounds.
func Guard(src io.Reader, b Bounds) io.Reader { return &guard{src: src, bounds: b} }

// guard counts what passes. It need not understand it: whoever reads it finds
// what is not JSON.
type guard struct {
	src     io.Reader
	bounds  Bounds
	values  int
	depth   int
	text    int // bytes of the text that is passing, when inside
	inside  bool
	escaped bool
}

func (g *guard) Read(p []byte) (int, error) {
	n, err := g.src.Read(p)
	for rest := p[:n]; len(rest) > 0; {
		var over error
		if g.inside {
			rest, over = g.within(rest)
		} else {
			rest, over = g.between(rest)
		}
		if over != nil {
			return 0, over
		}
	}
	return n, err
}

// within passes what belongs to a text, and returns what comes after it.
func (g *guard) within(p []byte) ([]byte, error) {
	n := 0
	for n < len(p) && g.inside {
		c := p[n]
		n++
		switch {
		case g.escaped:
			g.escaped = false
		case c == '\\':
			g.escaped = true
		case c == '"':
			g.inside = false
		}
	}
	if g.text += n; g.text > g.bounds.Text {
		return nil, fmt.Errorf("a text is over %d bytes long", g.bounds.Text)
	}
	return p[n:], nil
}

// between passes what stands between texts, up to the next one.
func (g *guard) between(p []byte) ([]byte, error) {
	for i, c := range p {
		switch c {
		case '"':
			g.inside, g.text = true, 0
			return p[i+1:], nil
		case '{', '[':
			if g.depth++; g.depth > g.bounds.Depth {
				return nil, fmt.Errorf("more than %d lists are inside one another", g.bounds.Depth)
			}
			g.values++
		case '}', ']':
			g.depth--
		case ',':
			g.values++
		default:
			continue
		}
		if g.values > g.bounds.Values {
			return nil, fmt.Errorf("there are more than %d values", g.bounds.Values)
		}
	}
	return nil, nil
}
