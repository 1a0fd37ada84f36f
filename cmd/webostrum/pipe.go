package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

// pipeTimeout is how long the service may take to say whether it takes a stream.
const pipeTimeout = 15 * time.Second

func (a *app) pipe() *cli.Command {
	return &cli.Command{
		Name: "pipe", Usage: "send what a program writes to a feed: a transport stream, H.264 or H.265 with start codes, JPEG after JPEG, or fragmented MP4, from standard input", OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "key", Usage: "the feed's `KEY`, or a pass; left out, the service is asked for a pass", Sources: cli.EnvVars("WEBOSTRUM_PUBLISH_KEY")},
			&cli.IntFlag{Name: "program", Usage: "`NUMBER` of the program, of a transport stream that has several"},
		},
		Arguments: nameArg(),
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := feedName(c)
			if err != nil {
				return err
			}
			base, key, err := a.destination(ctx, c, name)
			if err != nil {
				return err
			}
			to := base + "/publish/" + url.PathEscape(name) + "/stream"
			if n := c.Int("program"); n > 0 {
				to += fmt.Sprintf("?program=%d", n)
			}
			return send(ctx, to, key, c.Root().Reader)
		},
	}
}

// destination is the service that a stream goes to, and what lets it in. Whoever has no token
// there needs the feed's key.
func (a *app) destination(ctx context.Context, c *cli.Command, name string) (base, key string, err error) {
	if key = c.String("key"); key != "" && c.String("service") != "" {
		return strings.TrimSuffix(c.String("service"), "/"), key, nil
	}
	cl, err := a.service(c)
	if err != nil {
		return "", "", err
	}
	if key != "" {
		return cl.Base(), key, nil
	}
	const hours = 8760
	pass, err := cl.AddPass(ctx, name, hours)
	return cl.Base(), pass.Pass, err
}

// send posts a stream until it ends; a refusal is the service's own.
func send(ctx context.Context, to, key string, stream io.Reader) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, to, io.NopCloser(stream))
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+key)
	r.Header.Set("Content-Type", "application/octet-stream")
	r.Header.Set("User-Agent", "webostrum pipe")
	r.Header.Set("Expect", "100-continue") // nothing is read before somebody takes it
	resp, err := (&http.Client{Transport: &http.Transport{ExpectContinueTimeout: pipeTimeout, ResponseHeaderTimeout: 0}}).Do(r)
	switch {
	case err != nil && ctx.Err() != nil:
		return ctx.Err()
	case err != nil:
		return fmt.Errorf("%w: %w", client.ErrUnreachable, err)
	}
	defer func() { _ = resp.Body.Close() }()
	if resp.StatusCode < http.StatusMultipleChoices {
		return nil
	}
	var problem apitypes.Problem
	if err := json.NewDecoder(io.LimitReader(resp.Body, 64<<10)).Decode(&problem); err != nil {
		return errors.New("the service answers " + resp.Status)
	}
	return &problem
}
