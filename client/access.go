package client

import (
	"context"
	"net/url"
	"strconv"

	"webostrum/apitypes"
)

const (
	accounts = "/accounts"
	tokens   = "/tokens"
	sessions = "/sessions"
)

// Accounts returns all accounts.
func (c *Client) Accounts(ctx context.Context) ([]apitypes.Account, error) {
	var out struct{ Accounts []apitypes.Account }
	err := c.call(ctx, "GET", accounts, nil, &out)
	return out.Accounts, err
}

// AddAccount adds an account.
func (c *Client) AddAccount(ctx context.Context, in apitypes.NewAccount) (a apitypes.Account, err error) {
	return a, c.call(ctx, "POST", accounts, in, &a)
}

func accountPath(name string) string { return accounts + "/" + url.PathEscape(name) }

// EditAccount changes an account.
func (c *Client) EditAccount(ctx context.Context, name string, in apitypes.AccountChange) (a apitypes.Account, err error) {
	return a, c.call(ctx, "PATCH", accountPath(name), in, &a)
}

// SetPassword gives an account another password.
func (c *Client) SetPassword(ctx context.Context, account, password string) error {
	return c.call(ctx, "PUT", accountPath(account)+"/password", map[string]string{"password": password}, nil)
}

// RemoveAccount removes an account.
func (c *Client) RemoveAccount(ctx context.Context, account string) error {
	return c.call(ctx, "DELETE", accountPath(account), nil, nil)
}

// Tokens returns the tokens for programs.
func (c *Client) Tokens(ctx context.Context) ([]apitypes.Token, error) {
	var out struct{ Tokens []apitypes.Token }
	err := c.call(ctx, "GET", tokens, nil, &out)
	return out.Tokens, err
}

// AddToken makes a token for a program; its text is told this once.
func (c *Client) AddToken(ctx context.Context, in apitypes.NewToken) (t apitypes.Token, err error) {
	return t, c.call(ctx, "POST", tokens, in, &t)
}

// EndToken ends a token.
func (c *Client) EndToken(ctx context.Context, id int64) error {
	return c.call(ctx, "DELETE", tokens+"/"+strconv.FormatInt(id, 10), nil, nil)
}

// Sessions returns the browsers that are signed in, with whatever account.
func (c *Client) Sessions(ctx context.Context) ([]apitypes.BrowserSession, error) {
	var out struct{ Sessions []apitypes.BrowserSession }
	err := c.call(ctx, "GET", sessions+"?all=true", nil, &out)
	return out.Sessions, err
}

// EndSession signs a browser out.
func (c *Client) EndSession(ctx context.Context, id int64) error {
	return c.call(ctx, "DELETE", sessions+"/"+strconv.FormatInt(id, 10), nil, nil)
}

// RenewLinkKey has links signed by another key; endOthers ends those of the keys before.
func (c *Client) RenewLinkKey(ctx context.Context, endOthers bool) (k apitypes.LinkKey, err error) {
	return k, c.call(ctx, "POST", "/link-key", apitypes.NewLinkKey{EndOthers: endOthers}, &k)
}

// Embed returns what puts a feed into a page; query is as in the API's description.
func (c *Client) Embed(ctx context.Context, feed string, query url.Values) (e apitypes.Embedding, err error) {
	return e, c.call(ctx, "GET", feedPath(feed)+"/embed?"+query.Encode(), nil, &e)
}

// Addresses returns the addresses that the service can be reached by.
func (c *Client) Addresses(ctx context.Context) ([]apitypes.Address, error) {
	var out struct{ Addresses []apitypes.Address }
	err := c.call(ctx, "GET", "/addresses", nil, &out)
	return out.Addresses, err
}
