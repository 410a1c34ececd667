// Package exchange writes a whole catalogue into a file and reads it back: one
// JSON document, or a ZIP archive with one CSV table for each section. The
// sections themselves are the store's; docs/catalogue-format.md describes
// both forms.
package exchange

import (
	"archive/zip"
	"bufio"
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"roster/store"
)

// null is how a CSV cell says that there is no value, as PostgreSQL does.
const null = `\N`

// WriteJSON writes the catalogue as one JSON document: its format, when it was
// made, and the sections as arrays of objects.
func WriteJSON(ctx context.Context, st *store.Store, now time.Time, w io.Writer) error {
	out := &document{out: bufio.NewWriterSize(w, 1<<16)}
	fmt.Fprintf(out.out, "{\"format\":%q,\"exported\":%q,\"sections\":{", store.CatalogueFormat, now.UTC().Format(time.RFC3339))
	if err := st.Export(ctx, out); err != nil {
		return err
	}
	out.out.WriteString("]}}\n")
	return out.out.Flush()
}

// document writes sections as arrays of one JSON object.
type document struct {
	out            *bufio.Writer
	sections, rows int
}

func (d *document) Section(name string, _ []store.CatalogueColumn) error {
	if d.sections++; d.sections > 1 {
		d.out.WriteString("],")
	}
	d.rows = 0
	_, err := fmt.Fprintf(d.out, "\n%q:[", name)
	return err
}

func (d *document) Row(row json.RawMessage) error {
	if d.rows++; d.rows > 1 {
		d.out.WriteByte(',')
	}
	d.out.WriteByte('\n')
	_, err := d.out.Write(row)
	return err
}

// WriteZip writes the catalogue as a ZIP archive of CSV tables in UTF-8: texts
// as they are, everything else as JSON, and \N where there is no value. It is
// made for programs: a text may begin with a sign that a spreadsheet takes for
// a formula.
func WriteZip(ctx context.Context, st *store.Store, now time.Time, w io.Writer) error {
	out := &tables{archive: zip.NewWriter(w)}
	about, err := out.archive.Create("catalogue.json")
	if err != nil {
		return err
	}
	if err := json.NewEncoder(about).Encode(map[string]string{"format": store.CatalogueFormat, "exported": now.UTC().Format(time.RFC3339)}); err != nil {
		return err
	}
	if err := st.Export(ctx, out); err != nil {
		return err
	}
	return errors.Join(out.end(), out.archive.Close())
}

// tables writes sections as the files of an archive.
type tables struct {
	archive *zip.Writer
	table   *csv.Writer // of the section that is being written, nil before the first
	columns []store.CatalogueColumn
}

func (t *tables) Section(name string, columns []store.CatalogueColumn) error {
	if err := t.end(); err != nil {
		return err
	}
	file, err := t.archive.Create(name + ".csv")
	if err != nil {
		return err
	}
	t.table, t.columns = csv.NewWriter(file), columns
	head := make([]string, len(columns))
	for i, c := range columns {
		head[i] = c.Name
	}
	return t.table.Write(head)
}

func (t *tables) Row(row json.RawMessage) error {
	cells, err := cellsOf(t.columns, row)
	if err != nil {
		return err
	}
	return t.table.Write(cells)
}

// end ends the table that is being written.
func (t *tables) end() error {
	if t.table == nil {
		return nil
	}
	t.table.Flush()
	return t.table.Error()
}

