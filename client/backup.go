package client

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"

	"webostrum/apitypes"
)

// Backup writes a backup that is sealed by a passphrase.
func (c *Client) Backup(ctx context.Context, w io.Writer, passphrase string) error {
	res, err := c.sealed(ctx, "/backup", passphrase, http.NoBody)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return decode(res, nil)
	}
	if _, err := io.Copy(w, res.Body); err != nil {
		return fmt.Errorf("the backup was cut off: %w", err)
	}
	return nil
}

// Restore has the service restore a backup and start anew with it.
func (c *Client) Restore(ctx context.Context, r io.Reader, passphrase string) (out apitypes.Restored, err error) {
	res, err := c.sealed(ctx, "/restore", passphrase, r)
	if err != nil {
		return out, err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return out, decode(res, nil)
	}
	return out, json.NewDecoder(res.Body).Decode(&out)
}

// sealed asks for something that takes long and needs a passphrase.
func (c *Client) sealed(ctx context.Context, path, passphrase string, body io.Reader) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, c.base+"/api/v1"+path, body)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+c.token)
	req.Header.Set(apitypes.PassphraseHeader, base64.StdEncoding.EncodeToString([]byte(passphrase)))
	res, err := (&http.Client{}).Do(req) // as long as ctx lets it
	if err != nil {
		return nil, fmt.Errorf("%w at %s: %w", ErrUnreachable, c.base, err)
	}
	return res, nil
}

// ExportFeeds returns all feeds as a file keeps them.
func (c *Client) ExportFeeds(ctx context.Context) (f apitypes.FeedFile, err error) {
	return f, c.call(ctx, "GET", "/feed-file", nil, &f)
}

// ImportFeeds has feeds be as a file says; the file is as JSON.
func (c *Client) ImportFeeds(ctx context.Context, file any, dryRun, removeOthers bool) (r apitypes.FeedFileResult, err error) {
	return r, c.call(ctx, "PUT", fmt.Sprintf("/feed-file?dry-run=%t&remove-others=%t", dryRun, removeOthers), file, &r)
}
