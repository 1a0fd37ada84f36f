package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"time"

	"webostrum/apitypes"
)

func spanQuery(from, to time.Time) url.Values {
	q := url.Values{}
	if !from.IsZero() {
		q.Set("from", from.UTC().Format(time.RFC3339Nano))
	}
	if !to.IsZero() {
		q.Set("to", to.UTC().Format(time.RFC3339Nano))
	}
	return q
}

// RecordingRoom says how much recordings take.
func (c *Client) RecordingRoom(ctx context.Context) (r apitypes.RecordingRoom, err error) {
	return r, c.call(ctx, "GET", "/recordings", nil, &r)
}

// Recordings says what was recorded of a feed; zero times are the last day.
func (c *Client) Recordings(ctx context.Context, feed string, from, to time.Time) (r apitypes.Recordings, err error) {
	return r, c.call(ctx, "GET", feedPath(feed)+"/recordings?"+spanQuery(from, to).Encode(), nil, &r)
}

// KeepRecordings marks what was recorded as to be kept, or no longer so.
func (c *Client) KeepRecordings(ctx context.Context, feed string, k apitypes.KeepRecordings) (r apitypes.RecordingsChanged, err error) {
	return r, c.call(ctx, "PUT", feedPath(feed)+"/recordings/keep", k, &r)
}

// RemoveRecordings removes what lies wholly between two times and is not kept.
func (c *Client) RemoveRecordings(ctx context.Context, feed string, from, to time.Time) (r apitypes.RecordingsChanged, err error) {
	return r, c.call(ctx, "DELETE", feedPath(feed)+"/recordings?"+spanQuery(from, to).Encode(), nil, &r)
}

// StartRecording has a feed recorded, for some minutes or, with 0, until it is stopped.
func (c *Client) StartRecording(ctx context.Context, feed string, minutes float64) (s apitypes.RecordingState, err error) {
	return s, c.call(ctx, "POST", feedPath(feed)+"/recording", apitypes.RecordNow{Minutes: minutes}, &s)
}

// StopRecording ends what was begun by hand.
func (c *Client) StopRecording(ctx context.Context, feed string) (s apitypes.RecordingState, err error) {
	return s, c.call(ctx, "DELETE", feedPath(feed)+"/recording", nil, &s)
}

// Motion says how much of a feed's picture changes.
func (c *Client) Motion(ctx context.Context, feed string) (m apitypes.Motion, err error) {
	return m, c.call(ctx, "GET", feedPath(feed)+"/motion", nil, &m)
}

// Exported is what an export is of.
type Exported struct {
	Begins, Ends time.Time
	Gaps         string // how many
	Bytes        int64
}

// ExportRecording writes one MP4 of what was recorded between two times.
func (c *Client) ExportRecording(ctx context.Context, w io.Writer, feed string, from, to time.Time, exact bool) (e Exported, err error) {
	q := spanQuery(from, to)
	if exact {
		q.Set("cut", "exact")
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.base+"/api/v1"+feedPath(feed)+"/recordings/export?"+q.Encode(), nil)
	if err != nil {
		return e, err
	}
	req.Header.Set("Authorization", "Bearer "+c.token)
	res, err := (&http.Client{}).Do(req) // as long as ctx lets it
	if err != nil {
		return e, fmt.Errorf("%w at %s: %w", ErrUnreachable, c.base, err)
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return e, decode(res, nil)
	}
	e.Begins, _ = time.Parse(time.RFC3339Nano, res.Header.Get("Webostrum-Begins"))
	e.Ends, _ = time.Parse(time.RFC3339Nano, res.Header.Get("Webostrum-Ends"))
	e.Gaps = res.Header.Get("Webostrum-Gaps")
	if e.Bytes, err = io.Copy(w, res.Body); err != nil {
		return e, fmt.Errorf("the export was cut off: %w", err)
	}
	return e, nil
}
