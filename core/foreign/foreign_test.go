package foreign

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"roster/core/evidence"
)

func TestRead(t *testing.T) {
	for what, c := range map[string]struct {
		text, form, columns string
		rows                string // places and cells
	}{
		"names":             {"# mine\ncom.a.tips\n\n com.a.shop   sells things\n", "names", "(value)|words", "line 2:com.a.tips|;line 4:com.a.shop|sells things;"},
		"CSV with a head":   {"id,grade\r\ncom.a.tips,fine\r\ncom.a.shop,\"no, never\"\r\n", "csv", "id|grade", "line 2:com.a.tips|fine;line 3:com.a.shop|no, never;"},
		"CSV without":       {"com.a.tips;fine\ncom.a.shop;no\n", "csv", "column 1|column 2", "line 1:com.a.tips|fine;line 2:com.a.shop|no;"},
		"ragged":            {"a\tb\ncom.a.tips\ncom.a.shop\tx\ty\n", "csv", "a|b", "line 2:com.a.tips|;line 3:com.a.shop|x;"},
		"a mark of order":   {"\ufeffcom.a.tips\n", "names", "(value)|words", "line 1:com.a.tips|;"},
		"JSON of names":     {`["com.a.tips","com.a.shop"]`, "json", "(value)", "entry 1:com.a.tips;entry 2:com.a.shop;"},
		"JSON of records":   {`{"list":[{"id":"com.a.tips","info":{"why":"x","n":[1,"b"]},"on":true}]}`, "json", "id|info.n|info.why|on|(group)", "entry 1:com.a.tips|1; b|x|true|list;"},
		"JSON by key":       {`{"com.a.tips":{"grade":"fine"},"com.a.shop":"no"}`, "json", "(key)|(value)|grade", "entry 1:com.a.shop|no|;entry 2:com.a.tips||fine;"},
		"JSON in groups":    {`{"phones":{"fine":["com.a.tips"],"never":["com.a.shop"]}}`, "json", "(value)|(group)", "entry 1:com.a.tips|phones / fine;entry 2:com.a.shop|phones / never;"},
		"YAML of records":   {"- id: com.a.tips\n  grade: fine\n- id: com.a.shop\n  grade: 7\n", "yaml", "id|grade", "entry 1:com.a.tips|fine;entry 2:com.a.shop|7;"},
		"YAML by group":     {"fine:\n  - com.a.tips\nnever:\n  - com.a.shop\n", "yaml", "(value)|(group)", "entry 1:com.a.tips|fine;entry 2:com.a.shop|never;"},
		"YAML in its order": {"com.b.x: {grade: fine}\ncom.a.y: {grade: no}\n", "yaml", "(key)|grade", "entry 1:com.b.x|fine;entry 2:com.a.y|no;"},
	} {
		got, err := Read(t.Context(), []byte(c.text))
		if err != nil {
			t.Errorf("%s: %v", what, err)
			continue
		}
		var rows strings.Builder
		for _, r := range got.Rows {
			fmt.Fprintf(&rows, "%s:%s;", r.Place, strings.Join(r.Cells, "|"))
		}
		if got.Form != c.form || strings.Join(got.Columns, "|") != c.columns || rows.String() != c.rows {
			t.Errorf("%s:\n%s, %s, %s\nwant\n%s, %s, %s", what, got.Form, strings.Join(got.Columns, "|"), rows.String(), c.form, c.columns, c.rows)
		}
	}
	for what, text := range map[string]string{
		"nothing": " \n", "no text": "a\x00b", "not UTF-8": "\xff\xfe", "half of JSON": `[{"id":`, "JSON without names": `{"a":1}`, "half of YAML": "a: [b", "too much": strings.Repeat("com.a.b\n", MaxBytes/8+1),
	} {
		if _, err := Read(t.Context(), []byte(text)); err == nil {
			t.Errorf("%s was read", what)
		}
	}
	deep := strings.Repeat(`{"a":`, 5000) + `"com.a.b"` + strings.Repeat("}", 5000)
	if _, err := Read(t.Context(), []byte(deep)); err == nil {
		t.Error("5,000 levels were read")
	}
}

