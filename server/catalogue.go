package server

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"roster/store/exchange"
)

type catalogueInput struct {
	Form string `query:"form" enum:"json,zip" default:"json" doc:"One JSON document, or a ZIP archive of CSV tables"`
}

// Exporting reads the whole database each time.
const (
	exportsAtOnce      = 2
	exportsOfOnePerson = 1
)

// maxExport bounds an exported catalogue, in bytes: it lies on this server's
// disk for as long as its reader takes.
const maxExport = 16 << 30

var exportsBusy = problem(http.StatusServiceUnavailable, "busy", fmt.Sprintf("%d catalogues are being written out already, or one for you. Try again when they are done.", exportsAtOnce)).after(10 * time.Second)

func (s *Server) catalogueRoutes() {
	route(s, Maintainer, huma.Operation{OperationID: "exportCatalogue", Method: http.MethodGet, Path: "/api/v1/catalogue", Summary: "The whole catalogue as a file, without secrets"}, s.exportCatalogue)
}

// exportCatalogue writes the catalogue into a file of its own first: while its
// reader takes it, however slowly, nobody waits for the database. Half of a
// catalogue is so never sent for a whole one, either.
func (s *Server) exportCatalogue(ctx context.Context, in *catalogueInput) (*huma.StreamResponse, error) {
	done, ok := s.exports.enter(personOf(ctx).ID)
	if !ok {
		return nil, exportsBusy
	}
	defer done()
	write, kind := exchange.WriteJSON, "application/json"
	if in.Form == "zip" {
		write, kind = exchange.WriteZip, "application/zip"
	}
	file, size, err := spool(maxExport, func(w io.Writer) error { return write(ctx, s.store, time.Now(), w) })
	if err != nil {
		return nil, fmt.Errorf("writing the catalogue out: %w", err)
	}
	return &huma.StreamResponse{Body: func(h huma.Context) {
		defer file.Close()
		h.SetHeader("Content-Type", kind)
		h.SetHeader("Content-Length", strconv.FormatInt(size, 10))
		h.SetHeader("Content-Disposition", `attachment; filename="roster-catalogue.`+in.Form+`"`)
		if _, err := io.Copy(h.BodyWriter(), file); err != nil {
			s.log.Debug("an exported catalogue was not taken whole", "err", err)
		}
	}}, nil
}
