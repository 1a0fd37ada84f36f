package client

import (
	"context"
	"net/url"

	"webostrum/apitypes"
)

// StartSearch begins to search for cameras.
func (c *Client) StartSearch(ctx context.Context, in apitypes.NewSearch) (s apitypes.Search, err error) {
	return s, c.call(ctx, "POST", "/searches", in, &s)
}

// Search returns what a search has found so far.
func (c *Client) Search(ctx context.Context, id string) (s apitypes.Search, err error) {
	return s, c.call(ctx, "GET", "/searches/"+url.PathEscape(id), nil, &s)
}

// OfferedStreams asks a camera for its streams by ONVIF.
func (c *Client) OfferedStreams(ctx context.Context, in apitypes.DeviceSignIn) (s apitypes.OfferedStreams, err error) {
	return s, c.call(ctx, "POST", "/offered-streams", in, &s)
}
