package server

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"roster/store/exchange"
)

type catalogueInput struct {
	Form string `query:"form" enum:"json,zip" default:"json" doc:"One JSON document, or a ZIP archive of CSV tables"`
}

func (s *Server) catalogueRoutes() {
	route(s, Maintainer, huma.Operation{OperationID: "exportCatalogue", Method: http.MethodGet, Path: "/api/v1/catalogue", Summary: "The whole catalogue as a file, without secrets"},
		func(_ context.Context, in *catalogueInput) (*huma.StreamResponse, error) {
			return &huma.StreamResponse{Body: func(h huma.Context) {
				write, kind := exchange.WriteJSON, "application/json"
				if in.Form == "zip" {
					write, kind = exchange.WriteZip, "application/zip"
				}
				h.SetHeader("Content-Type", kind)
				h.SetHeader("Content-Disposition", `attachment; filename="roster-catalogue.`+in.Form+`"`)
				// Half of a catalogue must not look like a whole one: the
				// connection is cut instead.
				if err := write(h.Context(), s.store, time.Now(), h.BodyWriter()); err != nil {
					s.log.Error("the catalogue could not be written out", "err", err)
					panic(http.ErrAbortHandler)
				}
			}}, nil
		})
}
