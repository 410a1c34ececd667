package main

import (
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"

	"go.opentelemetry.io/proto/otlp/collector/trace/v1"
	"google.golang.org/protobuf/proto"
)

// TestCollectorIsTold runs a collector, and another that is away.
func TestCollectorIsTold(t *testing.T) {
	told := make(chan *v1.ExportTraceServiceRequest, 1)
	collector := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		var request v1.ExportTraceServiceRequest
		if err := proto.Unmarshal(raw, &request); err != nil || r.URL.Path != "/v1/traces" {
			t.Errorf("%s: %v", r.URL, err)
		}
		told <- &request
	}))
	defer collector.Close()
	log := slog.New(slog.DiscardHandler)
	provider, end, err := traces(t.Context(), collector.URL, log)
	if err != nil {
		t.Fatal(err)
	}
	_, span := provider.Tracer("test").Start(t.Context(), "GET /r")
	span.End()
	end()
	if name := (<-told).ResourceSpans[0].ScopeSpans[0].Spans[0].Name; name != "GET /r" {
		t.Errorf("%q", name)
	}
	if provider, _, err := traces(t.Context(), "", log); provider != nil || err != nil {
		t.Errorf("without an address: %v, %v", provider, err)
	}
	if _, _, err := traces(t.Context(), "not an address", log); err == nil {
		t.Error("what is no address was taken")
	}
}
