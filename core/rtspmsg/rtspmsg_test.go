package rtspmsg_test

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/rtspmsg"
)

const answer = "RTSP/1.0 200 OK\r\ncseq: 3\r\nContent-Type: application/sdp\r\nX-Long: a\r\n b\r\nContent-Length: 5\r\n\r\nv=0\r\n"

func TestReadEachByteAlone(t *testing.T) {
	stream := answer + "\r\n" + "$\x01\x00\x03abc" + "OPTIONS rtsp://h/a RTSP/1.0\r\nCSeq: 9\r\n\r\n"
	r := rtspmsg.NewReader(iotest.OneByteReader(strings.NewReader(stream)))
	m, _, _, err := r.Next()
	require.NoError(t, err)
	assert.Equal(t, 200, m.Status)
	assert.Equal(t, 3, m.CSeq())
	assert.Equal(t, "a b", m.Header.Get("x-long"), "folded")
	assert.Equal(t, "v=0\r\n", string(m.Body))

	m, channel, data, err := r.Next()
	require.NoError(t, err)
	assert.Nil(t, m)
	assert.Equal(t, uint8(1), channel)
	assert.Equal(t, "abc", string(data))

	m, _, _, err = r.Next()
	require.NoError(t, err)
	assert.Equal(t, "OPTIONS", m.Method)
	assert.Equal(t, 9, m.CSeq())
	_, _, _, err = r.Next()
	assert.ErrorIs(t, err, io.EOF)
}

func TestEndAtEachByte(t *testing.T) {
	for _, whole := range []string{answer, "$\x01\x00\x03abc"} {
		for n := 1; n < len(whole); n++ {
			_, _, _, err := rtspmsg.NewReader(strings.NewReader(whole[:n])).Next()
			require.Error(t, err, "cut at %d", n)
			require.False(t, errors.Is(err, io.EOF), "an end in the middle is unexpected: cut at %d", n)
		}
	}
}

func TestRefuses(t *testing.T) {
	for name, text := range map[string]string{
		"web server":       "HTTP/1.1 400 Bad Request\r\n\r\n",
		"ssh":              "SSH-2.0-x\r\n",
		"status no number": "RTSP/1.0 abc OK\r\n\r\n",
		"endless line":     "RTSP/1.0 200 " + strings.Repeat("x", 1<<20),
		"endless headers":  "RTSP/1.0 200 OK\r\n" + strings.Repeat("a: b\r\n", 1000),
		"huge body":        "RTSP/1.0 200 OK\r\nContent-Length: 99999999999\r\n\r\n",
		"negative body":    "RTSP/1.0 200 OK\r\nContent-Length: -1\r\n\r\n",
	} {
		_, _, _, err := rtspmsg.NewReader(strings.NewReader(text)).Next()
		assert.ErrorIs(t, err, rtspmsg.ErrMalformed, name)
	}
}

func TestAppendKeepsLinesApart(t *testing.T) {
	m := &rtspmsg.Message{Method: "SETUP", URL: "rtsp://h/a\r\nX: y", Header: rtspmsg.Header{"Cseq": {"1"}, "Transport": {"a\r\nEvil: b"}}}
	r := rtspmsg.NewReader(bytes.NewReader(m.Append(nil)))
	got, _, _, err := r.Next()
	require.NoError(t, err)
	assert.Empty(t, got.Header.Get("Evil"))
	assert.Empty(t, got.Header.Get("X"))
	assert.Equal(t, 1, got.CSeq())
}

func TestTransport(t *testing.T) {
	tests := []struct {
		text string
		want rtspmsg.Transport
	}{
		{"RTP/AVP/TCP;unicast;interleaved=2-3;ssrc=0A0B0C0D", rtspmsg.Transport{Profile: "RTP/AVP/TCP", Interleaved: [2]int{2, 3}, SSRC: 0x0a0b0c0d, HasSSRC: true}},
		{"RTP/AVP;unicast;client_port=5000-5001;server_port=6000-6001;source=192.0.2.1", rtspmsg.Transport{Profile: "RTP/AVP", Interleaved: [2]int{-1, -1}, ClientPort: [2]int{5000, 5001}, ServerPort: [2]int{6000, 6001}, Source: "192.0.2.1"}},
		{"rtp/avp/tcp;interleaved=4", rtspmsg.Transport{Profile: "RTP/AVP/TCP", Interleaved: [2]int{4, 5}}},
		{"RTP/AVP/UDP;ssrc= 12 zz;x=y, RTP/AVP/TCP", rtspmsg.Transport{Profile: "RTP/AVP/UDP", Interleaved: [2]int{-1, -1}}},
	}
	for _, tt := range tests {
		got, err := rtspmsg.ParseTransport(tt.text)
		require.NoError(t, err, tt.text)
		assert.Equal(t, tt.want, got, tt.text)
	}
	for _, bad := range []string{"", "RAW/RAW/UDP", "RTP/AVP;client_port=x", "RTP/AVP/TCP;interleaved=300-301"} {
		_, err := rtspmsg.ParseTransport(bad)
		assert.ErrorIs(t, err, rtspmsg.ErrMalformed, bad)
	}
}

func TestSession(t *testing.T) {
	for text, want := range map[string]time.Duration{
		"abc":                   time.Minute,
		"abc;timeout=30":        30 * time.Second,
		"abc; Timeout=90;x=y":   90 * time.Second,
		"abc;timeout=-5":        time.Minute,
		"abc;timeout=999999999": time.Minute,
	} {
		id, timeout := rtspmsg.ParseSession(text)
		assert.Equal(t, "abc", id)
		assert.Equal(t, want, timeout, text)
	}
}

func FuzzNext(f *testing.F) {
	f.Add([]byte(answer))
	f.Add([]byte("$\x00\x00\x04abcdPLAY rtsp://h RTSP/1.0\r\n\r\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		r := rtspmsg.NewReader(bytes.NewReader(data))
		for range len(data) + 1 {
			m, _, piece, err := r.Next()
			if err != nil {
				return
			}
			if len(piece) > len(data) || (m != nil && len(m.Body) > len(data)) {
				t.Fatal("more came out than went in")
			}
			if m != nil {
				_, _ = rtspmsg.ParseTransport(m.Header.Get("Transport"))
				m.Append(nil)
			}
		}
		t.Fatal("the end was never reached")
	})
}
