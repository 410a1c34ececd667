package server

import (
	"bufio"
	"context"
	"encoding/csv"
	"encoding/json"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/render"
	"roster/store"
)

// AuditFilter says which entries of the record are wanted.
type AuditFilter struct {
	Person  uuid.UUID `query:"person"`
	Action  string    `query:"action" maxLength:"80" doc:"An action such as change.sent, or the first part of it"`
	Subject string    `query:"subject" maxLength:"200"`
	Since   string    `query:"since" format:"date"`
	Until   string    `query:"until" format:"date" doc:"That day counts"`
}

type auditInput struct {
	AuditFilter
	Before int64 `query:"before" minimum:"0" doc:"Number of the last entry of the page before"`
	Limit  int   `query:"limit" minimum:"1" maximum:"500" default:"100"`
}

type auditExportInput struct {
	AuditFilter
	Form string `query:"form" enum:"csv,jsonl" default:"csv"`
}

type proofInput struct {
	Head string `query:"head" maxLength:"64" doc:"A hash that you noted earlier and that must be there"`
}

type proofOutput struct{ Body store.AuditProof }

func (f AuditFilter) query() (q store.AuditQuery, err error) {
	q = store.AuditQuery{Action: f.Action, Subject: f.Subject, Person: f.Person}
	if f.Since != "" {
		if q.Since, err = parseDay(f.Since); err != nil {
			return q, err
		}
	}
	if f.Until != "" {
		if q.Until, err = parseDay(f.Until); err != nil {
			return q, err
		}
		q.Until = q.Until.AddDate(0, 0, 1)
	}
	return q, nil
}

func (s *Server) auditRoutes() {
	route(s, Keeper, huma.Operation{OperationID: "listAudit", Method: http.MethodGet, Path: "/api/v1/audit", Summary: "Who did what, newest first"},
		func(ctx context.Context, in *auditInput) (*listOutput[store.AuditEntry], error) {
			q, err := in.query()
			if err != nil {
				return nil, err
			}
			q.Before, q.Limit = in.Before, in.Limit
			entries, err := s.store.Audit(ctx, q)
			if err == nil {
				err = s.store.NameSubjects(ctx, entries)
			}
			return listOf(entries, err)
		})
	route(s, Keeper, huma.Operation{OperationID: "exportAudit", Method: http.MethodGet, Path: "/api/v1/audit/export", Summary: "The record as a file: CSV, or JSON a line"},
		func(ctx context.Context, in *auditExportInput) (*huma.StreamResponse, error) {
			q, err := in.query()
			if err != nil {
				return nil, err
			}
			return &huma.StreamResponse{Body: func(h huma.Context) { s.exportAudit(h, q, in.Form) }}, nil
		})
	route(s, Keeper, huma.Operation{OperationID: "checkAudit", Method: http.MethodGet, Path: "/api/v1/audit/proof", Summary: "Whether the record holds together"},
		func(ctx context.Context, in *proofInput) (*proofOutput, error) {
			proof, err := s.store.CheckAudit(ctx, in.Head)
			return &proofOutput{proof}, err
		})
}

// exportAudit writes the record page by page, so that none of it has to be
// held.
func (s *Server) exportAudit(h huma.Context, q store.AuditQuery, form string) {
	kind := map[string]string{"csv": "text/csv; charset=utf-8", "jsonl": "application/jsonl"}[form]
	h.SetHeader("Content-Type", kind)
	h.SetHeader("Content-Disposition", `attachment; filename="roster-record.`+form+`"`)
	out := bufio.NewWriter(h.BodyWriter())
	defer out.Flush()
	table, lines := csv.NewWriter(out), json.NewEncoder(out)
	table.UseCRLF = true
	if form == "csv" {
		table.Write([]string{"seq", "at", "person_id", "person", "action", "subject", "detail", "hash"})
	}
	for q.Limit = 500; ; {
		list, err := s.store.Audit(h.Context(), q)
		if err != nil {
			// Half of a record must not look like a whole one.
			s.log.Error("the record could not be written out", "err", err)
			panic(http.ErrAbortHandler)
		}
		if len(list) == 0 {
			break
		}
		for _, e := range list {
			if form == "jsonl" {
				lines.Encode(e)
				continue
			}
			person := ""
			if e.Person != nil {
				person = e.Person.String()
			}
			table.Write([]string{strconv.FormatInt(e.Seq, 10), e.At.UTC().Format(time.RFC3339Nano), person, render.Cell(e.Name), e.Action, render.Cell(e.Subject), render.Cell(string(e.Detail)), e.HashHex})
		}
		q.Before = list[len(list)-1].Seq
	}
	table.Flush()
}
