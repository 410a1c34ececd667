package main

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"strings"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"
	semconv "go.opentelemetry.io/otel/semconv/v1.41.0"
	oteltrace "go.opentelemetry.io/otel/trace"
)

// traces tells the collector at an address how long requests and statements
// take. Nil where there is no address. End sends what is left.
func traces(ctx context.Context, address string, log *slog.Logger) (told oteltrace.TracerProvider, end func(), err error) {
	if address == "" {
		return nil, func() {}, nil
	}
	at, err := url.Parse(address)
	if err != nil || at.Scheme != "http" && at.Scheme != "https" || at.Host == "" {
		return nil, nil, fmt.Errorf("--traces %q: want an address such as http://127.0.0.1:4318", address)
	}
	if strings.Trim(at.Path, "/") == "" {
		at = at.JoinPath("v1/traces") // where the protocol has it
	}
	to, err := otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(at.String()))
	if err != nil {
		return nil, nil, fmt.Errorf("--traces: %w", err)
	}
	otel.SetErrorHandler(otel.ErrorHandlerFunc(func(err error) {
		log.Warn("the collector of traces can't be told", "collector", address, "err", err)
	}))
	provider := trace.NewTracerProvider(trace.WithBatcher(to),
		trace.WithResource(resource.NewSchemaless(semconv.ServiceName("roster"), semconv.ServiceVersion(version))))
	return provider, func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		_ = provider.Shutdown(ctx) // the handler above has said it
	}, nil
}
