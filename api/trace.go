package api

import (
	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"
)

// trace tells a request as a span, by its route: addresses hold links' texts, and queries what
// cameras take for passwords.
func (a *API) trace(c *gin.Context) {
	if a.cfg.Tracer == nil {
		c.Next()
		return
	}
	route := c.FullPath()
	if route == "" {
		route = noRoute
	}
	attributes := []attribute.KeyValue{attribute.String("http.request.method", c.Request.Method), attribute.String("http.route", route)}
	if feed := c.Param("feed") + c.Param("name"); feed != "" {
		attributes = append(attributes, attribute.String("webostrum.feed", feed))
	}
	ctx, span := a.cfg.Tracer.Start(c.Request.Context(), c.Request.Method+" "+route, trace.WithSpanKind(trace.SpanKindServer), trace.WithAttributes(attributes...))
	defer span.End()
	c.Request = c.Request.WithContext(ctx)
	c.Next()
	status := c.Writer.Status()
	span.SetAttributes(attribute.Int("http.response.status_code", status))
	if status >= 500 {
		span.SetStatus(codes.Error, "")
	}
}
