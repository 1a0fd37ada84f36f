//go:build !linux

package ts

import "net"

const controlSize = 0

func bufferOf(*net.UDPConn) int               { return 0 }
func reportOverflow(*net.UDPConn)             {}
func overflowOf([]byte) (n uint32, told bool) { return 0, false }
