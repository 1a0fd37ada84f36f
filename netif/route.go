package netif

import (
	"bufio"
	"encoding/binary"
	"encoding/hex"
	"io"
	"net"
	"net/netip"
	"os"
	"strings"
)

// Way is the address of this machine that packets to the outside leave with; empty where
// there is no way out. Nothing is sent.
func Way() string {
	conn, err := net.Dial("udp4", "192.0.2.1:9") // an address that nobody has (RFC 5737)
	if err != nil {
		return ""
	}
	defer func() { _ = conn.Close() }()
	at, ok := conn.LocalAddr().(*net.UDPAddr)
	if !ok || at.IP.IsLoopback() {
		return ""
	}
	return at.IP.String()
}

// Gateway is the router that packets to the outside go to, over IPv4; invalid where there
// is none, or it is not known.
func Gateway() netip.Addr {
	f, err := os.Open("/proc/net/route")
	if err != nil {
		return netip.Addr{}
	}
	defer func() { _ = f.Close() }()
	return gatewayIn(f)
}

// gatewayIn reads the kernel's table of routes: interface, destination, gateway, flags …,
// the addresses in hexadecimal, in the machine's order of bytes.
func gatewayIn(r io.Reader) netip.Addr {
	lines := bufio.NewScanner(r)
	for lines.Scan() {
		cells := strings.Fields(lines.Text())
		if len(cells) < 8 || cells[1] != "00000000" || cells[7] != "00000000" {
			continue
		}
		raw, err := hex.DecodeString(cells[2])
		if err != nil || len(raw) != 4 {
			continue
		}
		var ip [4]byte
		binary.NativeEndian.PutUint32(ip[:], binary.BigEndian.Uint32(raw))
		if at := netip.AddrFrom4(ip); !at.IsUnspecified() {
			return at
		}
	}
	return netip.Addr{}
}
