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
func KeepConnShort(conn net.Conn) {
	if below, ok := conn.(interface{ NetConn() net.Conn }); ok { // TLS
		conn = below.NetConn()
	}
	keepShort(conn, MostUnsent)
}
