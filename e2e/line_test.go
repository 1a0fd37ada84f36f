package e2e

import (
	"context"
	"math/rand/v2"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/testkit"
)

// badLine passes datagrams of one viewer on, to and fro, and loses a share of those
// that go to the viewer.
type badLine struct {
	front *net.UDPConn
	lost  atomic.Int32 // hundredths
}

func newBadLine(t *testing.T, service string) *badLine {
	t.Helper()
	front, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	back, err := net.Dial("udp", service)
	require.NoError(t, err)
	l := &badLine{front: front}
	var viewer atomic.Pointer[net.UDPAddr]
	var parts sync.WaitGroup
	parts.Go(func() {
		buf := make([]byte, 2048)
		for {
			n, from, err := front.ReadFromUDP(buf)
			if err != nil {
				return
			}
			viewer.Store(from)
			_, _ = back.Write(buf[:n])
		}
	})
	parts.Go(func() {
		buf := make([]byte, 2048)
		for {
			n, err := back.Read(buf)
			if err != nil {
				return
			}
			if to := viewer.Load(); to != nil && rand.Int32N(100) >= l.lost.Load() {
				_, _ = front.WriteToUDP(buf[:n], to)
			}
		}
	})
	t.Cleanup(func() { _, _ = front.Close(), back.Close(); parts.Wait() })
	return l
}

func (l *badLine) port() string {
	_, port, _ := net.SplitHostPort(l.front.LocalAddr().String())
	return port
}

// TestABadLineInABrowser watches over a line that gets bad and good again.
func TestABadLineInABrowser(t *testing.T) { // alone: a busy machine is a bad line, too
	ports, err := testkit.FreePorts(1)
	require.NoError(t, err)
	w := newWorld(t, "--webrtc-listen", ports[0])
	w.film("--size", "640x360", "--rate", "25", "--keyframes", "1s", "--bit-rate", "1500000")
	w.addFeed()
	w.state("live")
	ctx := context.Background()
	_, err = w.client().AddRendition(ctx, feed, apitypes.NewRendition{Name: "small", Size: "320x", BitRate: 150_000})
	require.NoError(t, err)
	line := newBadLine(t, ports[0])
	_, port, _ := net.SplitHostPort(ports[0])
	page := watchByWebRTC(t, w, feed, `
		const set = RTCPeerConnection.prototype.setRemoteDescription;
		RTCPeerConnection.prototype.setRemoteDescription = function (d) {
			const sdp = d.sdp.split("\r\n").filter((l) => !(l.startsWith("a=candidate") && / tcp /i.test(l))).join("\r\n");
			return set.call(this, { type: d.type, sdp: sdp.replaceAll(" `+port+` typ", " `+line.port()+` typ") });
		};`)
	const settled = 8 * time.Second // joining comes in a burst, so the first seconds are left alone
	gets := func(want, what string) {
		t.Helper()
		ctx, cancel := context.WithTimeout(ctx, patience)
		defer cancel()
		var last []apitypes.Viewer
		err := testkit.Eventually(ctx, func() bool {
			last, err = w.client().Viewers(ctx, feed)
			return err == nil && len(last) == 1 && last[0].Method == "webrtc" && last[0].Now == want && time.Since(last[0].Since) > settled
		})
		require.NoError(t, err, "%s: %+v", what, last)
	}
	gets("", "a good line has what was asked for")
	require.NoError(t, page.Until(video+".videoWidth === 640", patience))
	line.lost.Store(15) // pictures limp on: a player that sees none for long goes over to HLS
	gets("small", "a bad one gets less")
	line.lost.Store(0)
	require.NoError(t, page.Until(video+".videoWidth === 320", patience))
	gets("", "and all of it again when it is good")
	require.NoError(t, page.Until(video+".videoWidth === 640", patience))
	out, _ := w.cli("viewer", "list")
	require.True(t, strings.Contains(out, "that"), out)
}
