package api_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	sdktrace "go.opentelemetry.io/otel/sdk/trace"
	"go.opentelemetry.io/otel/sdk/trace/tracetest"

	"webostrum/api"
	"webostrum/apitypes"
	"webostrum/router"
	"webostrum/store"
	"webostrum/testkit"
)

func read[T any](t *testing.T, text string) (v T) {
	t.Helper()
	require.NoError(t, json.Unmarshal([]byte(text), &v), text)
	return v
}

// gates are feeds by their names.
func (w *world) feeds(names ...string) {
	w.t.Helper()
	for _, n := range names {
		off := false
		w.add(apitypes.NewFeed{Name: n, Enabled: &off, FeedSettings: apitypes.Defaults("rtsp://192.0.2.7/" + n)})
	}
}

// TestAFileOfFeeds: all of it or nothing, and twice changes nothing.
func TestAFileOfFeeds(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.feeds("gate", "yard")
	_, text := w.do("GET", "/api/v1/feed-file", w.engineer, nil)
	file := read[apitypes.FeedFile](t, text)
	require.Len(t, file.Feeds, 2)
	put := func(query string, body any) (int, apitypes.FeedFileResult, string) {
		res, text := w.do("PUT", "/api/v1/feed-file"+query, w.engineer, body)
		var r apitypes.FeedFileResult
		_ = json.Unmarshal([]byte(text), &r)
		return res.StatusCode, r, text
	}
	status, r, text := put("", file)
	require.Equal(t, 200, status, text)
	assert.Equal(t, 2, r.Unchanged)
	assert.Empty(t, r.Changed)

	var many apitypes.FeedFile
	for i := range 100 {
		e := apitypes.FeedEntry{NewFeed: apitypes.NewFeed{Name: fmt.Sprintf("cam-%d", i), FeedSettings: apitypes.Defaults("rtsp://192.0.2.8/x")}, Renditions: &[]apitypes.NewRendition{{Name: "small", Codec: "H264", Size: "320x"}}}
		off := false
		e.Enabled = &off
		many.Feeds = append(many.Feeds, e)
	}
	many.Feeds[57].Camera.URL = "ftp://192.0.2.8/x"
	status, _, text = put("", many)
	assert.Equal(t, 422, status)
	assert.Contains(t, text, "feeds[57] (cam-57)")
	assert.Contains(t, text, "changes nothing")
	_, text = w.do("GET", "/api/v1/feeds", w.engineer, nil)
	assert.Len(t, read[apitypes.FeedList](t, text).Feeds, 2, "nothing is changed")

	many.Feeds[57].Camera.URL = "rtsp://192.0.2.8/x"
	status, r, text = put("?dry-run=true&remove-others=true", many)
	require.Equal(t, 200, status, text)
	assert.Len(t, r.Added, 100)
	assert.ElementsMatch(t, []string{"gate", "yard"}, r.Removed)
	assert.False(t, r.Done)
	status, r, text = put("", many)
	require.Equal(t, 200, status, text)
	assert.Len(t, r.Added, 100)
	status, r, _ = put("?remove-others=true", many)
	assert.Equal(t, 200, status)
	assert.Equal(t, 100, r.Unchanged)
	assert.Len(t, r.Removed, 2)
	many.Feeds[3].Title = "Three"
	(*many.Feeds[4].Renditions)[0].Size = "640x"
	_, r, _ = put("", many)
	assert.Equal(t, []string{"cam-3", "cam-4"}, r.Changed)
	many.Feeds[1].Name = "cam-0"
	status, _, text = put("", many)
	assert.Equal(t, 422, status)
	assert.Contains(t, text, "twice")
}