// TestListThatHoldsItself brings a few lines of YAML that stand for thousands
// of millions of values, in each place where a list can hold them.
func TestListThatHoldsItself(t *testing.T) {
	var b strings.Builder
	b.WriteString("a0: &a0 [com.a.b, com.a.c]\n")
	for i := 1; i < 12; i++ {
		fmt.Fprintf(&b, "a%d: &a%d [%s]\n", i, i, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*a%d, ", i-1), 9), ", "))
	}
	record := strings.Replace(b.String(), "com.a.b, com.a.c", "x, y", 1) + "list:\n  - {id: com.a.b, more: *a11}\n"
	for what, text := range map[string]string{"a list": b.String(), "a field of a record": record} {
		if _, err := Read(t.Context(), []byte(text)); err == nil || !strings.Contains(err.Error(), "over") {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// TestHostileLists reads what is small and would take much: nested without end,
// full of different keys, names and cells. It costs no more memory than it is
// worth, and ends when nobody waits for it any more.
func TestHostileLists(t *testing.T) {
	numbered := func(format string, n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, format, i)
		}
		return b.String()
	}
	repeat := strings.Repeat
	for name, text := range map[string]string{
		"dashes":               repeat("- ", 50_000),
		"question marks":       "? com.a.b\n" + repeat("? ", 50_000),
		"brackets":             "- " + repeat("[", 1_000_000),
		"closed brackets":      "- " + repeat("[", 9000) + repeat("]", 9000),
		"brackets of JSON":     repeat("[", 4_000_000),
		"different keys":       numbered("key%d: v\n", 60_000),
		"different keys, JSON": "{" + numbered(`"k%d":1,`, 100_000) + `"com.a.b":1}`,
		"names for lists":      numbered("- &a%d x\n", 80_000),
		"empty lists":          "- [" + repeat("[],", 600_000) + "]",
		"empty lists, JSON":    "[" + repeat("[],", 2_000_000) + "[]]",
		"comments":             repeat("- com.a.b # c\n", 100_000),
		"merged keys":          "a: &a {b: c}\n" + repeat("x: {<<: *a}\n", 50_000),
		"cells":                "com.a.b" + repeat(",", 8_000_000),
		"lines":                repeat("\n", MaxBytes-8) + "com.a.b",
		"too much YAML":        repeat("- com.a.b\n", 400_000),
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		table, err := Read(t.Context(), []byte(text))
		runtime.ReadMemStats(&after)
		if took := (after.TotalAlloc - before.TotalAlloc) >> 20; took > 400 {
			t.Errorf("%s: %d bytes took %d MB to read (%v)", name, len(text), took, err)
		}
		if err == nil && len(table.Rows) > maxRows {
			t.Errorf("%s: %d rows", name, len(table.Rows))
		}
	}
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	for _, text := range []string{"- com.a.b\n", `["com.a.b"]`} {
		if _, err := Read(ended, []byte(text)); !errors.Is(err, context.Canceled) {
			t.Errorf("%q is read for nobody: %v", text, err)
		}
	}
}

func TestShape(t *testing.T) {
	read := func(text string) *Table {
		table, err := Read(t.Context(), []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		return table
	}
	a, b, c := read("id,grade\ncom.a.x,1\n"), read("id,grade\ncom.b.y,2\ncom.b.z,3\n"), read("id,note\ncom.a.x,1\n")
	if a.Shape() != b.Shape() || a.Shape() == c.Shape() {
		t.Error("the shape is of the columns alone")
	}
	if got := b.Values(1, 1); len(got) != 1 || got[0] != "2" {
		t.Errorf("%v", got)
	}
}

func TestEntries(t *testing.T) {
	table, err := Read(t.Context(), []byte("id,grade,why,called\ncom.a.tips,fine,only hints,Tips\npackage:com.a.shop,never,,\nno name,fine,,\ncom.a.tips,never,,\n\"com.a.b;rm -rf\",fine,,\n"))
	if err != nil {
		t.Fatal(err)
	}
	m := Mapping{Title: " A list ", Link: "https://lists.example/1", Name: "id", Grade: "grade", Words: "why", Label: "called", Grades: map[string]evidence.Load{"fine": evidence.Loose}}
	entries, problems, err := m.Entries(table)
	if err != nil || len(entries) != 2 || len(problems) != 3 {
		t.Fatalf("%+v %+v %v", entries, problems, err)
	}
	one, two := entries[0], entries[1]
	if one.Name != "com.a.tips" || one.Source.Load != evidence.Loose || one.Source.Claim != "about" || one.Source.Quote != "fine: only hints" || one.Source.Title != "A list" || one.Label != "Tips" {
		t.Errorf("%+v", one)
	}
	if two.Name != "com.a.shop" || two.Source.Load != "" || two.Source.Quote != "never" {
		t.Errorf("a grade that nobody mapped means nothing: %+v", two)
	}
	if problems[0].Place != "line 4" || problems[1].Place != "line 5" || !strings.Contains(problems[1].Words, "line 2") {
		t.Errorf("%+v", problems)
	}
	for what, bad := range map[string]func(*Mapping){
		"no title": func(m *Mapping) { m.Title = " " }, "no address": func(m *Mapping) { m.Link = "" }, "no names": func(m *Mapping) { m.Name = "" },
		"no such column": func(m *Mapping) { m.Words = "nope" }, "no load": func(m *Mapping) { m.Grades = map[string]evidence.Load{"fine": "great"} },
	} {
		wrong := m
		bad(&wrong)
		if _, _, err := wrong.Entries(table); err == nil {
			t.Errorf("%s passes", what)
		}
	}
}

func FuzzRead(f *testing.F) {
	for _, seed := range []string{"com.a.b\n", "id,grade\ncom.a.b,x\n", `[{"id":"com.a.b"}]`, "- com.a.b\n", "a: &x [*x, com.a.b]\n", "\"", "a\tb\n\"c\n", `{"com.a.b":{"x":[[{}]]}}`} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		table, err := Read(t.Context(), raw)
		if err != nil {
			return
		}
		for _, r := range table.Rows {
			if len(r.Cells) != len(table.Columns) || r.Place == "" {
				t.Fatalf("%d cells for %d columns at %q", len(r.Cells), len(table.Columns), r.Place)
			}
		}
		if len(table.Columns) == 0 {
			t.Fatal("no columns")
		}
		m := Mapping{Title: "x", Link: "https://a.example", Name: table.Columns[0]}
		entries, _, err := m.Entries(table)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range entries {
			if !e.Name.Valid() {
				t.Fatalf("%q", e.Name)
			}
		}
	})
}
