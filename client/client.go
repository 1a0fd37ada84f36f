// Package client is the Go client of the API.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"webostrum/apitypes"
)

// ErrUnreachable is wrapped when nobody answers at the service's address.
var ErrUnreachable = errors.New("the service does not answer")

// Client speaks to one service. It is safe for concurrent use.
type Client struct {
	base  string
	token string
	http  *http.Client
}

const requestTimeout = 2 * time.Minute // looking into a camera may take a minute

// New makes a client. base is like "http://127.0.0.1:7600".
func New(base, token string) *Client {
	return &Client{base: strings.TrimSuffix(base, "/"), token: token, http: &http.Client{Timeout: requestTimeout}}
}

// Base returns the service's address.
func (c *Client) Base() string { return c.base }

// Token returns what the client signs in with.
func (c *Client) Token() string { return c.token }

// call does one request; in and out may be nil. A problem answer is returned as
// *apitypes.Problem.
func (c *Client) call(ctx context.Context, method, path string, in, out any) error {
	var body io.Reader
	if in != nil {
		b, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(b)
	}
	req, err := http.NewRequestWithContext(ctx, method, c.base+"/api/v1"+path, body)
	if err != nil {
		return err
	}
	if in != nil {
		req.Header.Set("Content-Type", kindOf(in))
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	res, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%w at %s: %w", ErrUnreachable, c.base, err)
	}
	defer func() { _ = res.Body.Close() }()
	return decode(res, out)
}

func kindOf(in any) string {
	if _, ok := in.(Patch); ok {
		return "application/merge-patch+json"
	}
	return "application/json"
}

const maxAnswer = 16 << 20

func decode(res *http.Response, out any) error {
	data, err := io.ReadAll(io.LimitReader(res.Body, maxAnswer))
	if err != nil {
		return err
	}
	if res.StatusCode >= http.StatusBadRequest {
		p := &apitypes.Problem{}
		if json.Unmarshal(data, p) != nil || p.Status == 0 {
			p.Status, p.Title = res.StatusCode, res.Status
			p.Detail = "the answer is not one of this service: " + strings.TrimSpace(string(data[:min(len(data), 120)]))
		}
		return p
	}
	switch out := out.(type) {
	case nil:
		return nil
	case *[]byte:
		*out = data
		return nil
	}
	return json.Unmarshal(data, out)
}

// Feeds returns all feeds.
func (c *Client) Feeds(ctx context.Context) ([]apitypes.Feed, error) {
	var out struct{ Feeds []apitypes.Feed }
	err := c.call(ctx, "GET", "/feeds", nil, &out)
	return out.Feeds, err
}

func feedPath(name string) string { return "/feeds/" + url.PathEscape(name) }

// Feed returns one feed.
func (c *Client) Feed(ctx context.Context, name string) (f apitypes.Feed, err error) {
	return f, c.call(ctx, "GET", feedPath(name), nil, &f)
}

// AddFeed adds a feed.
func (c *Client) AddFeed(ctx context.Context, in apitypes.NewFeed) (f apitypes.Feed, err error) {
	return f, c.call(ctx, "POST", "/feeds", in, &f)
}

// Patch is a merge patch (RFC 7396): what is left out stays.
type Patch map[string]any

// Set sets a member by its path, such as "camera.url".
func (p Patch) Set(path string, value any) {
	name, rest, nested := strings.Cut(path, ".")
	if !nested {
		p[name] = value
		return
	}
	inner, ok := p[name].(Patch)
	if !ok {
		inner = Patch{}
		p[name] = inner
	}
	inner.Set(rest, value)
}

// EditFeed changes a feed's settings by a patch of apitypes.FeedSettings.
func (c *Client) EditFeed(ctx context.Context, name string, in Patch) (f apitypes.Feed, err error) {
	return f, c.call(ctx, "PATCH", feedPath(name), in, &f)
}

// RemoveFeed removes a feed.
func (c *Client) RemoveFeed(ctx context.Context, name string) error {
	return c.call(ctx, "DELETE", feedPath(name), nil, nil)
}

// StartFeed switches a feed on, or has it try again at once.
func (c *Client) StartFeed(ctx context.Context, name string) (f apitypes.Feed, err error) {
	return f, c.call(ctx, "POST", feedPath(name)+"/start", nil, &f)
}

// StopFeed switches a feed off.
func (c *Client) StopFeed(ctx context.Context, name string) (f apitypes.Feed, err error) {
	return f, c.call(ctx, "POST", feedPath(name)+"/stop", nil, &f)
}

// Inspect has the service look into a camera.
func (c *Client) Inspect(ctx context.Context, in apitypes.Inspection) (*apitypes.Report, error) {
	r := &apitypes.Report{}
	return r, c.call(ctx, "POST", "/inspect", in, r)
}

// EventQuery chooses events.
type EventQuery struct {
	Feed  string
	Kind  string
	Since time.Time // from this time on; zero for all
	Until time.Time // before this time; zero for all

	Severity, By, Search string
	Before               int64
	After                int64
	Limit                int
	Fold                 bool // events that repeat come as one
}

// Events returns events, newest first.
func (c *Client) Events(ctx context.Context, q EventQuery) ([]apitypes.Event, error) {
	v := url.Values{}
	if q.Feed != "" {
		v.Set("feed", q.Feed)
	}
	if q.Kind != "" {
		v.Set("kind", q.Kind)
	}
	if !q.Since.IsZero() {
		v.Set("since", q.Since.UTC().Format(time.RFC3339Nano))
	}
	for name, value := range map[string]string{"severity": q.Severity, "by": q.By, "search": q.Search} {
		if value != "" {
			v.Set(name, value)
		}
	}
	if !q.Until.IsZero() {
		v.Set("until", q.Until.UTC().Format(time.RFC3339Nano))
	}
	if q.Before > 0 {
		v.Set("before", strconv.FormatInt(q.Before, 10))
	}
	if q.Fold {
		v.Set("fold", "true")
	}
	if q.After > 0 {
		v.Set("after", strconv.FormatInt(q.After, 10))
	}
	if q.Limit > 0 {
		v.Set("limit", strconv.Itoa(q.Limit))
	}
	var out struct{ Events []apitypes.Event }
	err := c.call(ctx, "GET", "/events?"+v.Encode(), nil, &out)
	return out.Events, err
}

// Still returns a feed's latest picture as JPEG and its age. query is as in the
// address, such as size=640x.
func (c *Client) Still(ctx context.Context, name string, query url.Values) (data []byte, age time.Duration, err error) {
	req, err := http.NewRequestWithContext(ctx, "GET", c.base+"/media/"+url.PathEscape(name)+"/still.jpg?"+query.Encode(), nil)
	if err != nil {
		return nil, 0, err
	}
	req.Header.Set("Authorization", "Bearer "+c.token)
	res, err := c.http.Do(req)
	if err != nil {
		return nil, 0, fmt.Errorf("%w at %s: %w", ErrUnreachable, c.base, err)
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode >= http.StatusBadRequest {
		return nil, 0, decode(res, nil)
	}
	secs, _ := strconv.Atoi(res.Header.Get("Age")) // missing is as good as zero
	data, err = io.ReadAll(io.LimitReader(res.Body, maxAnswer))
	return data, time.Duration(secs) * time.Second, err
}
