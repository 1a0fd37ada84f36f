package whep_test

import (
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/deliver/whep"
)

// TestASilentConnectionDoesNotHoldTheEndUp: somebody who looks whether the port is open, and
// says nothing.
func TestASilentConnectionDoesNotHoldTheEndUp(t *testing.T) {
	t.Parallel()
	s, err := whep.New(whep.Config{Listen: "127.0.0.1:0"})
	require.NoError(t, err)
	conn, err := net.Dial("tcp", s.Listens())
	require.NoError(t, err)
	defer func() { _ = conn.Close() }()
	_, err = conn.Write([]byte{0}) // and one in the midst of a packet's length
	require.NoError(t, err)
	ended := make(chan error, 1)
	go func() { ended <- s.Close() }()
	select {
	case err := <-ended:
		assert.NoError(t, err)
	case <-time.After(2 * time.Second):
		t.Fatal("it waits for somebody who says nothing")
	}
}
