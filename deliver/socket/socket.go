// Package socket is what deliveries need of the connection below HTTP.
package socket

import (
	"context"
	"net"
)

// MostUnsent is how many bytes may wait in the kernel for a viewer whose answer goes on
// without end, so that what a slow one gets is new.
const MostUnsent = 128 << 10

type key struct{}

// With is for http.Server.ConnContext: it keeps the connection for Of.
func With(ctx context.Context, conn net.Conn) context.Context {
	return context.WithValue(ctx, key{}, conn)
}

// KeepShort bounds what waits unsent on the connection that a request came by, where that
// is known.
func KeepShort(ctx context.Context) {
	if conn, ok := ctx.Value(key{}).(net.Conn); ok {
		KeepConnShort(conn)
	}
}

// KeepConnShort is KeepShort for a connection.
func KeepConnShort(conn net.Conn) { keepShort(below(conn), MostUnsent) }

// Together has what is written until the returned function is called leave in whole
// segments, so that an answer's head does not go, and wake its reader, by itself. Nothing
// else may use the connection meanwhile, as with HTTP/1.
func Together(ctx context.Context) (done func()) {
	conn, ok := ctx.Value(key{}).(net.Conn)
	if !ok {
		return func() {}
	}
	conn = below(conn)
	hold(conn, true)
	return func() { hold(conn, false) }
}

func below(conn net.Conn) net.Conn {
	if c, ok := conn.(interface{ NetConn() net.Conn }); ok { // TLS
		return c.NetConn()
	}
	return conn
}
