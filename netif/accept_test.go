package netif_test

import (
	"errors"
	"net"
	"sync"
	"syscall"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/netif"
)

// short is a listener of a process that has no descriptors left for a while.
type short struct {
	mu     sync.Mutex
	errors int // tries that fail yet; guarded by mu
	closed chan struct{}
}

func (s *short) Accept() (net.Conn, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.errors > 0 {
		s.errors--
		return nil, &net.OpError{Op: "accept", Err: syscall.EMFILE}
	}
	select {
	case <-s.closed:
		return nil, net.ErrClosed
	default:
	}
	here, there := net.Pipe()
	_ = there.Close()
	return here, nil
}

func (s *short) Close() error   { close(s.closed); return nil }
func (s *short) Addr() net.Addr { return &net.TCPAddr{IP: net.IPv4(127, 0, 0, 1), Port: 7600} }

// TestAcceptGoesOn after the process had no descriptors left, and is said to fail meanwhile.
func TestAcceptGoesOn(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var all netif.Listeners
		inner := &short{errors: 12, closed: make(chan struct{})}
		l := all.Keep("RTSP", inner)
		taken := make(chan error, 1)
		go func() {
			conn, err := l.Accept()
			if err == nil {
				err = conn.Close()
			}
			taken <- err
		}()
		synctest.Wait()
		state, failing := all.Failing()
		require.True(t, failing)
		assert.Equal(t, "RTSP", state.Name)
		assert.ErrorIs(t, state.Failing, syscall.EMFILE)
		require.NoError(t, <-taken)
		_, failing = all.Failing()
		assert.False(t, failing)
		list := all.States()
		require.Len(t, list, 1)
		assert.EqualValues(t, 12, list[0].Failed)
		assert.EqualValues(t, 1, list[0].Taken)
		require.NoError(t, l.Close())
		assert.Empty(t, all.States())
		_, err := l.Accept()
		assert.ErrorIs(t, err, net.ErrClosed)
	})
}

// TestAcceptEndsWhileItPauses when the listener is closed.
func TestAcceptEndsWhileItPauses(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		l := (*netif.Listeners)(nil).Keep("", &short{errors: 1 << 30, closed: make(chan struct{})})
		ended := make(chan error, 1)
		go func() { _, err := l.Accept(); ended <- err }()
		time.Sleep(time.Minute) // of the bubble's clock: hundreds of tries
		require.NoError(t, l.Close())
		assert.True(t, errors.Is(<-ended, net.ErrClosed))
	})
}
