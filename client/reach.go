package client

import (
	"context"
	"net/url"

	"webostrum/apitypes"
)

// Reach says where the service can be reached.
func (c *Client) Reach(ctx context.Context) (r apitypes.Reach, err error) {
	return r, c.call(ctx, "GET", "/reach", nil, &r)
}

// AddReachCheck makes a check of the ways in that plays a feed; one that is live when the
// name is empty.
func (c *Client) AddReachCheck(ctx context.Context, feed string) (k apitypes.ReachCheck, err error) {
	return k, c.call(ctx, "POST", "/reach/checks", apitypes.NewReachCheck{Feed: feed}, &k)
}

// ReachCheck returns what devices found.
func (c *Client) ReachCheck(ctx context.Context, code string) (k apitypes.ReachCheck, err error) {
	return k, c.call(ctx, "GET", "/reach/checks/"+url.PathEscape(code), nil, &k)
}

// AskRouter has the router asked to pass ports on.
func (c *Client) AskRouter(ctx context.Context) (r apitypes.RuleList, err error) {
	return r, c.call(ctx, "POST", "/reach/rules", nil, &r)
}

// WithdrawRules has the router pass nothing on any more.
func (c *Client) WithdrawRules(ctx context.Context) (r apitypes.RuleList, err error) {
	return r, c.call(ctx, "DELETE", "/reach/rules", nil, &r)
}