func cellsOf(columns []store.CatalogueColumn, row json.RawMessage) ([]string, error) {
	var members map[string]json.RawMessage
	if err := json.Unmarshal(row, &members); err != nil {
		return nil, err
	}
	cells := make([]string, len(columns))
	for i, c := range columns {
		raw := members[c.Name]
		switch {
		case len(raw) == 0 || string(raw) == "null":
			cells[i] = null
		case c.Text:
			if err := json.Unmarshal(raw, &cells[i]); err != nil {
				return nil, err
			}
			// A text that looks like the sign for no value, or that a reader of
			// CSV would not give back as it is, is written as JSON after a mark.
			if strings.HasPrefix(cells[i], `\`) || strings.Contains(cells[i], "\r") {
				cells[i] = `\j` + string(raw)
			}
		default:
			cells[i] = string(raw)
		}
	}
	return cells, nil
}

// Read brings an exported catalogue, JSON or ZIP, into an empty installation:
// all of it or nothing.
func Read(ctx context.Context, st *store.Store, file io.ReaderAt, size int64) error {
	head := make([]byte, 2)
	if _, err := file.ReadAt(head, 0); err != nil {
		return fmt.Errorf("this is no catalogue: %w", err)
	}
	if bytes.Equal(head, []byte("PK")) {
		return readZip(ctx, st, file, size)
	}
	return readJSON(ctx, st, io.NewSectionReader(file, 0, size))
}

func readJSON(ctx context.Context, st *store.Store, r io.Reader) error {
	d := json.NewDecoder(bufio.NewReaderSize(r, 1<<16))
	want := func(what json.Delim) error {
		t, err := d.Token()
		if err == nil && t != what {
			err = fmt.Errorf("at byte %d stands %v where %v was expected", d.InputOffset(), t, what)
		}
		return err
	}
	if err := want('{'); err != nil {
		return fmt.Errorf("this is no catalogue: %w", err)
	}
	for {
		key, err := d.Token()
		if err != nil {
			return fmt.Errorf("this is no catalogue: %w", err)
		}
		if key == "sections" {
			break
		}
		var value any
		if err := d.Decode(&value); err != nil {
			return fmt.Errorf("this is no catalogue: %w", err)
		}
		if key == "format" && value != store.CatalogueFormat {
			return fmt.Errorf("the format is %v; this program reads %s", value, store.CatalogueFormat)
		}
		if key == json.Delim('}') {
			return errors.New("this is no catalogue: it has no sections")
		}
	}
	if err := want('{'); err != nil {
		return fmt.Errorf("the sections: %w", err)
	}
	section := ""
	return st.Import(ctx, func() (string, json.RawMessage, error) {
		for {
			if section != "" && d.More() {
				var row json.RawMessage
				err := d.Decode(&row)
				if err != nil {
					err = fmt.Errorf("section %s: %w", section, err)
				}
				return section, row, err
			}
			if section != "" {
				if err := want(']'); err != nil {
					return "", nil, err
				}
			}
			if !d.More() {
				return "", nil, want('}')
			}
			name, err := d.Token()
			if err != nil {
				return "", nil, err
			}
			section, _ = name.(string)
			if err := want('['); err != nil {
				return "", nil, fmt.Errorf("section %s: %w", section, err)
			}
		}
	})
}

func readZip(ctx context.Context, st *store.Store, file io.ReaderAt, size int64) error {
	archive, err := zip.NewReader(file, size)
	if err != nil {
		return fmt.Errorf("this is no catalogue: %w", err)
	}
	about, err := archive.Open("catalogue.json")
	if err != nil {
		return fmt.Errorf("this is no catalogue: %w", err)
	}
	var head struct{ Format string }
	err = json.NewDecoder(about).Decode(&head)
	about.Close()
	if err != nil || head.Format != store.CatalogueFormat {
		return fmt.Errorf("the format is %q; this program reads %s", head.Format, store.CatalogueFormat)
	}
	var r tableReader
	names := store.Sections()
	columns, err := st.CatalogueColumns(ctx)
	if err != nil {
		return err
	}
	defer func() { r.close() }()
	return st.Import(ctx, func() (string, json.RawMessage, error) {
		for {
			if r.rows != nil {
				row, err := r.next()
				if !errors.Is(err, io.EOF) {
					return r.name, row, err
				}
				r.close()
			}
			if len(names) == 0 {
				return "", nil, nil
			}
			part, err := archive.Open(names[0] + ".csv")
			if err != nil {
				return "", nil, fmt.Errorf("section %s: %w", names[0], err)
			}
			if r, err = readTable(names[0], columns[names[0]], part); err != nil {
				return "", nil, err
			}
			names = names[1:]
		}
	})
}

// tableReader turns the rows of one CSV table into JSON.
type tableReader struct {
	name string
	file io.Closer
	rows *csv.Reader
	head []store.CatalogueColumn
}

func (r *tableReader) close() {
	if r.rows != nil {
		r.file.Close()
		r.rows = nil
	}
}

func readTable(name string, columns []store.CatalogueColumn, file io.ReadCloser) (tableReader, error) {
	r := tableReader{name: name, file: file, rows: csv.NewReader(bufio.NewReader(file))}
	kinds := map[string]store.CatalogueColumn{}
	for _, c := range columns {
		kinds[c.Name] = c
	}
	head, err := r.rows.Read()
	if err != nil {
		return r, fmt.Errorf("section %s: %w", name, err)
	}
	for _, column := range head {
		c, ok := kinds[column]
		if !ok {
			return r, fmt.Errorf("section %s has no column %q", name, column)
		}
		r.head = append(r.head, c)
	}
	return r, nil
}

func (r *tableReader) next() (json.RawMessage, error) {
	cells, err := r.rows.Read()
	if err != nil {
		return nil, err
	}
	members := map[string]json.RawMessage{}
	for i, c := range r.head {
		text := cells[i]
		switch rest, marked := strings.CutPrefix(text, `\j`); {
		case text == null:
			continue
		case c.Text && !marked:
			if members[c.Name], err = json.Marshal(text); err != nil {
				return nil, err
			}
		default:
			members[c.Name] = json.RawMessage(rest)
		}
	}
	row, err := json.Marshal(members)
	if err != nil {
		line, _ := r.rows.FieldPos(0)
		err = fmt.Errorf("section %s, line %d: %w", r.name, line, err)
	}
	return row, err
}
