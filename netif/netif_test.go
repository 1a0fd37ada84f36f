package netif_test

import (
	"net"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/netif"
)

func TestOf(t *testing.T) {
	i := netif.Of(net.IPv4(127, 0, 0, 1))
	require.NotNil(t, i)
	assert.NotZero(t, i.Flags&net.FlagLoopback)
	assert.Nil(t, netif.Of(net.IPv4(203, 0, 113, 9)))
	assert.Nil(t, netif.Of(nil))
}

func TestHostPort(t *testing.T) {
	for want, in := range map[string][2]string{"192.0.2.7": {"192.0.2.7", ""}, "cam:554": {"cam", "554"}, "[2001:db8::1]": {"2001:db8::1", ""}, "[2001:db8::1]:80": {"2001:db8::1", "80"}} {
		assert.Equal(t, want, netif.HostPort(in[0], in[1]))
	}
}

func TestGateway(t *testing.T) {
	const head = "Iface\tDestination\tGateway\tFlags\tRefCnt\tUse\tMetric\tMask\tMTU\tWindow\tIRTT\n"
	for table, want := range map[string]string{
		head: "invalid IP",
		head + "eth0\t0001A8C0\t00000000\t0001\t0\t0\t0\t00FFFFFF\t0\t0\t0\neth0\t00000000\t0101A8C0\t0003\t0\t0\t0\t00000000\t0\t0\t0\n": "192.168.1.1",
		head + "eth0\t00000000\tZZ\t0003\t0\t0\t0\t00000000\t0\t0\t0\nshort":                                                              "invalid IP",
	} {
		assert.Equal(t, want, netif.GatewayIn(strings.NewReader(table)).String())
	}
}
