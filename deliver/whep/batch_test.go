package whep

import (
	"bytes"
	"errors"
	"net"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestBatchesArriveInOrder at each of several viewers, whatever their sizes, from many
// writers at a time.
func TestBatchesArriveInOrder(t *testing.T) {
	local := &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)}
	out, err := net.ListenUDP("udp", local)
	require.NoError(t, err)
	b := newBatcher(out)
	const viewers, count = 4, 400
	sizes := []int{1200, 1200, 1200, 300, 1200, 1500, 1, 1200}
	var wg sync.WaitGroup
	for v := range viewers {
		in, err := net.ListenUDP("udp", local)
		require.NoError(t, err)
		defer func() { _ = in.Close() }()
		require.NoError(t, in.SetReadBuffer(4<<20))
		require.NoError(t, in.SetReadDeadline(time.Now().Add(20*time.Second)))
		wg.Go(func() {
			buf := make([]byte, 2000)
			for i := range count {
				n, _, err := in.ReadFrom(buf)
				if !assert.NoError(t, err) {
					return
				}
				want := bytes.Repeat([]byte{byte(i), byte(v)}, sizes[i%len(sizes)])[:sizes[i%len(sizes)]]
				if !assert.Equal(t, want, buf[:n], "packet %d", i) {
					return
				}
			}
		})
		wg.Go(func() {
			data := make([]byte, 2000)
			for i := range count {
				n := sizes[i%len(sizes)]
				copy(data, bytes.Repeat([]byte{byte(i), byte(v)}, n)[:n])
				_, err := b.WriteTo(data[:n], in.LocalAddr()) // data is used again at once
				assert.NoError(t, err)
			}
		})
	}
	wg.Wait()
	_, err = b.WriteTo(make([]byte, 3000), out.LocalAddr())
	assert.NoError(t, err, "a large one goes by itself")
	require.NoError(t, b.Close())
	_, err = b.WriteTo([]byte{1}, out.LocalAddr())
	assert.ErrorIs(t, err, net.ErrClosed)
	assert.True(t, errors.Is(b.Close(), net.ErrClosed))
}

// TestAViewerThatIsGone takes nothing from others.
func TestAViewerThatIsGone(t *testing.T) {
	local := &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)}
	gone, err := net.ListenUDP("udp", local)
	require.NoError(t, err)
	address := gone.LocalAddr()
	require.NoError(t, gone.Close())
	in, err := net.ListenUDP("udp", local)
	require.NoError(t, err)
	defer func() { _ = in.Close() }()
	out, err := net.ListenUDP("udp", local)
	require.NoError(t, err)
	b := newBatcher(out)
	defer func() { _ = b.Close() }()
	require.NoError(t, in.SetReadDeadline(time.Now().Add(20*time.Second)))
	buf := make([]byte, 100)
	for i := range byte(50) {
		for range 3 {
			_, err := b.WriteTo([]byte("lost"), address)
			require.NoError(t, err)
		}
		_, err := b.WriteTo([]byte{i}, in.LocalAddr())
		require.NoError(t, err)
		n, _, err := in.ReadFrom(buf)
		require.NoError(t, err)
		assert.Equal(t, []byte{i}, buf[:n])
	}
}

// TestABatcherCloses although it may go to sleep at that very moment.
func TestABatcherCloses(t *testing.T) {
	local := &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for range 5000 {
			conn, err := net.ListenUDP("udp", local)
			if !assert.NoError(t, err) {
				return
			}
			b := newBatcher(conn)
			_, _ = b.WriteTo([]byte{1}, conn.LocalAddr())
			assert.NoError(t, b.Close())
		}
	}()
	select {
	case <-ended:
	case <-time.After(time.Minute):
		t.Fatal("it never closed")
	}
}

// TestAFullQueueHoldsNobodyUp: what one viewer has too much of is dropped, and others'
// datagrams go on being taken.
func TestAFullQueueHoldsNobodyUp(t *testing.T) {
	conn, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	b := newBatcher(conn)
	going, stalled := make(chan struct{}), make(chan struct{})
	var sent []datagram
	first := true
	b.send = func(list []datagram) {
		if first { // the kernel takes nothing for a while
			first = false
			close(stalled)
			<-going
			return
		}
		for _, p := range list {
			sent = append(sent, datagram{to: p.to})
		}
	}
	flooded := &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1), Port: 7}
	other := &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1), Port: 9}
	_, _ = b.WriteTo([]byte{0}, other)
	<-stalled
	for range 3 * mostOfOne {
		n, err := b.WriteTo([]byte{1, 2}, flooded)
		require.NoError(t, err)
		require.Equal(t, 2, n)
	}
	_, err = b.WriteTo([]byte{3}, other)
	require.NoError(t, err)
	close(going)
	require.NoError(t, b.Close())
	count := map[uint16]int{}
	for _, p := range sent {
		count[p.to.Port()]++
	}
	assert.Equal(t, map[uint16]int{7: mostOfOne, 9: 1}, count)
}
