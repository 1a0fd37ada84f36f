package alerts_test

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/alerts"
	"webostrum/core/alert"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// hook is somebody's webhook.
type hook struct {
	*httptest.Server
	mu     sync.Mutex
	status []int // of the next answers; then 204
	got    []*http.Request
	bodies []string
}

func newHook(t *testing.T, status ...int) *hook {
	t.Helper()
	h := &hook{status: status}
	h.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		h.mu.Lock()
		defer h.mu.Unlock()
		h.got, h.bodies = append(h.got, r), append(h.bodies, string(body))
		answer := http.StatusNoContent
		if len(h.status) > 0 {
			answer, h.status = h.status[0], h.status[1:]
		}
		w.WriteHeader(answer)
	}))
	t.Cleanup(func() { h.Close(); http.DefaultTransport.(*http.Transport).CloseIdleConnections() })
	return h
}

func (h *hook) said() []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return append([]string(nil), h.bodies...)
}

type sent struct {
	by  string
	err error
}

// run runs a keeper over what is wrong until the test ends.
func run(t *testing.T, s alerts.Settings, wrong func(time.Time) []alert.Condition) <-chan sent {
	t.Helper()
	out := make(chan sent, 16)
	k := alerts.New(alerts.Config{
		Wrong: wrong, Sent: func(by string, _ alert.Message, err error) { out <- sent{by, err} }, Log: slog.New(slog.DiscardHandler),
		LookEvery: 5 * time.Millisecond, Together: 20 * time.Millisecond, Pauses: []time.Duration{time.Millisecond, time.Millisecond},
	})
	k.Set(s)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); k.Run(ctx) }()
	t.Cleanup(func() { cancel(); <-done })
	return out
}

func down(time.Time) []alert.Condition {
	return []alert.Condition{{Key: "feed gate", Feed: "gate", Text: "gate is down: Nothing answers.", Remedy: "Check its power.", Since: time.Unix(1795678200, 0)}}
}

// TestWebhook is signed over its time and body, and tried again when it is refused.
func TestWebhook(t *testing.T) {
	h := newHook(t, http.StatusInternalServerError)
	out := run(t, alerts.Settings{Webhook: alerts.Webhook{URL: h.URL + "/cameras", Secret: "seven-otters"}, Link: "https://cams.example.org/morning"}, down)
	assert.Equal(t, sent{"webhook", nil}, <-out)
	require.Len(t, h.said(), 2, "the first try was refused")
	r := h.got[1]
	stamp := r.Header.Get("Webostrum-Timestamp")
	at, err := strconv.ParseInt(stamp, 10, 64)
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), time.Unix(at, 0), time.Minute)
	assert.Equal(t, alerts.Sign("seven-otters", stamp, []byte(h.said()[1])), r.Header.Get("Webostrum-Signature"))
	assert.NotEqual(t, h.got[0].Header.Get("Webostrum-Id"), "")
	var body struct {
		Subject, Console string
		Raised           []struct{ Feed, Text, Remedy string }
		Open             int
	}
	require.NoError(t, json.Unmarshal([]byte(h.said()[1]), &body))
	assert.Equal(t, "gate is down: Nothing answers.", body.Subject)
	assert.Equal(t, "Check its power.", body.Raised[0].Remedy)
	assert.Equal(t, 1, body.Open)
	assert.Equal(t, "https://cams.example.org/morning", body.Console)
	assert.NotContains(t, h.said()[1], "seven-otters")
}

// TestSign against a value worked out by another tool: printf 1795678200.{} | openssl dgst -sha256 -hmac key.
func TestSign(t *testing.T) {
	assert.Equal(t, "sha256=8a0305aa9766af5520c34f0f982c9520979acc41af7a8534b7fa1a4bf6ca86b4", alerts.Sign("key", "1795678200", []byte("{}")))
}