// TestImportKeepsCredentials where it does not say others.
func TestImportKeepsCredentials(t *testing.T) {
	t.Parallel()
	w := start(t)
	s := settings("rtsp://192.0.2.7/main?token=opensesame", func(s *apitypes.FeedSettings) { s.Camera.User, s.Camera.Password = "viewer", "funicular" })
	off := false
	w.add(apitypes.NewFeed{Name: "gate", Enabled: &off, FeedSettings: s})
	_, text := w.do("GET", "/api/v1/feed-file", w.engineer, nil)
	assert.NotContains(t, text, "funicular")
	assert.NotContains(t, text, "opensesame")
	file := read[apitypes.FeedFile](t, text)
	file.Feeds[0].Title = "Another"
	res, text := w.do("PUT", "/api/v1/feed-file", w.engineer, file)
	require.Equal(t, 200, res.StatusCode, text)
	r, err := w.records.Feed("gate")
	require.NoError(t, err)
	assert.Equal(t, []string{"viewer", "funicular", "rtsp://192.0.2.7/main?token=opensesame", "Another"}, []string{r.User, r.Password, r.URL, r.Title})
	file.Feeds[0].Camera.URL = "rtsp://192.0.2.9/main"
	res, text = w.do("PUT", "/api/v1/feed-file", w.engineer, file)
	assert.NotEqual(t, 200, res.StatusCode, "credentials go to no other host: %s", text)
}

// TestAllowance warns, and stops new strangers where that is wanted.
func TestAllowance(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.feeds("gate")
	f, err := w.records.Feed("gate")
	require.NoError(t, err)
	require.NoError(t, w.records.AddUsage([]store.Usage{{FeedID: f.ID, Day: store.Day(time.Now()), Delivery: "hls", Bytes: 900, ViewerMillis: 7_200_000, Most: 3}}))
	res, text := w.do("PUT", "/api/v1/usage/allowance", w.engineer, apitypes.UsageLimit{Bytes: 1000})
	require.Equal(t, 200, res.StatusCode, text)
	_, text = w.do("GET", "/api/v1/usage", w.engineer, nil)
	u := read[apitypes.Usage](t, text)
	assert.Equal(t, int64(900), u.Month)
	assert.Equal(t, []apitypes.UsageTotal{{Feed: "gate", Bytes: 900, Hours: 2, Most: 3}}, u.Totals)
	_, text = w.do("GET", "/api/v1/events?kind=warning", w.engineer, nil)
	assert.Contains(t, text, "90 % of what may be sent")
	_, text = w.do("GET", "/api/v1/usage.csv", w.engineer, nil)
	assert.Equal(t, "day,feed,delivery,bytes,viewer_hours,most_viewers\n"+store.Day(time.Now())+",gate,hls,900,2.000,3\n", text)
	for _, query := range []string{"?from=2026-13-01", "?from=2026-12-01&to=2026-11-01", "?from=2020-01-01&to=2026-01-01", "?feed=none"} {
		res, _ := w.do("GET", "/api/v1/usage"+query, w.engineer, nil)
		assert.GreaterOrEqual(t, res.StatusCode, 400, query)
	}
}

// TestUsageIsWhatWasTaken to the byte, although many ask for it at the same moment.
func TestUsageIsWhatWasTaken(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", true)
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	// newest gets what a playlist in a folder names last, once it names something.
	uri := regexp.MustCompile(`(?m)^[^#\s].*$`)
	newest := func(list string) (path, body string) {
		require.NoError(t, testkit.Eventually(ctx, func() bool {
			_, text := w.do("GET", list, "", nil)
			all := uri.FindAllString(text, -1)
			if !strings.HasPrefix(text, "#EXTM3U") || len(all) == 0 {
				return false
			}
			path = list[:strings.LastIndex(list, "/")+1] + all[len(all)-1]
			return true
		}))
		res, body := w.do("GET", path, "", nil)
		require.Equal(t, 200, res.StatusCode, path)
		return path, body
	}
	taken := 0
	for range 5 {
		list, _ := newest("/media/gate/hls/index.m3u8")
		_, segment := newest(list)
		taken += len(segment)
		var asking sync.WaitGroup
		for range 8 {
			asking.Go(func() {
				res, _ := w.do("GET", "/api/v1/usage", w.engineer, nil)
				assert.Equal(t, 200, res.StatusCode)
			})
		}
		asking.Wait()
	}
	_, text := w.do("GET", "/api/v1/usage", w.engineer, nil)
	u := read[apitypes.Usage](t, text)
	require.Len(t, u.Totals, 1)
	assert.Equal(t, int64(taken), u.Totals[0].Bytes)
}

