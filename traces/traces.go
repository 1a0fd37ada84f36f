// Package traces sends spans to a collector by OTLP over HTTP, where somebody wants them.
package traces

import (
	"context"
	"fmt"
	"net/url"
	"time"

	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"
	oteltrace "go.opentelemetry.io/otel/trace"
)

const (
	sendWithin = 5 * time.Second
	mostQueued = 2048 // spans; more are left out
)

// Open returns a tracer whose spans go to an endpoint such as http://127.0.0.1:4318/v1/traces,
// and what sends those that are left. No collector has to be there: spans are dropped then.
func Open(ctx context.Context, endpoint, version string) (oteltrace.Tracer, func(context.Context) error, error) {
	u, err := url.Parse(endpoint)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, nil, fmt.Errorf("the collector's address %q is none: write it like http://127.0.0.1:4318/v1/traces", endpoint)
	}
	exporter, err := otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(endpoint), otlptracehttp.WithTimeout(sendWithin), otlptracehttp.WithRetry(otlptracehttp.RetryConfig{Enabled: false}))
	if err != nil {
		return nil, nil, err
	}
	provider := trace.NewTracerProvider(
		trace.WithBatcher(exporter, trace.WithMaxQueueSize(mostQueued), trace.WithExportTimeout(sendWithin)),
		trace.WithResource(resource.NewSchemaless(attribute.String("service.name", "webostrum"), attribute.String("service.version", version))),
	)
	return provider.Tracer("webostrum"), provider.Shutdown, nil
}
