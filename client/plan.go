package client

import (
	"context"
	"net/url"
	"strconv"
	"strings"

	"webostrum/apitypes"
)

// PlanQuery is who will watch a feed. Nil and zero values are the feed's own, and what is
// not known.
type PlanQuery struct {
	Viewers int
	Within  *float64 // seconds
	Listen  bool     // they have the sound on
	Uplink  float64  // bits a second
	Engines []string // that all viewers have; none for any
}

// Plan returns what a feed will be like.
func (c *Client) Plan(ctx context.Context, feed string, q PlanQuery) (*apitypes.Plan, error) {
	v := url.Values{}
	if q.Viewers > 0 {
		v.Set("viewers", strconv.Itoa(q.Viewers))
	}
	if q.Within != nil {
		v.Set("within", strconv.FormatFloat(*q.Within, 'g', -1, 64))
	}
	if q.Listen {
		v.Set("listen", "true")
	}
	if q.Uplink > 0 {
		v.Set("uplink", strconv.FormatFloat(q.Uplink, 'f', 0, 64))
	}
	if len(q.Engines) > 0 {
		v.Set("engine", strings.Join(q.Engines, ","))
	}
	p := &apitypes.Plan{}
	return p, c.call(ctx, "GET", feedPath(feed)+"/plan?"+v.Encode(), nil, p)
}

// AddLadder adds the renditions that are proposed for a feed.
func (c *Client) AddLadder(ctx context.Context, feed string) ([]apitypes.Rendition, error) {
	var out apitypes.RenditionList
	err := c.call(ctx, "POST", feedPath(feed)+"/ladder", nil, &out)
	return out.Renditions, err
}

// PlanCamera looks into a camera and returns what a feed of it would be like.
func (c *Client) PlanCamera(ctx context.Context, in apitypes.Prospect) (*apitypes.Plan, error) {
	p := &apitypes.Plan{}
	return p, c.call(ctx, "POST", "/plan", in, p)
}