// TestAlertSettings keep secrets to themselves, and give them to no other host.
func TestAlertSettings(t *testing.T) {
	t.Parallel()
	w := start(t)
	got := make(chan string, 4)
	hook := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { got <- r.Header.Get("Webostrum-Signature") }))
	t.Cleanup(hook.Close)
	s := apitypes.AlertSettings{DownMinutes: 5, Webhook: apitypes.AlertWebhook{URL: hook.URL + "/x?key=hush", Secret: "otters"}, Mail: apitypes.AlertMail{Security: "starttls"}}
	put := func(s apitypes.AlertSettings) (int, string) {
		res, text := w.do("PUT", "/api/v1/alerts", w.engineer, s)
		return res.StatusCode, text
	}
	status, text := put(s)
	require.Equal(t, 200, status, text)
	assert.NotContains(t, text, "otters")
	assert.NotContains(t, text, "hush")
	now := read[apitypes.AlertSettings](t, text)
	assert.True(t, now.Webhook.Signed)
	status, text = put(now) // as it was shown
	require.Equal(t, 200, status, text)
	res, text := w.do("POST", "/api/v1/alerts/test", w.engineer, nil)
	require.Equal(t, 200, res.StatusCode, text)
	assert.Contains(t, <-got, "sha256=", "the secret and the address stayed")
	now.Webhook.URL = "http://192.0.2.99/x"
	_, text = put(now)
	assert.False(t, read[apitypes.AlertSettings](t, text).Webhook.Signed, "another host does not get the secret")
	for field, change := range map[string]func(*apitypes.AlertSettings){
		"webhook.url": func(s *apitypes.AlertSettings) { s.Webhook.URL = "ftp://x" },
		"quietTo":     func(s *apitypes.AlertSettings) { s.QuietFrom = "22:00" },
		"mail.server": func(s *apitypes.AlertSettings) { s.Mail.Server = "mail.example.org" },
		"mail.from":   func(s *apitypes.AlertSettings) { s.Mail.Server = "mail.example.org:587" },
		"mail.to": func(s *apitypes.AlertSettings) {
			s.Mail.Server, s.Mail.From, s.Mail.To = "mail.example.org:587", "a@example.org", []string{"nobody"}
		},
		"quietFrom": func(s *apitypes.AlertSettings) { s.QuietFrom, s.QuietTo = "25:00", "26:00" },
	} {
		bad := s
		change(&bad)
		status, text := put(bad)
		assert.Equal(t, 422, status, field)
		assert.Contains(t, text, field)
	}
}

