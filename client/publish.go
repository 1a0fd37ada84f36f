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

// RenewPublishKey gives a feed another key for publishers.
func (c *Client) RenewPublishKey(ctx context.Context, name string) (apitypes.Publishing, error) {
	var out apitypes.Publishing
	return out, c.call(ctx, "POST", feedPath(name)+"/publish-key", nil, &out)
}
