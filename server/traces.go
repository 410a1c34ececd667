package server

import (
	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/propagation"
	semconv "go.opentelemetry.io/otel/semconv/v1.41.0"
	"go.opentelemetry.io/otel/trace"
)

// trace notes each request under its route, as OpenTelemetry calls these things.
// No address as it was asked for is in it: links that let somebody in are.
func (s *Server) trace(provider trace.TracerProvider) gin.HandlerFunc {
	tracer := provider.Tracer("roster/server")
	return func(c *gin.Context) {
		route := c.FullPath()
		if route == "" {
			route = "(no such page)"
		}
		ctx := propagation.TraceContext{}.Extract(c.Request.Context(), propagation.HeaderCarrier(c.Request.Header))
		ctx, span := tracer.Start(ctx, c.Request.Method+" "+route, trace.WithSpanKind(trace.SpanKindServer),
			trace.WithAttributes(semconv.HTTPRoute(route), attribute.String(string(semconv.HTTPRequestMethodKey), c.Request.Method)))
		defer span.End()
		c.Request = c.Request.WithContext(ctx)
		c.Next()
		status := c.Writer.Status()
		span.SetAttributes(semconv.HTTPResponseStatusCode(status))
		if status >= 500 {
			span.SetStatus(codes.Error, "")
		}
	}
}
