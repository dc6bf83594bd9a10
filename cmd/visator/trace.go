package main

import (
	"context"
	"fmt"
	"net/http"
	"os"

	"github.com/exaring/otelpgx"
	"github.com/riverqueue/river/rivertype"
	"github.com/riverqueue/rivercontrib/otelriver"
	"go.opentelemetry.io/contrib/instrumentation/net/http/otelhttp"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"
	semconv "go.opentelemetry.io/otel/semconv/v1.37.0"

	"visator/store"
)

// tracing reports whether traces go anywhere: to the endpoint that the variables
// of OpenTelemetry name. Nothing is sent unless one is named.
func tracing() bool {
	return os.Getenv("OTEL_EXPORTER_OTLP_ENDPOINT") != "" || os.Getenv("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT") != ""
}

// startTrace begins to send traces of requests, of what is asked of the database,
// and of jobs, renders among them. The exporter reads its other settings from the
// environment, as OpenTelemetry says.
func startTrace(ctx context.Context) (end func(context.Context) error, err error) {
	if !tracing() {
		return func(context.Context) error { return nil }, nil
	}
	out, err := otlptracehttp.New(ctx)
	if err != nil {
		return nil, fmt.Errorf("traces cannot be sent: %w", err)
	}
	p := trace.NewTracerProvider(trace.WithBatcher(out),
		trace.WithResource(resource.NewWithAttributes(semconv.SchemaURL, semconv.ServiceName("visator"))))
	otel.SetTracerProvider(p)
	store.Trace = otelpgx.NewTracer()
	return p.Shutdown, nil
}

// traced is what goes around every job.
func traced() []rivertype.Middleware {
	if !tracing() {
		return nil
	}
	return []rivertype.Middleware{otelriver.NewMiddleware(nil)}
}

// tracedHandler goes around every request.
func tracedHandler(h http.Handler) http.Handler {
	if !tracing() {
		return h
	}
	return otelhttp.NewHandler(h, "request")
}
