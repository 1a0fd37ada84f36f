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

// Turn says whose turn it is in a feed that takes turns.
func (c *Client) Turn(ctx context.Context, name string) (t apitypes.Turn, err error) {
	return t, c.call(ctx, "GET", feedPath(name)+"/turn", nil, &t)
}

// PutOn puts one of them on; an empty feed has them take turns again.
func (c *Client) PutOn(ctx context.Context, name, feed string) (t apitypes.Turn, err error) {
	return t, c.call(ctx, "PUT", feedPath(name)+"/turn", apitypes.PutOn{Feed: feed}, &t)
}
