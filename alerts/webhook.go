package alerts

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"webostrum/core/alert"
)

// The headers of a webhook. The signature is the HMAC-SHA256 of the timestamp, a full stop
// and the body, by the secret, in hexadecimal; whoever takes it in refuses timestamps that
// are more than five minutes off, and numbers that have come before.
const (
	headerID        = "Webostrum-Id"
	headerTime      = "Webostrum-Timestamp"
	headerSignature = "Webostrum-Signature"
)

const mostHookAnswer = 64 << 10

// Webhook posts messages to an address.
type Webhook struct {
	URL    string // empty for none
	Secret string // that they are signed by; empty leaves them unsigned
}

func (Webhook) name() string { return "webhook" }

func (w Webhook) on() bool { return w.URL != "" }

type hookCondition struct {
	Key    string    `json:"key"`
	Feed   string    `json:"feed,omitempty"`
	Text   string    `json:"text"`
	Remedy string    `json:"remedy,omitempty"`
	Since  time.Time `json:"since"`
}

type hookBody struct {
	ID      string          `json:"id"`
	At      time.Time       `json:"at"`
	Subject string          `json:"subject"`
	Text    string          `json:"text"`
	Raised  []hookCondition `json:"raised"`
	Over    []hookCondition `json:"over"`
	Open    int             `json:"open"`
	More    int             `json:"more,omitempty"`
	Console string          `json:"console,omitempty"`
}

// Sign is the signature of a body that is sent at a time.
func Sign(secret, timestamp string, body []byte) string {
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(timestamp + "."))
	mac.Write(body)
	return "sha256=" + hex.EncodeToString(mac.Sum(nil))
}

// hookClient follows no redirects: whoever answers so is not whom the settings name.
var hookClient = &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

func (w Webhook) send(ctx context.Context, m alert.Message, link string) error {
	id := strings.ToLower(rand.Text())
	body, err := json.Marshal(hookBody{id, m.At.UTC(), subject(m), text(m, ""), views(m.Raised), views(m.Over), m.Open, m.More, link})
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, w.URL, bytes.NewReader(body))
	if err != nil {
		return errors.New("the webhook's address cannot be used")
	}
	now := strconv.FormatInt(time.Now().Unix(), 10)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "webostrum")
	req.Header.Set(headerID, id)
	req.Header.Set(headerTime, now)
	if w.Secret != "" {
		req.Header.Set(headerSignature, Sign(w.Secret, now, body))
	}
	res, err := hookClient.Do(req)
	if err != nil {
		return withoutAddress(err)
	}
	defer func() { _ = res.Body.Close() }()
	_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, mostHookAnswer)) // so that the connection can be used again
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return fmt.Errorf("the webhook answers %s", res.Status)
	}
	return nil
}

// withoutAddress is an error without the address in it, which may hold a secret.
func withoutAddress(err error) error {
	if whole, ok := errors.AsType[*url.Error](err); ok {
		return whole.Err
	}
	return err
}
