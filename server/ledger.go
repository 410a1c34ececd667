package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"roster/store"
)

// maxColumns bounds the presence strip of a wide scope.
const maxColumns = 40

type ledgerInput struct {
	ScopeInput
	Method string `query:"method" enum:"disable,remove-for-user,remove-from-image" default:"remove-for-user"`
	Q      string `query:"q" maxLength:"200" doc:"Words that name, label or alias must hold"`
	Cursor string `query:"cursor" maxLength:"600"`
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"500"`
}

type ledgerPage struct {
	Columns []store.Build     `json:"columns" nullable:"false" doc:"The builds that each row's presence has a letter for"`
	Rows    []store.LedgerRow `json:"rows" nullable:"false"`
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
	route(s, Technician, huma.Operation{OperationID: "getPackage", Method: http.MethodGet, Path: "/api/v1/packages/{name}", Summary: "Everything known of one package, seen from a scope"}, s.dossier)
}

func (s *Server) ledger(ctx context.Context, in *ledgerInput) (ledgerPage, error) {
	var page ledgerPage
	sc, err := s.scope(ctx, in.ScopeInput)
	if err != nil {
		return page, err
	}
	q := store.LedgerQuery{Scope: sc, Method: in.Method, Text: in.Q, Limit: in.Limit}
	if in.Cursor != "" {
		raw, err := base64.RawURLEncoding.DecodeString(in.Cursor)
		if err == nil {
			err = json.Unmarshal(raw, &q.After)
		}
		if err != nil {
			return page, problem(http.StatusUnprocessableEntity, "bad-request", "The cursor is not one that this server gave out; start at the first page.")
		}
	}
	if page.Columns, err = s.store.Columns(ctx, sc, maxColumns); err != nil {
		return page, err
	}
	if page.Rows, page.Found, page.Total, err = s.store.Ledger(ctx, q); err != nil {
		return page, err
	}
	if len(page.Rows) == in.Limit {
		last := page.Rows[len(page.Rows)-1]
		raw, err := json.Marshal(store.LedgerCursor{Group: last.Group, Name: last.Name})
		if err != nil {
			return page, err
		}
		page.Next = base64.RawURLEncoding.EncodeToString(raw)
	}
	return page, s.store.FillPresence(ctx, page.Rows, page.Columns)
}
