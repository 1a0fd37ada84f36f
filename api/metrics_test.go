package api_test

import (
	"flag"
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/api"
	"webostrum/apitypes"
)

var update = flag.Bool("update", false, "write docs/metrics.md anew")

// TestMetricsPage: docs/metrics.md is made of the list.
func TestMetricsPage(t *testing.T) {
	t.Parallel()
	var b strings.Builder
	b.WriteString("# Metrics\n\nAt `/metrics`, for Prometheus, with a token for it: `webostrum token add --scope metrics prometheus`. Those of the Go runtime (`go_…`) and of the process (`process_…`) are there, too.\n" +
		"[prometheus-alerts.yaml](prometheus-alerts.yaml) has rules, and [grafana-dashboard.json](grafana-dashboard.json) a dashboard.\n\n| metric | kind | labels | what |\n|---|---|---|---|\n")
	for _, m := range api.Metrics {
		kind := map[prometheus.ValueType]string{prometheus.GaugeValue: "gauge", prometheus.CounterValue: "counter"}[m.Kind]
		fmt.Fprintf(&b, "| `%s` | %s | %s | %s |\n", m.Name, kind, strings.Join(m.Labels, ", "), m.Help)
	}
	const page = "../docs/metrics.md"
	if *update {
		require.NoError(t, os.WriteFile(page, []byte(b.String()), 0o644))
	}
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, b.String(), string(text), "run \"go test ./api -run Metrics -update\"")
}

// TestRulesAndDashboardNameMetricsThatThereAre.
func TestRulesAndDashboardNameMetricsThatThereAre(t *testing.T) {
	t.Parallel()
	known := map[string]bool{}
	for _, m := range api.Metrics {
		known[m.Name] = true
	}
	for _, file := range []string{"../docs/prometheus-alerts.yaml", "../docs/grafana-dashboard.json"} {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		found := regexp.MustCompile(`webostrum_[a-z_]+`).FindAllString(string(text), -1)
		assert.NotEmpty(t, found, file)
		for _, name := range found {
			assert.True(t, known[name], "%s names %s", file, name)
		}
	}
}

// TestMetricsAreThere once something has happened.
func TestMetricsAreThere(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.add(apitypes.NewFeed{Name: "gate", FeedSettings: apitypes.Defaults("rtsp://127.0.0.1:1/none")})
	w.do("GET", "/api/v1/feeds", w.engineer, nil)
	_, text := w.do("GET", "/metrics", w.engineer, nil)
	for _, want := range []string{
		`webostrum_feed_degraded{feed="gate"} 0`, `webostrum_http_requests_total{code="2xx",route="/api/v1/feeds"}`, `webostrum_build_info{version="test"} 1`, "webostrum_disk_free_ratio 0.", `webostrum_events_total{severity="info"}`, "go_goroutines",
	} {
		assert.Contains(t, text, want)
	}
}
