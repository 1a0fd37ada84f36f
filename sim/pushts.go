package sim

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net"
	"net/url"
	"time"

	"webostrum/core/media"
	"webostrum/core/mpegts"
	"webostrum/deliver/rtsp"
)

const (
	packetsADatagram = 7 // as many as fit into an Ethernet frame
	tablesEvery      = 200 * time.Millisecond
	streamClock      = 90_000
	firstStamp       = 1<<33 - 30*streamClock // so that stamps wrap after half a minute
)

// sendTS sends a transport stream to udp://host:port, bare.
func sendTS(ctx context.Context, p *pusher, to string, stream *rtsp.Stream) error {
	u, err := url.Parse(to)
	if err != nil || u.Scheme != "udp" {
		return fmt.Errorf("%q is not udp://host:port", to)
	}
	conn, err := (&net.Dialer{}).DialContext(ctx, "udp", u.Host)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	w := mpegts.NewWriter(stream.Track, stream.AudioTrack)
	var tables time.Duration
	var buf []byte
	return frames(ctx, &p.camera.Faults, stream, func(s *media.Sample, at time.Duration) error {
		buf = buf[:0]
		if at-tables >= tablesEvery || tables == 0 || s.Key && s.Track.Kind == media.KindVideo {
			tables, buf = max(at, 1), w.AppendTables(buf)
		}
		stamp := (firstStamp + uint64(at.Seconds()*streamClock)) & (1<<33 - 1)
		buf = w.AppendSample(buf, s, stamp, stamp)
		return p.datagrams(conn, buf)
	})
}

// datagrams sends packets; some are lost where the camera misbehaves so.
func (p *pusher) datagrams(conn net.Conn, b []byte) error {
	loss := p.camera.Faults.current().loss
	for len(b) > 0 {
		n := min(len(b), packetsADatagram*mpegts.PacketSize)
		if loss == 0 || rand.Float64() >= loss {
			_, _ = conn.Write(b[:n]) // nobody may be there yet
		}
		b = b[n:]
	}
	return nil
}
