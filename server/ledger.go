package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"roster/core/filter"
	"roster/store"
)

// maxColumns bounds the presence strip of a wide scope.
const maxColumns = 40

// LedgerInput says what of the Ledger is wanted, and in which order.
type LedgerInput struct {
	ScopeInput
	Method string `query:"method" enum:"quieten,disable,remove-for-user,remove-from-image" default:"remove-for-user"`
	Q      string `query:"q" maxLength:"2000" doc:"A filter: words of a name, label or alias, and terms such as load:loose or ceiling<20%"`
	Sort   string `query:"sort" enum:"fit,name,load,ceiling,standing,trials,builds,memory,newest" doc:"By name unless said; with words in the filter by how well their names fit"`
	Group  string `query:"group" enum:"origin,namespace,load,function,maker,icon,none" doc:"By origin unless said; with words in the filter by nothing"`
}

// ledgerQuery reads what is wanted, and the builds whose presence it shows.
func (s *Server) ledgerQuery(ctx context.Context, in LedgerInput, limit int) (store.LedgerQuery, error) {
	q := store.LedgerQuery{Method: in.Method, Sort: in.Sort, Group: in.Group, Limit: limit}
	var err error
	if q.Scope, err = s.scope(ctx, in.ScopeInput); err != nil {
		return q, err
	}
	if q.Filter, err = filter.Parse(in.Q, time.Now()); err != nil {
		return q, filterProblem(err)
	}
	q.Columns, err = s.store.Columns(ctx, q.Scope, maxColumns)
	return q, err
}

type ledgerInput struct {
	LedgerInput
	Cursor string `query:"cursor" maxLength:"600"`
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"500"`
}

type ledgerPage struct {
	Columns []store.Build     `json:"columns" nullable:"false" doc:"The builds that each row's presence has a letter for"`
	Rows    []store.LedgerRow `json:"rows" nullable:"false"`
	// Sort and Group are how the rows are arranged.
	Sort  string `json:"sort" enum:"fit,name,load,ceiling,standing,trials,builds,memory,newest"`
	Group string `json:"group" enum:"origin,namespace,load,function,maker,icon,none"`
	// Found counts rows that fit the words, Total all in scope.
	Found int    `json:"found"`
	Total int    `json:"total"`
	Next  string `json:"next" doc:"Cursor of the next page, empty on the last"`
}

type ledgerOutput struct{ Body ledgerPage }

func (s *Server) ledgerRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getLedger", Method: http.MethodGet, Path: "/api/v1/ledger", Summary: "Packages in scope with their marks"},
		func(ctx context.Context, in *ledgerInput) (*ledgerOutput, error) {
			page, err := s.ledger(ctx, in)
			return &ledgerOutput{page}, err
		})
	route(s, Technician, huma.Operation{OperationID: "checkFilter", Method: http.MethodGet, Path: "/api/v1/filter", Summary: "What is wrong with a filter, and what could be written next"}, checkFilter)
	route(s, Technician, huma.Operation{OperationID: "getPackage", Method: http.MethodGet, Path: "/api/v1/packages/{name}", Summary: "Everything known of one package, seen from a scope"}, s.dossier)
	route(s, Technician, huma.Operation{
		OperationID: "listTrials", Method: http.MethodGet, Path: "/api/v1/packages/{name}/trials",
		Summary: "The trials of one package, the newest first, and what each counts in a scope",
	}, s.packageTrials)
}

// filterProblem tells a mistake in a filter with its place: the value of the
// error has the byte offsets and what could stand there.
func filterProblem(err error) error {
	var e *filter.Error
	if !errors.As(err, &e) {
		return err
	}
	p := problem(http.StatusUnprocessableEntity, "filter", "The filter can't be read: "+e.Words+".")
	p.Errors = []*huma.ErrorDetail{{Location: "query.q", Message: e.Words, Value: mistake{e.Start, e.End, e.Words, append([]string{}, e.Expected...)}}}
	return p
}

type filterInput struct {
	Q  string `query:"q" maxLength:"2000"`
	At int    `query:"at" minimum:"0" maximum:"2000" doc:"Where the cursor is, in bytes"`
}

// mistake is what is wrong with a filter that somebody is writing.
type mistake struct {
	Start    int      `json:"start" doc:"In bytes"`
	End      int      `json:"end"`
	Words    string   `json:"words"`
	Expected []string `json:"expected" nullable:"false" doc:"What could stand there, where that is a short list"`
}

type filterOutput struct {
	Body struct {
		Items   []filter.Completion `json:"items" nullable:"false" doc:"What could be written next"`
		Mistake *mistake            `json:"mistake,omitempty"`
	}
}

// checkFilter helps somebody who is writing a filter.
func checkFilter(_ context.Context, in *filterInput) (*filterOutput, error) {
	out := &filterOutput{}
	out.Body.Items = filter.Complete(in.Q, in.At)
	var e *filter.Error
	if _, err := filter.Parse(in.Q, time.Now()); errors.As(err, &e) {
		out.Body.Mistake = &mistake{e.Start, e.End, e.Words, append([]string{}, e.Expected...)}
	}
	return out, nil
}

func (s *Server) ledger(ctx context.Context, in *ledgerInput) (ledgerPage, error) {
	var page ledgerPage
	ctx = store.MayLag(ctx)
	q, err := s.ledgerQuery(ctx, in.LedgerInput, in.Limit)
	if err != nil {
		return page, err
	}
	page.Columns = q.Columns
	page.Sort, page.Group = q.Arranged()
	if in.Cursor != "" {
		raw, err := base64.RawURLEncoding.DecodeString(in.Cursor)
		if err == nil {
			err = json.Unmarshal(raw, &q.After)
		}
		if err != nil {
			return page, problem(http.StatusUnprocessableEntity, "bad-request", "The cursor is not one that this server gave out; start at the first page.")
		}
	}
	if page.Rows, page.Found, page.Total, err = s.store.Ledger(ctx, q); err != nil {
		return page, err
	}
	if len(page.Rows) == in.Limit {
		last := page.Rows[len(page.Rows)-1]
		raw, err := json.Marshal(store.LedgerCursor{Group: last.Group, Order: last.Order, Name: last.Name})
		if err != nil {
			return page, err
		}
		page.Next = base64.RawURLEncoding.EncodeToString(raw)
	}
	return page, nil
}
