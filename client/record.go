package client

import (
	"context"
	"net/url"
	"time"

	"webostrum/apitypes"
)

// Availability says how a feed was.
func (c *Client) Availability(ctx context.Context, feed string) (a apitypes.Availability, err error) {
	return a, c.call(ctx, "GET", feedPath(feed)+"/availability", nil, &a)
}

// Strips returns the last day of all feeds.
func (c *Client) Strips(ctx context.Context) (l apitypes.StripList, err error) {
	return l, c.call(ctx, "GET", "/availability", nil, &l)
}

// Morning says what happened since a time; zero for the evening before.
func (c *Client) Morning(ctx context.Context, since time.Time) (m apitypes.Morning, err error) {
	q := url.Values{}
	if !since.IsZero() {
		q.Set("since", since.UTC().Format(time.RFC3339))
	}
	return m, c.call(ctx, "GET", "/morning?"+q.Encode(), nil, &m)
}

// Usage says what viewers took; empty texts are all feeds and the usual days.
func (c *Client) Usage(ctx context.Context, feed, from, to string) (u apitypes.Usage, err error) {
	return u, c.call(ctx, "GET", "/usage?"+usageQuery(feed, from, to), nil, &u)
}

// UsageTable is Usage as CSV.
func (c *Client) UsageTable(ctx context.Context, feed, from, to string) (table []byte, err error) {
	return table, c.call(ctx, "GET", "/usage.csv?"+usageQuery(feed, from, to), nil, &table)
}

func usageQuery(feed, from, to string) string {
	q := url.Values{}
	for name, value := range map[string]string{"feed": feed, "from": from, "to": to} {
		if value != "" {
			q.Set(name, value)
		}
	}
	return q.Encode()
}

// SetAllowance sets what may be sent to viewers in a month.
func (c *Client) SetAllowance(ctx context.Context, l apitypes.UsageLimit) (out apitypes.UsageLimit, err error) {
	return out, c.call(ctx, "PUT", "/usage/allowance", l, &out)
}

// Alerts says of what somebody is told.
func (c *Client) Alerts(ctx context.Context) (s apitypes.AlertSettings, err error) {
	return s, c.call(ctx, "GET", "/alerts", nil, &s)
}

// SetAlerts sets of what somebody is told.
func (c *Client) SetAlerts(ctx context.Context, s apitypes.AlertSettings) (out apitypes.AlertSettings, err error) {
	return out, c.call(ctx, "PUT", "/alerts", s, &out)
}

// TestAlerts sends a test by each way that is set.
func (c *Client) TestAlerts(ctx context.Context) (t apitypes.AlertTest, err error) {
	return t, c.call(ctx, "POST", "/alerts/test", nil, &t)
}
