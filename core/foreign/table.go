package foreign

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"roster/core/android"
)

// Table is a list from elsewhere as rows and columns.
type Table struct {
	// Form is names, csv, json or yaml.
	Form    string   `json:"form" enum:"names,csv,json,yaml"`
	Columns []string `json:"columns" nullable:"false"`
	Rows    []Line   `json:"rows" nullable:"false"`
	// Problems are places that could not be read; all else was kept.
	Problems []Trouble `json:"problems" nullable:"false"`
}

// Line is one row; it has a cell for each column.
type Line struct {
	// Place is where it stands in the file, such as "line 4" or "entry 4".
	Place string   `json:"place"`
	Cells []string `json:"cells" nullable:"false"`
}

// Trouble says what is wrong at a place.
type Trouble struct {
	Place string `json:"place"`
	Words string `json:"words"`
}

// What a list may have at most.
const (
	MaxBytes   = 8 << 20
	maxRows    = 50_000
	maxColumns = 40
	maxCells   = 2000 // of a line; those after maxColumns are left out
	maxCell    = 4000
	maxDepth   = 12
)

// Names of columns that a layout has without naming them.
const (
	keyColumn     = "(key)"
	valueColumn   = "(value)"
	groupColumn   = "(group)"
	unnamedColumn = "(no name)"
)

// Read finds the rows and columns of a list. It fails where there are none,
// where the text is too large or no text at all, and where ctx ends meanwhile.
func Read(ctx context.Context, raw []byte) (*Table, error) {
	if len(raw) > MaxBytes {
		return nil, fmt.Errorf("the list is over %d MB", MaxBytes>>20)
	}
	raw = bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf"))
	if !utf8.Valid(raw) || bytes.IndexByte(raw, 0) >= 0 {
		return nil, errors.New("this is not text in UTF-8")
	}
	raw = bytes.ReplaceAll(raw, []byte("\r\n"), []byte("\n"))
	trimmed := bytes.TrimSpace(raw)
	if len(trimmed) == 0 {
		return nil, errors.New("the list is empty")
	}
	t := &Table{Columns: []string{}, Rows: []Line{}, Problems: []Trouble{}}
	read := func() error { return t.lines(raw) }
	if comma := delimiter(raw); comma != 0 {
		read = func() error { return t.separated(raw, comma) }
	}
	switch {
	case trimmed[0] == '{' || trimmed[0] == '[':
		read = func() error { return t.structured(ctx, "json", raw) }
	case looksLikeYAML(raw):
		read = func() error { return t.structured(ctx, "yaml", raw) }
	}
	if err := read(); err != nil {
		return nil, cmp.Or(ctx.Err(), err)
	}
	if len(t.Rows) == 0 {
		return nil, errors.New("there are no entries in this list")
	}
	return t, nil
}

// Shape names the layout: the same for every list with the same form and
// columns, so that a mapping fits again.
func (t *Table) Shape() string {
	sum := sha256.Sum256([]byte(t.Form + "\n" + strings.Join(t.Columns, "\n")))
	return hex.EncodeToString(sum[:12])
}

// Column is the index of a column, -1 where there is none.
func (t *Table) Column(name string) int {
	if name == "" {
		return -1
	}
	return slices.Index(t.Columns, name)
}

// Values are the different values of a column in the order in which they
// appear, at most the given number.
func (t *Table) Values(column, most int) []string {
	seen, list := map[string]bool{}, []string{}
	for _, r := range t.Rows {
		if v := r.Cells[column]; v != "" && !seen[v] {
			seen[v] = true
			if list = append(list, v); len(list) >= most {
				break
			}
		}
	}
	return list
}

func (t *Table) problem(place, words string, args ...any) {
	if len(t.Problems) < 1000 {
		t.Problems = append(t.Problems, Trouble{place, fmt.Sprintf(words, args...)})
	}
}

func (t *Table) full() error {
	if len(t.Rows) >= maxRows {
		return fmt.Errorf("the list has over %d entries", maxRows)
	}
	return nil
}

// lines reads one name a line, what follows it on the line as words; # begins
// a comment.
func (t *Table) lines(raw []byte) error {
	t.Form, t.Columns = "names", []string{valueColumn, "words"}
	i := -1
	for line := range strings.SplitSeq(string(raw), "\n") {
		i++
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") || strings.HasPrefix(line, "//") {
			continue
		}
		if err := t.full(); err != nil {
			return err
		}
		name, words, _ := strings.Cut(line, " ")
		t.Rows = append(t.Rows, Line{fmt.Sprintf("line %d", i+1), []string{clip(name), clip(strings.TrimLeft(strings.TrimSpace(words), "#-–: "))}})
	}
	return nil
}

