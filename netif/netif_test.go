package netif_test

import (
	"net"
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