// TestBackupOverTheAPI is sealed, and a wrong passphrase changes nothing.
func TestBackupOverTheAPI(t *testing.T) {
	t.Parallel()
	restarted := make(chan struct{}, 1)
	w := startWith(t, func(c *api.Config) { c.Restart = func() { restarted <- struct{}{} } })
	w.feeds("gate")
	phrase := base64.StdEncoding.EncodeToString([]byte("seven otters at dawn"))
	res, text := w.do("POST", "/api/v1/backup", w.engineer, nil, "Webostrum-Passphrase", phrase)
	require.Equal(t, 200, res.StatusCode)
	backup := []byte(text)
	send := func(body []byte, phrase string) (int, string) {
		req, err := http.NewRequest(http.MethodPost, w.url+"/api/v1/restore", bytes.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+w.engineer)
		req.Header.Set("Webostrum-Passphrase", phrase)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer func() { _ = res.Body.Close() }()
		answer, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, string(answer)
	}
	for code, c := range map[string]struct {
		body   []byte
		phrase string
	}{
		"passphrase-wrong": {backup, base64.StdEncoding.EncodeToString([]byte("eight otters"))},
		"passphrase-short": {backup, "eA=="},
		"backup-cut":       {backup[:len(backup)-9], phrase},
		"backup-none":      {[]byte("hello"), phrase},
	} {
		status, text := send(c.body, c.phrase)
		assert.GreaterOrEqual(t, status, 400)
		assert.Contains(t, text, code)
	}
	status, text := send(backup, phrase)
	require.Equal(t, 200, status, text)
	<-restarted
	_, text = w.do("GET", "/api/v1/events?kind=service", w.engineer, nil)
	assert.Contains(t, text, "is restored; the service starts anew")
}

// TestReports of checks are bounded, and nobody without the code gets in.
func TestReachReports(t *testing.T) {
	t.Parallel()
	w := startWith(t, func(c *api.Config) {
		c.Front.Outside, _ = url.Parse("https://cams.example.org/cameras")
		c.Front.Base = "/cameras"
	})
	res, text := w.do("POST", "/api/v1/reach/checks", w.engineer, apitypes.NewReachCheck{})
	require.Equal(t, 201, res.StatusCode, text)
	k := read[apitypes.ReachCheck](t, text)
	assert.Equal(t, "https://cams.example.org/cameras/reach/"+k.Code, k.URL)
	report := func(code string, body any) (int, string) {
		res, text := w.do("POST", "/reach/"+code+"/report", "", body)
		return res.StatusCode, text
	}
	one := func(device, trial, outcome string) apitypes.ReachReport {
		return apitypes.ReachReport{Device: device, Results: []apitypes.ReachResult{{Trial: trial, Outcome: outcome, Millis: 12, Detail: strings.Repeat("x", 5000)}}}
	}
	status, text := report(k.Code, one("a", "https", "silent"))
	require.Equal(t, 200, status, text)
	assert.Contains(t, text, "Nothing came back from cams.example.org:443")
	status, text = report(k.Code, one("a", "nonsense", "silent"))
	assert.Equal(t, 200, status)
	assert.Equal(t, "[]\n", text, "what is not known is left out")
	status, _ = report("wrong", one("a", "https", "works"))
	assert.Equal(t, 404, status)
	status, _ = report(k.Code, map[string]any{"device": strings.Repeat("d", 100)})
	assert.Equal(t, 422, status)
	status, _ = report(k.Code, one("a", "https", strings.Repeat("w", 50_000)))
	assert.Equal(t, 422, status)
	for i := range 20 {
		status, _ = report(k.Code, one(fmt.Sprint("d", i), "http", "works"))
	}
	assert.Equal(t, 429, status)
	_, text = w.do("GET", "/api/v1/reach/checks/"+k.Code, w.engineer, nil)
	k = read[apitypes.ReachCheck](t, text)
	assert.Len(t, k.Devices, 16)
	for range 20 {
		w.do("POST", "/api/v1/reach/checks", w.engineer, apitypes.NewReachCheck{})
	}
	status, _ = report(k.Code, one("a", "https", "works"))
	assert.Equal(t, 404, status, "the oldest have gone")
}

// TestRouterOverTheAPI: nothing is asked before somebody asks.
func TestRouterOverTheAPI(t *testing.T) {
	t.Parallel()
	w := startWith(t, func(c *api.Config) {
		c.Router = router.New(router.Config{Gateway: func() netip.Addr { return netip.Addr{} }})
	})
	_, text := w.do("GET", "/api/v1/reach", w.engineer, nil)
	assert.Empty(t, read[apitypes.Reach](t, text).Rules.Note)
	res, text := w.do("POST", "/api/v1/reach/rules", w.engineer, nil)
	require.Equal(t, 200, res.StatusCode, text)
	assert.Contains(t, text, "no default route")
	_, text = w.do("DELETE", "/api/v1/reach/rules", w.engineer, nil)
	assert.Empty(t, read[apitypes.RuleList](t, text).Note)
}

