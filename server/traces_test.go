package server_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/sdk/trace"
	"go.opentelemetry.io/otel/sdk/trace/tracetest"

	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// TestTraces looks at what a collector is told: requests under their routes with
// their statements below them, and nothing that somebody has sent.
func TestTraces(t *testing.T) {
	t.Parallel()
	var kept tracetest.InMemoryExporter
	provider := trace.NewTracerProvider(trace.WithSyncer(&kept))
	s := newSiteOn(t, storetest.URL(t), store.Options{Traces: provider}, func(c *server.Config) { c.Traces = provider })
	s.addPeople()
	technician := s.signIn("technician")
	kept.Reset()
	const secret = "hush-4711"
	for _, path := range []string{"/api/v1/ledger?q=" + secret, "/api/v1/packages/com.example." + secret, "/" + secret} {
		s.do(technician, "GET", path, nil, "traceparent", "00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01")
	}
	s.do(technician, "POST", "/api/v1/session", map[string]string{"login": "technician", "password": secret})
	requests, statements := map[string]tracetest.SpanStub{}, map[string]int{}
	for _, span := range kept.GetSpans() {
		if text := fmt.Sprint(span.Name, span.Attributes, span.Events, span.Status); strings.Contains(text, secret) || strings.Contains(text, technician.Value) {
			t.Errorf("a trace tells what was sent: %s", text)
		}
		if strings.Contains(span.Name, "/") {
			requests[span.Name] = span
		} else {
			statements[span.Parent.SpanID().String()]++
		}
	}
	ledger := requests["GET /api/v1/ledger"]
	if ledger.SpanContext.TraceID().String() != "0af7651916cd43dd8448eb211c80319c" || statements[ledger.SpanContext.SpanID().String()] < 2 {
		t.Errorf("%d statements of %+v", statements[ledger.SpanContext.SpanID().String()], ledger)
	}
	for _, name := range []string{"GET /api/v1/packages/:name", "POST /api/v1/session"} {
		if span, ok := requests[name]; !ok || span.Status.Code == codes.Error {
			t.Errorf("%s: %t %+v", name, ok, span.Status)
		}
	}
	if a := s.do(nil, "GET", "/healthz", nil); a.status != http.StatusOK {
		t.Errorf("%d", a.status)
	}
}
