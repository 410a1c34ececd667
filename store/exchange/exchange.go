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
	out := bufio.NewWriterSize(w, 1<<16)
	fmt.Fprintf(out, "{\"format\":%q,\"exported\":%q,\"sections\":{", store.CatalogueFormat, now.UTC().Format(time.RFC3339))
	names, at, rows := store.Sections(), 0, 0
	fmt.Fprintf(out, "\n%q:[", names[0])
	open := func(name string) {
		for names[at] != name {
			at, rows = at+1, 0
			fmt.Fprintf(out, "],\n%q:[", names[at])
		}
	}
	err := st.Export(ctx, func(name string, row json.RawMessage) error {
		open(name)
		if rows++; rows > 1 {
			out.WriteByte(',')
		}
		out.WriteByte('\n')
		_, err := out.Write(row)
		return err
	})
	if err != nil {
		return err
	}
	open(names[len(names)-1])
	out.WriteString("]}}\n")
	return out.Flush()
}

// WriteZip writes the catalogue as a ZIP archive of CSV tables in UTF-8: texts
// as they are, everything else as JSON, and \N where there is no value. It is
// made for programs: a text may begin with a sign that a spreadsheet takes for
// a formula.
func WriteZip(ctx context.Context, st *store.Store, now time.Time, w io.Writer) error {
	archive := zip.NewWriter(w)
	about, err := archive.Create("catalogue.json")
	if err != nil {
		return err
	}
	if err := json.NewEncoder(about).Encode(map[string]string{"format": store.CatalogueFormat, "exported": now.UTC().Format(time.RFC3339)}); err != nil {
		return err
	}
	names, at := store.Sections(), -1
	var table *csv.Writer
	var columns []store.CatalogueColumn
	open := func(name string) error {
		for at < 0 || names[at] != name {
			if table != nil {
				table.Flush()
			}
			at++
			file, err := archive.Create(names[at] + ".csv")
			if err != nil {
				return err
			}
			if columns, err = st.CatalogueColumns(ctx, names[at]); err != nil {
				return err
			}
			table = csv.NewWriter(file)
			head := make([]string, len(columns))
			for i, c := range columns {
				head[i] = c.Name
			}
			if err := table.Write(head); err != nil {
				return err
			}
		}
		return nil
	}
	err = st.Export(ctx, func(name string, row json.RawMessage) error {
		if err := open(name); err != nil {
			return err
		}
		cells, err := cellsOf(columns, row)
		if err != nil {
			return err
		}
		return table.Write(cells)
	})
	if err == nil {
		err = open(names[len(names)-1])
	}
	if err != nil {
		return err
	}
	table.Flush()
	return errors.Join(table.Error(), archive.Close())
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
			columns, err := st.CatalogueColumns(ctx, names[0])
			if err != nil {
				return "", nil, err
			}
			part, err := archive.Open(names[0] + ".csv")
			if err != nil {
				return "", nil, fmt.Errorf("section %s: %w", names[0], err)
			}
			if r, err = readTable(names[0], columns, part); err != nil {
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
