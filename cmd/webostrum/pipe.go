package main

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/fault"
	"webostrum/wait"
)

// pipeTimeout is how long the service may take to say whether it takes a stream, and to take
// more of it.
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
			query := url.Values{"instance": {rand.Text()}} // so that it takes its own place when it comes back
			if n := c.Int("program"); n > 0 {
				query.Set("program", strconv.Itoa(n))
			}
			to := base + "/publish/" + url.PathEscape(name) + "/stream?" + query.Encode()
			return a.keepSending(ctx, to, key, c.Root().Reader)
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

const (
	firstPause = time.Second
	mostPause  = 15 * time.Second
	steady     = 30 * time.Second // a stream that was taken for so long begins with the first pause again
)

// passing are refusals that may end by themselves.
var passing = []fault.Code{fault.PublishPresent, fault.PublishNotWaiting, fault.PublisherStalled, fault.PublisherLeft}

// keepSending sends a stream until it ends, and tries again when the service goes away after
// it has taken some of it. What is written meanwhile is left out.
func (a *app) keepSending(ctx context.Context, to, key string, stream io.Reader) error {
	out, body := newRelay(stream)
	for pause := firstPause; ; {
		begun := time.Now()
		err := send(ctx, to, key, body)
		if ctx.Err() != nil || out.over() || !out.taken() || !passes(err) {
			return err
		}
		if time.Since(begun) > steady {
			pause = firstPause
		}
		why := "The service ended the connection."
		if err != nil {
			why = err.Error()
		}
		fmt.Fprintf(a.err, "%s Trying again in %v; what is written meanwhile is left out.\n", why, pause)
		if !wait.For(ctx, pause) {
			return ctx.Err()
		}
		pause = min(2*pause, mostPause)
		body = out.take()
	}
}

// passes says whether trying again may help.
func passes(err error) bool {
	var problem *apitypes.Problem
	if errors.As(err, &problem) {
		return slices.Contains(passing, fault.Code(problem.Code))
	}
	return true
}

// send posts a stream until it ends; a refusal is the service's own.
func send(ctx context.Context, to, key string, stream io.ReadCloser) error {
	defer func() { _ = stream.Close() }()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, to, stream)
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+key)
	r.Header.Set("Content-Type", "application/octet-stream")
	r.Header.Set("User-Agent", "webostrum pipe")
	r.Header.Set("Expect", "100-continue") // nothing is read before somebody takes it
	resp, err := (&http.Client{Transport: &http.Transport{DialContext: dialHurried, ExpectContinueTimeout: pipeTimeout}}).Do(r)
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

// hurried is a connection that is given up when the other side takes nothing for long.
type hurried struct{ net.Conn }

// Write implements net.Conn.
func (h hurried) Write(b []byte) (int, error) {
	_ = h.SetWriteDeadline(time.Now().Add(pipeTimeout)) // a broken connection tells at the write
	return h.Conn.Write(b)
}

func dialHurried(ctx context.Context, network, address string) (net.Conn, error) {
	c, err := (&net.Dialer{Timeout: pipeTimeout}).DialContext(ctx, network, address)
	if err != nil {
		return nil, err
	}
	return hurried{c}, nil
}