// delimiter finds the sign that separates the cells of most lines, 0 for none.
func delimiter(raw []byte) rune {
	var lines []string
	for line := range strings.SplitSeq(string(raw), "\n") {
		if line = strings.TrimSpace(line); line != "" && !strings.HasPrefix(line, "#") {
			if lines = append(lines, line); len(lines) == 40 {
				break
			}
		}
	}
	if len(lines) == 0 {
		return 0
	}
	for _, comma := range []rune{'\t', ';', ',', '|'} {
		with := 0
		for _, line := range lines {
			if strings.ContainsRune(line, comma) {
				with++
			}
		}
		if with*10 >= len(lines)*6 {
			return comma
		}
	}
	return 0
}

// separated reads cells between delimiters, as RFC 4180 has them; the first
// row names the columns unless a package name stands in it.
func (t *Table) separated(raw []byte, comma rune) error {
	t.Form = "csv"
	if n := crowded(raw, comma); n > 0 {
		return fmt.Errorf("line %d has over %d cells", n, maxCells)
	}
	r := csv.NewReader(bytes.NewReader(raw))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes, r.TrimLeadingSpace = comma, -1, true, true
	for {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return fmt.Errorf("this does not read as a table: %w", err)
		}
		line, _ := r.FieldPos(0)
		if len(cells) == 1 && (strings.TrimSpace(cells[0]) == "" || strings.HasPrefix(cells[0], "#")) {
			continue
		}
		if len(t.Columns) == 0 {
			names := slices.ContainsFunc(cells, isName)
			for i, cell := range cells[:min(len(cells), maxColumns)] {
				if cell = strings.TrimSpace(cell); names || cell == "" || slices.Contains(t.Columns, cell) {
					cell = fmt.Sprintf("column %d", i+1)
				}
				t.Columns = append(t.Columns, clip(cell))
			}
			if !names {
				continue
			}
		}
		if err := t.full(); err != nil {
			return err
		}
		row := Line{fmt.Sprintf("line %d", line), make([]string, len(t.Columns))}
		if len(cells) > len(t.Columns) {
			t.problem(row.Place, "%d cells where there are %d columns; the last are left out", len(cells), len(t.Columns))
		}
		for i := range min(len(cells), len(t.Columns)) {
			row.Cells[i] = clip(strings.TrimSpace(cells[i]))
		}
		t.Rows = append(t.Rows, row)
	}
	return nil
}

// crowded is the number of the first line with more cells than any table has,
// 0 where there is none.
func crowded(raw []byte, comma rune) int {
	n := 0
	for line := range bytes.Lines(raw) {
		if n++; bytes.Count(line, []byte(string(comma))) >= maxCells {
			return n
		}
	}
	return 0
}

func isName(s string) bool {
	_, err := android.ParsePackageName(cleanName(s))
	return err == nil && strings.Contains(s, ".")
}

func looksLikeYAML(raw []byte) bool {
	for line := range strings.SplitSeq(string(raw), "\n") {
		line = strings.TrimRight(line, " ")
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		key, _, colon := strings.Cut(line, ":")
		return line == "---" || strings.HasPrefix(line, "- ") || colon && !strings.ContainsAny(key, ",;\t| ")
	}
	return false
}

// structured reads JSON or YAML of any layout.
func (t *Table) structured(ctx context.Context, form string, raw []byte) error {
	t.Form = form
	read := readYAML
	if form == "json" {
		read = readJSON
	}
	tree, err := read(ctx, raw)
	if err != nil {
		return err
	}
	w := &walker{columns: map[string]bool{}, left: 2 * maxValues}
	w.walk(tree, nil, 0)
	if w.left <= 0 {
		return errValues
	}
	if len(w.records) == 0 {
		return errors.New("there are no entries in this that name a package")
	}
	if len(w.records) > maxRows {
		return fmt.Errorf("the list has over %d entries", maxRows)
	}
	if len(w.order) > maxColumns {
		t.problem("everywhere", "%d fields; only the first %d are kept", len(w.order), maxColumns)
		w.order = w.order[:maxColumns]
	}
	t.Columns = w.order
	for i, record := range w.records {
		row := Line{fmt.Sprintf("entry %d", i+1), make([]string, len(t.Columns))}
		for j, column := range t.Columns {
			row.Cells[j] = clip(record[column])
		}
		t.Rows = append(t.Rows, row)
	}
	return nil
}

func clip(s string) string {
	if len(s) <= maxCell {
		return s
	}
	return strings.ToValidUTF8(s[:maxCell], "") + "…"
}
