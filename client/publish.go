package client

import (
	"context"

	"webostrum/apitypes"
)

// Publishing tells where to send to a feed.
func (c *Client) Publishing(ctx context.Context, name string) (apitypes.Publishing, error) {
	var out apitypes.Publishing
	return out, c.call(ctx, "GET", feedPath(name)+"/publishing", nil, &out)
}

// AddPass makes a pass that lets somebody send to a feed for some hours.
func (c *Client) AddPass(ctx context.Context, name string, hours float64) (apitypes.Pass, error) {
	var out apitypes.Pass
	return out, c.call(ctx, "POST", feedPath(name)+"/publish-passes", apitypes.NewPass{Hours: hours}, &out)
}

// Publisher tells who sends to a feed.
func (c *Client) Publisher(ctx context.Context, name string) (apitypes.Publisher, error) {
	var out apitypes.Publisher
	return out, c.call(ctx, "GET", feedPath(name)+"/publisher", nil, &out)
}

// AskPublisher asks a camera page for something.
func (c *Client) AskPublisher(ctx context.Context, name string, w apitypes.CameraWish) error {
	return c.call(ctx, "POST", feedPath(name)+"/publisher/camera", w, nil)
}

// EndPublisher cuts off who sends to a feed.
func (c *Client) EndPublisher(ctx context.Context, name string) error {
	return c.call(ctx, "DELETE", feedPath(name)+"/publisher", nil, nil)
}

// RenewPublishKey gives a feed another key for publishers.
func (c *Client) RenewPublishKey(ctx context.Context, name string) (apitypes.Publishing, error) {
	var out apitypes.Publishing
	return out, c.call(ctx, "POST", feedPath(name)+"/publish-key", nil, &out)
}
