package rtsp

import (
	"context"
	"net"
	"net/url"
	"time"

	"webostrum/ingest/dial"
)

// connect connects to the camera, with TLS for rtsps.
func connect(ctx context.Context, u *url.URL, fingerprint string, timeout time.Duration) (net.Conn, error) {
	conn, err := dial.TCP(ctx, hostPort(u), timeout)
	if err != nil || u.Scheme != "rtsps" {
		return conn, err
	}
	ctx, cancel := context.WithTimeout(ctx, timeout)
	defer cancel()
	return dial.Secure(ctx, conn, u.Hostname(), fingerprint)
}

// hostPort adds the scheme's default port (RFC 7826, 4.2).
func hostPort(u *url.URL) string {
	port := u.Port()
	if port == "" {
		port = "554"
		if u.Scheme == "rtsps" {
			port = "322"
		}
	}
	return net.JoinHostPort(u.Hostname(), port)
}