// TestEventsAreFound by severity, person, text and time, and folded.
func TestEventsAreFound(t *testing.T) {
	t.Parallel()
	w := start(t)
	begin := time.Now().Add(-time.Hour)
	for i := range 12 {
		require.NoError(t, w.records.AddEvent(&store.Event{At: begin.Add(time.Duration(i) * time.Minute), Feed: "gate", Kind: "state", Code: "camera-hung-up", Text: fmt.Sprintf("retrying: it hung up after %d s", i), Severity: store.Warning}))
	}
	require.NoError(t, w.records.AddEvent(&store.Event{At: begin.Add(20 * time.Minute), Kind: "change", Text: "100% odd_name", Account: "anna"}))
	ask := func(query string) []apitypes.Event {
		res, text := w.do("GET", "/api/v1/events?"+query, w.engineer, nil)
		require.Equal(t, 200, res.StatusCode, text)
		return read[apitypes.EventList](t, text).Events
	}
	folded := ask("feed=gate&fold=true")
	require.Len(t, folded, 1)
	assert.Equal(t, 12, folded[0].Times)
	assert.WithinDuration(t, begin, *folded[0].First, time.Second)
	assert.Len(t, ask("severity=warning"), 12)
	assert.Empty(t, ask("severity=serious"))
	assert.Len(t, ask("by=anna"), 1)
	assert.Len(t, ask("search=100%25+odd_"), 1)
	assert.Empty(t, ask("search=100_"), "signs of patterns are signs")
	assert.Len(t, ask("until="+url.QueryEscape(begin.Add(150*time.Second).UTC().Format(time.RFC3339))), 3)
	_, text := w.do("GET", "/api/v1/events?feed=gate&limit=5", w.engineer, nil)
	page := read[apitypes.EventList](t, text)
	assert.Equal(t, page.Events[4].ID, page.Before)
}

// TestTracesHaveNoSecrets: routes, and neither links' texts nor queries.
func TestTracesHaveNoSecrets(t *testing.T) {
	t.Parallel()
	spans := tracetest.NewSpanRecorder()
	w := startWith(t, func(c *api.Config) {
		c.Tracer = sdktrace.NewTracerProvider(sdktrace.WithSpanProcessor(spans)).Tracer("test")
	})
	w.feeds("gate")
	w.do("GET", "/watch/gate/link/SECRETTEXT?x=hush", "", nil)
	w.do("GET", "/api/v1/feeds/gate", w.engineer, nil)
	var all []string
	for _, s := range spans.Ended() {
		all = append(all, s.Name(), fmt.Sprint(s.Attributes()))
	}
	text := strings.Join(all, "\n")
	assert.Contains(t, text, "GET /watch/:feed/link/:text")
	assert.Contains(t, text, "GET /api/v1/feeds/:name")
	assert.NotContains(t, text, "SECRETTEXT")
	assert.NotContains(t, text, "hush")
}

// TestTheRoutersRedirections keep the base path, and not one that a stranger chooses.
func TestTheRoutersRedirections(t *testing.T) {
	t.Parallel()
	w := startWith(t, func(c *api.Config) { c.Front.Base = "/cameras" })
	once := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for _, from := range []string{"/cameras/watch/gate/", "/watch/gate/"} {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, w.url+from, nil)
		require.NoError(t, err)
		req.Header.Set("X-Forwarded-Prefix", "/elsewhere")
		res, err := once.Do(req)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		assert.Equal(t, http.StatusMovedPermanently, res.StatusCode)
		assert.Equal(t, "/cameras/watch/gate", res.Header.Get("Location"))
	}
}
