package server

import (
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"roster/core/filter"
	"roster/core/render"
	"roster/store"
)

type viewInput struct {
	Body struct {
		Name   string           `json:"name" minLength:"1" maxLength:"80"`
		Shared bool             `json:"shared"`
		View   store.LedgerView `json:"view"`
	}
}

type exportInput struct {
	LedgerInput
	Format string `query:"format" enum:"csv,json" default:"csv"`
}

func (s *Server) viewRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listViews", Method: http.MethodGet, Path: "/api/v1/views", Summary: "Your saved views of the Ledger and those that others share"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.SavedView], error) {
			return listOf(s.store.SavedViews(ctx, personOf(ctx).ID))
		})
	route(s, Technician, huma.Operation{OperationID: "saveView", Method: http.MethodPost, Path: "/api/v1/views", Summary: "Keep a view of the Ledger under a name; one of yours with that name is replaced", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *viewInput) (*createdOutput, error) {
			name := strings.TrimSpace(in.Body.Name)
			if name == "" {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Give the view a name.")
			}
			v := in.Body.View
			if _, err := filter.Parse(v.Q, time.Now()); err != nil {
				return nil, filterProblem(err)
			}
			if store.Sorts[cmp.Or(v.Sort, "name")] == "" || store.Groups[cmp.Or(v.Group, "origin")] == "" {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "The Ledger has no such order or grouping.")
			}
			id, err := s.store.SaveView(ctx, personOf(ctx).ID, name, in.Body.Shared, v)
			return &createdOutput{created{id}}, err
		})
	route(s, Technician, huma.Operation{OperationID: "forgetView", Method: http.MethodDelete, Path: "/api/v1/views/{id}", Summary: "Throw a saved view of yours away"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.ForgetView(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "exportLedger", Method: http.MethodGet, Path: "/api/v1/ledger/export", Summary: "All rows of a view of the Ledger as CSV or JSON"}, s.exportLedger)
}

// exportPage is how many rows an export reads at a time.
const exportPage = 1000

// exportLedger streams a view; the first page is read before anything is
// said, so that a bad filter is still told as a problem.
func (s *Server) exportLedger(ctx context.Context, in *exportInput) (*huma.StreamResponse, error) {
	q, err := s.ledgerQuery(ctx, in.LedgerInput, exportPage)
	if err != nil {
		return nil, err
	}
	read := func() ([]store.LedgerRow, error) {
		rows, _, _, err := s.store.Ledger(ctx, q)
		if err != nil {
			return nil, err
		}
		if len(rows) > 0 {
			last := rows[len(rows)-1]
			q.After = &store.LedgerCursor{Group: last.Group, Order: last.Order, Name: last.Name}
		}
		return rows, nil
	}
	rows, err := read()
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(hc huma.Context) {
		name, sc := "ledger", q.Scope
		if sc.Model != nil {
			name += "-" + sc.Maker.Slug + "-" + sc.Model.Slug
		} else if sc.Maker != nil {
			name += "-" + sc.Maker.Slug
		}
		hc.SetHeader("Content-Disposition", `attachment; filename="`+name+"."+in.Format+`"`)
		var out rowWriter = &jsonRows{w: hc.BodyWriter(), columns: q.Columns}
		kind := "application/json"
		if in.Format == "csv" {
			w := csv.NewWriter(hc.BodyWriter())
			w.UseCRLF = true // RFC 4180
			out, kind = &csvRows{w, q.Columns}, "text/csv; charset=utf-8"
		}
		hc.SetHeader("Content-Type", kind)
		err := out.begin()
		for err == nil && len(rows) > 0 {
			for _, r := range rows {
				if err = out.writeRow(r); err != nil {
					break
				}
			}
			if len(rows) < exportPage || err != nil {
				break
			}
			rows, err = read()
		}
		if err == nil {
			err = out.end()
		}
		if err != nil {
			// A file that breaks off must not look whole.
			s.log.Warn("an export of the Ledger broke off", "scope", name, "err", err)
			panic(http.ErrAbortHandler)
		}
	}}, nil
}

// rowWriter writes rows of the Ledger in some format.
type rowWriter interface {
	begin() error
	writeRow(store.LedgerRow) error
	end() error
}

type csvRows struct {
	w       *csv.Writer
	columns []store.Build
}

func (c *csvRows) begin() error {
	head := []string{
		"package", "label", "group", "origin", "load", "by suggestion", "suggested", "scope of load",
		"harm ceiling", "harm floor", "standing", "phones", "people", "phones harmed", "trials",
		"phones measured", "memory in bytes", "wake-ups an hour", "starts by itself",
	}
	for _, b := range c.columns {
		head = append(head, render.Cell(buildName(b)))
	}
	return c.w.Write(head)
}

var presenceWords = map[byte]string{'F': "ships it", 'H': "switched off", 'E': ""}

func (c *csvRows) writeRow(r store.LedgerRow) error {
	share := func(f float64) string { return strconv.FormatFloat(f, 'f', 4, 64) }
	_, group, _ := strings.Cut(r.Group, ":")
	line := []string{r.Name, render.Cell(r.Label), render.Cell(group), r.Origin, r.Load, strconv.FormatBool(r.BySuggestion), r.Suggested, r.LoadScope,
		share(r.Ceiling), share(r.Floor), r.Standing, strconv.Itoa(r.Phones), strconv.Itoa(r.People), strconv.Itoa(r.Harmed), r.Strip}
	if r.Measured == 0 { // nobody knows
		line = append(line, "0", "", "", "")
	} else {
		line = append(line, strconv.Itoa(r.Measured), strconv.FormatFloat(r.Memory, 'f', 0, 64),
			strconv.FormatFloat(r.Wakeups, 'f', 2, 64), strconv.FormatBool(r.Starts))
	}
	for i := range r.Presence {
		line = append(line, presenceWords[r.Presence[i]])
	}
	return c.w.Write(line)
}

func (c *csvRows) end() error {
	c.w.Flush()
	return c.w.Error()
}

// jsonRows writes {"builds": […], "rows": […]}, a row a line.
type jsonRows struct {
	w       io.Writer
	columns []store.Build
	n       int
}

func (j *jsonRows) begin() error {
	builds, err := json.Marshal(j.columns)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(j.w, "{\"builds\":%s,\n\"rows\":[", builds)
	return err
}

func (j *jsonRows) writeRow(r store.LedgerRow) error {
	line, err := json.Marshal(r)
	if err != nil {
		return err
	}
	comma := ",\n"
	if j.n == 0 {
		comma = "\n"
	}
	j.n++
	_, err = fmt.Fprintf(j.w, "%s%s", comma, line)
	return err
}

func (j *jsonRows) end() error {
	_, err := io.WriteString(j.w, "\n]}\n")
	return err
}
