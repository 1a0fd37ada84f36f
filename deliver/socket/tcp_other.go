//go:build !linux

package socket

import "net"

func keepShort(net.Conn, int) {}

func hold(net.Conn, bool) {}
