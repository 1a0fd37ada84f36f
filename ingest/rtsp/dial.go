package rtsp

import (
	"cmp"
	"context"
	"net"
	"net/url"
	"time"

	"webostrum/ingest/dial"
	"webostrum/ingest/source"
)

// connect connects to the camera, with TLS for rtsps; through HTTP where that is the way.
func connect(ctx context.Context, u *url.URL, way source.Transport, fingerprint string, timeout time.Duration) (net.Conn, error) {
	open := func() (net.Conn, error) {
		conn, err := dial.TCP(ctx, hostPort(u, way), timeout)
		if err != nil || u.Scheme != "rtsps" {
			return conn, err
		}
		ctx, cancel := context.WithTimeout(ctx, timeout)
		defer cancel()
		return dial.Secure(ctx, conn, u.Hostname(), fingerprint)
	}
	if way == source.Tunnel {
		return openTunnel(u, timeout, open)
	}
	return open()
}

// hostPort adds the scheme's default port (RFC 7826, 4.2; RFC 9110, 4.2).
func hostPort(u *url.URL, way source.Transport) string {
	port := map[bool]string{false: "554", true: "322"}[u.Scheme == "rtsps"]
	if way == source.Tunnel {
		port = map[bool]string{false: "80", true: "443"}[u.Scheme == "rtsps"]
	}
	return net.JoinHostPort(u.Hostname(), cmp.Or(u.Port(), port))
}
