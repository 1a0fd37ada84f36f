package rtsp_test

import (
	"context"
	"io"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/media"
	server "webostrum/deliver/rtsp"
	"webostrum/ingest/rtsp"
	"webostrum/ingest/source"
	"webostrum/testkit/cam"
)

// TestThroughHTTP plays a camera through two HTTP connections, with a sign-in.
func TestThroughHTTP(t *testing.T) {
	_, address := cam.Serve(t, server.Config{User: "viewer", Password: "funicular"})
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	frames := 0
	_, err := rtsp.Play(ctx, source.Config{
		URL: address, User: "viewer", Password: "funicular", Transport: source.Tunnel,
		Publish: func(*media.Sample) {
			if frames++; frames == 20 {
				cancel()
			}
		},
	})
	require.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, 20, frames)
}

// TestWhatIsNoTunnel has something else answer the GET: each has its sentence, and nothing
// hangs.
func TestWhatIsNoTunnel(t *testing.T) {
	for name, tt := range map[string]struct {
		answer string
		want   fault.Code
	}{
		"not found":       {"HTTP/1.0 404 Not Found\r\n\r\n", fault.TransportNo},
		"RTSP":            {"RTSP/1.0 400 Bad Request\r\n\r\n", fault.NotRTSP},
		"nothing":         {"", fault.HungUp},
		"a line, endless": {strings.Repeat("x", 100_000), fault.NotRTSP},
		"a head, endless": {"HTTP/1.0 200 OK\r\n" + strings.Repeat("A: b\r\n", 10_000), fault.NotRTSP},
	} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		t.Cleanup(func() { _ = l.Close() })
		go func() {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			_, _ = conn.Read(make([]byte, 4096))
			_, _ = io.WriteString(conn, tt.answer)
			_ = conn.Close()
		}()
		_, err = rtsp.Play(t.Context(), source.Config{URL: "rtsp://" + l.Addr().String() + "/", Transport: source.Tunnel, AnswerTimeout: 5 * time.Second, Publish: func(*media.Sample) {}})
		assert.Equal(t, tt.want, fault.As(err).Kind.Code, name)
	}
}

// TestSRTP plays a camera that encrypts its RTP, by either transport, and refuses one whose
// keys are of no use.
func TestSRTP(t *testing.T) {
	key := make([]byte, 30)
	for i := range key {
		key[i] = byte(i * 7)
	}
	for _, way := range []source.Transport{source.TCP, source.UDP, source.Tunnel} {
		_, address := cam.Serve(t, server.Config{SRTPKey: key})
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		frames := 0
		_, err := rtsp.Play(ctx, source.Config{URL: address, Transport: way, Publish: func(*media.Sample) {
			if frames++; frames == 20 {
				cancel()
			}
		}})
		cancel()
		require.ErrorIs(t, err, context.Canceled, way)
	}
	for name, crypto := range map[string]string{
		"no key": "", "a suite that is not known": "a=crypto:1 F8_128_HMAC_SHA1_80 inline:" + strings.Repeat("A", 40) + "\r\n",
		"a key cut short": "a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:AAAA\r\n", "an MKI": "a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:" + strings.Repeat("A", 40) + "|2^20|1:4\r\n",
	} {
		address := scripted(t, listen(t), status("", 0, "v=0\r\nm=video 0 RTP/SAVP 96\r\na=rtpmap:96 H264/90000\r\n"+crypto))
		_, err := rtsp.Play(t.Context(), source.Config{URL: address, Publish: func(*media.Sample) {}})
		assert.Equal(t, fault.CodecNotHandled, fault.As(err).Kind.Code, name)
		assert.Contains(t, err.Error(), "encrypted RTP", name)
	}
}

// TestMulticast plays a camera from a group on the loopback; one that names no group is
// refused.
func TestMulticast(t *testing.T) {
	_, address := cam.Serve(t, server.Config{Group: net.IPv4(239, 255, 76, 1)})
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	frames := 0
	_, err := rtsp.Play(ctx, source.Config{URL: address, Transport: source.Multicast, Publish: func(*media.Sample) {
		if frames++; frames == 20 {
			cancel()
		}
	}})
	require.ErrorIs(t, err, context.Canceled)
	_, address = cam.Serve(t, server.Config{})
	_, err = rtsp.Play(t.Context(), source.Config{URL: address, Transport: source.Multicast, Publish: func(*media.Sample) {}})
	assert.Equal(t, fault.TransportNo, fault.As(err).Kind.Code)
}
