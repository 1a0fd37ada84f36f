package sim

import (
	"context"
	"net"
	"net/url"
	"sync"
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/rtsp"
	"webostrum/wait"
)

const (
	pushPause   = time.Second
	pushTimeout = 10 * time.Second
)

// sends is a way of sending to somebody. It returns when the connection has ended.
type sends func(ctx context.Context, p *pusher, to string, stream *rtsp.Stream) error

// pushKinds are the kinds of camera that send, instead of being opened.
var pushKinds = map[Kind]sends{PushRTMP: sendRTMP, PushTS: sendTS, PushRTSP: sendRTSP, PushWHIP: sendWHIP}

// pusher is a camera's other end: it sends to an address, again and again.
type pusher struct {
	camera *Camera
	send   sends
	ctx    context.Context
	cancel context.CancelFunc

	mu   sync.Mutex
	drop context.CancelFunc // ends the present connection; guarded by mu
}

func newPusher(c *Camera) *pusher {
	p := &pusher{camera: c, send: pushKinds[c.cfg.Kind]}
	p.ctx, p.cancel = context.WithCancel(context.Background())
	return p
}

// Serve implements server. There is nothing to listen to.
func (p *pusher) Serve(net.Listener) error {
	for p.ctx.Err() == nil {
		to, stream := p.camera.aim()
		if to != "" && stream != nil {
			ctx, cancel := context.WithCancel(p.ctx)
			p.mu.Lock()
			p.drop = cancel
			p.mu.Unlock()
			if err := p.send(ctx, p, to, stream); err != nil && p.ctx.Err() == nil {
				p.camera.told(err)
			}
			cancel()
		}
		wait.For(p.ctx, pushPause)
	}
	return nil
}

// DropAll implements server.
func (p *pusher) DropAll() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.drop != nil {
		p.drop()
	}
}

// Close implements server.
func (p *pusher) Close() { p.cancel() }

// SendTo sets where the camera sends to; empty sends nowhere.
func (c *Camera) SendTo(address string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.to = address
}

// aim returns where the camera sends to, and what.
func (c *Camera) aim() (to string, stream *rtsp.Stream) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.to, c.stream
}

// told keeps why sending ended.
func (c *Camera) told(err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.sendErr = err
}

// SendError returns why sending ended last; nil when it never did.
func (c *Camera) SendError() error {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.sendErr
}

// dial connects to an address, with a port where it has none, until ctx ends. Close the
// connection.
func dial(ctx context.Context, u *url.URL, port string) (conn net.Conn, err error) {
	host := u.Host
	if u.Port() == "" {
		host = net.JoinHostPort(u.Hostname(), port)
	}
	if conn, err = (&net.Dialer{Timeout: pushTimeout}).DialContext(ctx, "tcp", host); err == nil {
		context.AfterFunc(ctx, func() { _ = conn.Close() })
	}
	return conn, err
}

// sending sends a stream by give, while what comes back is read by drain; it closes the
// connection.
func sending(ctx context.Context, p *pusher, conn net.Conn, stream *rtsp.Stream, drain func(), give func(*media.Sample, time.Duration) error) error {
	var draining sync.WaitGroup
	draining.Go(drain)
	defer draining.Wait()
	defer func() { _ = conn.Close() }() // which ends it
	return frames(ctx, &p.camera.Faults, stream, give)
}

// beginning is the moment that times of a stream count from: that of its newest keyframe, so
// that it goes along.
func beginning(stream *rtsp.Stream) time.Time {
	if key := stream.Hub.Key(); key != nil {
		return key.Captured
	}
	return time.Now()
}

// frames calls give with each sample of a stream, from one goroutine at a time, until ctx
// ends or give fails. at is the time since the beginning at which it was taken.
func frames(ctx context.Context, f *Faults, stream *rtsp.Stream, give func(s *media.Sample, at time.Duration) error) error {
	begun := beginning(stream)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var writing sync.Mutex
	var readers sync.WaitGroup
	for _, h := range []*hub.Hub{stream.Hub, stream.Audio} {
		if h == nil {
			continue
		}
		readers.Go(func() {
			r := h.NewReader()
			defer r.Close()
			for {
				s, _, err := r.Next(ctx)
				if err != nil {
					cancel(err)
					return
				}
				now := f.current()
				if at := s.Captured.Sub(begun) + now.jump; at >= 0 && !now.frozen {
					writing.Lock()
					err = give(s, at)
					writing.Unlock()
				}
				if err != nil {
					cancel(err)
					return
				}
			}
		})
	}
	readers.Wait()
	return context.Cause(ctx)
}
