package filter

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"
)

var now = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// write shows a tree in one line.
func write(n Node) string {
	list := func(name string, nodes []Node) string {
		var parts []string
		for _, n := range nodes {
			parts = append(parts, write(n))
		}
		return name + "(" + strings.Join(parts, " ") + ")"
	}
	switch n := n.(type) {
	case And:
		return list("and", n)
	case Or:
		return list("or", n)
	case Not:
		return "not(" + write(n.Of) + ")"
	case Word:
		if n.Exact {
			return fmt.Sprintf("%q", n.Text)
		}
		return n.Text
	case Term:
		if !n.Since.IsZero() {
			return n.Field.Name + string(n.Op) + n.Since.Format("2006-01-02")
		}
		if n.Field.Kind == Number || n.Field.Kind == Percent || n.Field.Kind == Bytes {
			return fmt.Sprintf("%s%s%g", n.Field.Name, n.Op, n.Number)
		}
		return n.Field.Name + string(n.Op) + strings.Join(n.Values, "|")
	}
	return "?"
}

func TestParse(t *testing.T) {
	for text, want := range map[string]string{
		"":                                 "and()",
		"camra":                            "camra",
		"night themes":                     "and(night themes)",
		`"night themes"`:                   `"night themes"`,
		"load:loose,leaned-on":             "load:loose|leaned-on",
		"load<tied-in ceiling<=20%":        "and(load<tied-in ceiling<=0.2)",
		"ceiling<20":                       "ceiling<0.2",
		"memory>20MB wakeups>10/h":         "and(memory>2e+07 wakeups>10)",
		"memory>=1.5gb starts:yes":         "and(memory>=1.5e+09 starts:yes)",
		"memory<20":                        "memory<2e+07",
		"memory<900kB":                     "memory<900000",
		"trials>=3 or not origin:platform": "or(trials>=3 not(origin:platform))",
		"a b or c d":                       "or(and(a b) and(c d))",
		"a and b":                          "and(a b)",
		"(a or b) c":                       "and(or(a b) c)",
		"not (a or b)":                     "not(or(a b))",
		"not not a":                        "not(not(a))",
		"LOAD:Loose OR Not x":              "or(load:loose not(x))",
		`label:"Night, or day" x`:          "and(label:Night, or day x)",
		"changed:2w":                       "changed:2026-11-09",
		"changed>2026-01-31":               "changed>2026-01-31",
		"com.brannock.tips":                "com.brannock.tips",
		"label:محفظة":                      "label:محفظة",
		`"or"`:                             `"or"`,
		"name=tips":                        "name:tips",
		`unclosed "quote runs on`:          `and(unclosed "quote runs on")`,
		"http://x":                         "?error 0-4",
		"load:heavy":                       "?error 5-10",
		"load:":                            "?error 5-5",
		"origin<maker":                     "?error 0-12",
		"ceiling<many":                     "?error 8-12",
		"changed:soon":                     "?error 8-12",
		"a or":                             "?error 2-4",
		"or a":                             "?error 0-2",
		"not":                              "?error 0-3",
		"(a or b":                          "?error 0-1",
		"a) b":                             "?error 1-2",
		"colour:blue":                      "?error 0-6",
		"trials:1,2":                       "?error 7-10",
		"ceiling<-1":                       "?error 8-10",
		"memory>MB":                        "?error 7-9",
		"memory>20TB":                      "?error 7-11",
		"wakeups>ten/h":                    "?error 8-13",
		"label:a,,b":                       "?error 6-10",
	} {
		n, err := Parse(text, now)
		got := ""
		var e *Error
		if errors.As(err, &e) {
			got = fmt.Sprintf("?error %d-%d", e.Start, e.End)
			if e.Words == "" || e.End < e.Start || e.End > len(text) {
				t.Errorf("%s: %+v", text, e)
			}
		} else {
			got = write(n)
		}
		if got != want {
			t.Errorf("%s: %s (%v), want %s", text, got, err, want)
		}
	}
	for what, text := range map[string]string{"too long": strings.Repeat("a ", MaxLength), "too deep": strings.Repeat("(", 100) + strings.Repeat(")", 100), "too many": strings.Repeat("a ", maxTerms+1), "no text": "\xff"} {
		var e *Error
		if _, err := Parse(text, now); !errors.As(err, &e) {
			t.Errorf("%s: %v", what, err)
		}
	}
	var e *Error
	if _, err := Parse("load:heavy", now); !errors.As(err, &e) || len(e.Expected) != 5 {
		t.Errorf("%v", err)
	}
}

func TestComplete(t *testing.T) {
	for text, want := range map[string]string{
		"lo|":               "load:",
		"x (ce|":            "ceiling<",
		"load:l|":           "loose leaned-on load-bearing",
		"load:loose,l|":     "leaned-on load-bearing",
		"standing>f|":       "fair firm",
		"label:x|":          "",
		"nothing:x|":        "",
		"com.brannock.|":    "",
		"not or|":           "origin:",
		"back:|":            "restart update never",
		"trials|>3 load:le": "trials<",
	} {
		at := strings.IndexByte(text, '|')
		var got []string
		text := strings.Replace(text, "|", "", 1)
		for _, c := range Complete(text, at) {
			got = append(got, c.Text)
			if _, err := Parse(text[:c.Start]+c.Text+"1", now); c.Start > c.End || c.End != at {
				t.Errorf("%s: %+v, %v", text, c, err)
			}
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%s: %v, want %s", text, got, want)
		}
	}
	if got := Complete("", 0); len(got) != len(Fields) {
		t.Errorf("%d offers for nothing", len(got))
	}
}

func FuzzParse(f *testing.F) {
	for _, text := range []string{"a or (not load:loose,tied-in) ceiling<20%", `label:"x`, "changed:3m)", "((("} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		n, err := Parse(text, now)
		var e *Error
		switch {
		case err == nil && n == nil:
			t.Fatal("neither a tree nor an error")
		case err != nil && (!errors.As(err, &e) || e.Start < 0 || e.End > len(text) || e.Start > e.End):
			t.Fatalf("%+v", err)
		}
		for at := range min(len(text), 20) {
			for _, c := range Complete(text, at) {
				if c.Start < 0 || c.End > len(text) || c.Start > c.End {
					t.Fatalf("%+v", c)
				}
			}
		}
	})
}
