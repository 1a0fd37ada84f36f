package client

import (
	"context"
	"net/url"

	"webostrum/apitypes"
)

func partPath(feed, kind, name string) string {
	return feedPath(feed) + kind + "/" + url.PathEscape(name)
}

const (
	renditions = "/renditions"
	requests   = "/requests"
	links      = "/links"
)

// Delay returns what delay cannot be avoided in each delivery of a feed.
func (c *Client) Delay(ctx context.Context, feed string) ([]apitypes.Delay, error) {
	var out struct{ Deliveries []apitypes.Delay }
	err := c.call(ctx, "GET", feedPath(feed)+"/delay", nil, &out)
	return out.Deliveries, err
}

// AddRendition adds a rendition to a feed.
func (c *Client) AddRendition(ctx context.Context, feed string, in apitypes.NewRendition) (r apitypes.Rendition, err error) {
	return r, c.call(ctx, "POST", feedPath(feed)+renditions, in, &r)
}

// EditRendition changes a feed's rendition.
func (c *Client) EditRendition(ctx context.Context, feed, name string, in apitypes.RenditionChange) (r apitypes.Rendition, err error) {
	return r, c.call(ctx, "PATCH", partPath(feed, renditions, name), in, &r)
}

// RemoveRendition removes a feed's rendition.
func (c *Client) RemoveRendition(ctx context.Context, feed, name string) error {
	return c.call(ctx, "DELETE", partPath(feed, renditions, name), nil, nil)
}

// AddRequest adds a request to a feed's camera.
func (c *Client) AddRequest(ctx context.Context, feed string, in apitypes.CameraRequest) (q apitypes.CameraRequest, err error) {
	return q, c.call(ctx, "POST", feedPath(feed)+requests, in, &q)
}

// RunRequest sends a request to a feed's camera.
func (c *Client) RunRequest(ctx context.Context, feed, name string) (a apitypes.CameraAnswer, err error) {
	return a, c.call(ctx, "POST", partPath(feed, requests, name)+"/run", nil, &a)
}

// RemoveRequest removes a request to a feed's camera.
func (c *Client) RemoveRequest(ctx context.Context, feed, name string) error {
	return c.call(ctx, "DELETE", partPath(feed, requests, name), nil, nil)
}

// Links returns a feed's links.
func (c *Client) Links(ctx context.Context, feed string) ([]apitypes.Link, error) {
	var out struct{ Links []apitypes.Link }
	err := c.call(ctx, "GET", feedPath(feed)+links, nil, &out)
	return out.Links, err
}

// AddLink makes a link.
func (c *Client) AddLink(ctx context.Context, feed string, in apitypes.NewLink) (l apitypes.Link, err error) {
	return l, c.call(ctx, "POST", feedPath(feed)+links, in, &l)
}

// EditLink changes what a link lets its viewers do.
func (c *Client) EditLink(ctx context.Context, feed, name string, in apitypes.LinkSettings) (l apitypes.Link, err error) {
	return l, c.call(ctx, "PUT", partPath(feed, links, name), in, &l)
}

// RemoveLink ends a link.
func (c *Client) RemoveLink(ctx context.Context, feed, name string) error {
	return c.call(ctx, "DELETE", partPath(feed, links, name), nil, nil)
}

// Viewers returns who watches a feed, or any with the empty name.
func (c *Client) Viewers(ctx context.Context, feed string) ([]apitypes.Viewer, error) {
	var out struct{ Viewers []apitypes.Viewer }
	err := c.call(ctx, "GET", "/viewers?feed="+url.QueryEscape(feed), nil, &out)
	return out.Viewers, err
}

// EndViewer ends a viewer.
func (c *Client) EndViewer(ctx context.Context, id string) error {
	return c.call(ctx, "DELETE", "/viewers/"+url.PathEscape(id), nil, nil)
}