// TestAWebhookThatStaysBroken is given up after a few tries, and redirects are not followed.
func TestAWebhookThatStaysBroken(t *testing.T) {
	other := newHook(t)
	h := newHook(t)
	h.Config.Handler = http.RedirectHandler(other.URL, http.StatusTemporaryRedirect)
	out := run(t, alerts.Settings{Webhook: alerts.Webhook{URL: h.URL + "/?key=secret"}}, down)
	got := <-out
	assert.ErrorContains(t, got.err, "307")
	assert.Empty(t, other.said())
	h.Close()
	results := alerts.Test(context.Background(), alerts.Settings{Webhook: alerts.Webhook{URL: h.URL + "/?key=secret"}}, time.Now())
	require.ErrorContains(t, results["webhook"], "refused")
	assert.NotContains(t, results["webhook"].Error(), "secret")
}

// TestAWebhookThatHangs is cut off, and holds up nobody.
func TestAWebhookThatHangs(t *testing.T) {
	release := make(chan struct{})
	s := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { <-release }))
	t.Cleanup(func() { close(release); s.Close() })
	ctx, cancel := context.WithTimeout(context.Background(), 100*time.Millisecond)
	defer cancel()
	err := alerts.Test(ctx, alerts.Settings{Webhook: alerts.Webhook{URL: s.URL}}, time.Now())["webhook"]
	assert.ErrorIs(t, err, context.DeadlineExceeded)
}

// post is a mail server.
type post struct {
	mu      sync.Mutex
	letters []string
	refuse  bool
}

func (p *post) NewSession(*smtp.Conn) (smtp.Session, error) { return &letter{post: p}, nil }

type letter struct {
	post *post
	to   []string
}

func (l *letter) Mail(string, *smtp.MailOptions) error { return nil }
func (l *letter) Rcpt(to string, _ *smtp.RcptOptions) error {
	l.to = append(l.to, to)
	return nil
}
func (l *letter) Data(r io.Reader) error {
	body, err := io.ReadAll(r)
	l.post.mu.Lock()
	defer l.post.mu.Unlock()
	if l.post.refuse {
		return errors.New("no room")
	}
	l.post.letters = append(l.post.letters, strings.Join(l.to, ",")+"\n"+string(body))
	return err
}
func (l *letter) Reset()        {}
func (l *letter) Logout() error { return nil }

func postOffice(t *testing.T) (*post, string) {
	t.Helper()
	p := &post{}
	s := smtp.NewServer(p)
	s.Domain, s.AllowInsecureAuth = "localhost", true
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	done := make(chan struct{})
	go func() { defer close(done); _ = s.Serve(l) }()
	t.Cleanup(func() { _ = s.Close(); <-done })
	return p, l.Addr().String()
}

// TestMail comes with what is wrong and what to do, to all who are to have it.
func TestMail(t *testing.T) {
	p, at := postOffice(t)
	m := alerts.Mail{Server: at, Security: alerts.NoTLS, From: "cameras@example.org", To: []string{"duty@example.org", "night@example.org"}}
	out := run(t, alerts.Settings{Mail: m}, down)
	assert.Equal(t, sent{"e-mail", nil}, <-out)
	require.Len(t, p.letters, 1)
	for _, want := range []string{"duty@example.org,night@example.org", "Subject: Webostrum: gate is down: Nothing answers.", "Check its power."} {
		assert.Contains(t, p.letters[0], want)
	}
	p.mu.Lock()
	p.refuse = true
	p.mu.Unlock()
	err := alerts.Test(context.Background(), alerts.Settings{Mail: m}, time.Now())["e-mail"]
	assert.ErrorContains(t, err, "did not take it")
	m.Security = alerts.StartTLS
	err = alerts.Test(context.Background(), alerts.Settings{Mail: m}, time.Now())["e-mail"]
	assert.Error(t, err, "no password and no letter goes in the clear unless the settings say so")
	m.Server = "nonsense"
	assert.ErrorContains(t, alerts.Test(context.Background(), alerts.Settings{Mail: m}, time.Now())["e-mail"], "write it like")
}

// TestNobodyIsTold where nobody is set.
func TestNobodyIsTold(t *testing.T) {
	assert.Empty(t, alerts.Test(context.Background(), alerts.Settings{}, time.Now()))
}
