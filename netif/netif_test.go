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
