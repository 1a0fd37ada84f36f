package sim

import (
	"context"
	"crypto/rand"
	"fmt"
	"net"
	"net/url"
	"strings"
	"time"

	"webostrum/core/amf"
	"webostrum/core/flv"
	"webostrum/core/media"
	"webostrum/core/rtmp"
	"webostrum/deliver/rtsp"
)

// rtmpPort is that of addresses that name none.
const rtmpPort = "1935"

// rtmpClient is one connection to a server.
type rtmpClient struct {
	conn net.Conn
	in   *rtmp.Reader
	last *media.VideoConfig
}

// sendRTMP publishes to rtmp://host:port/application/stream.
func sendRTMP(ctx context.Context, p *pusher, to string, stream *rtsp.Stream) error {
	u, err := url.Parse(to)
	if err != nil {
		return err
	}
	conn, err := dial(ctx, u, rtmpPort)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	c := &rtmpClient{conn: conn}
	if err := c.publish(u, stream); err != nil {
		return err
	}
	return sending(ctx, p, conn, stream, c.drain, c.frame)
}

// publish connects and asks to publish.
func (c *rtmpClient) publish(u *url.URL, stream *rtsp.Stream) error {
	_ = c.conn.SetDeadline(time.Now().Add(pushTimeout))
	random := make([]byte, 64)
	_, _ = rand.Read(random) // it never fails
	if err := rtmp.Greet(c.conn, random); err != nil {
		return err
	}
	c.in = rtmp.NewReader(c.conn)
	app, name, _ := strings.Cut(strings.Trim(u.Path, "/"), "/")
	if u.RawQuery != "" {
		name += "?" + u.RawQuery
	}
	if err := c.command("connect", 1, amf.Object{"app": app, "flashVer": "Morrow Crag Camera", "tcUrl": "rtmp://" + u.Host + "/" + app}); err != nil {
		return err
	}
	if err := c.await("_result"); err != nil {
		return err
	}
	if err := c.command("createStream", 2, nil); err != nil {
		return err
	}
	if err := c.await("_result"); err != nil {
		return err
	}
	if err := c.command("publish", 3, nil, name, "live"); err != nil {
		return err
	}
	if err := c.await("onStatus"); err != nil {
		return err
	}
	_ = c.conn.SetReadDeadline(time.Time{})
	return c.metadata(stream)
}

func (c *rtmpClient) command(name string, transaction int, arguments ...any) error {
	data := amf.Append(amf.Append(nil, name, transaction), arguments...)
	return c.message(rtmp.CommandChunks, rtmp.KindCommand, 0, data)
}

const (
	pushChunk  = 128 // as it is at the beginning
	pushStream = 1
)

func (c *rtmpClient) message(chunks byte, kind rtmp.Kind, at uint32, data []byte) error {
	_ = c.conn.SetWriteDeadline(time.Now().Add(pushTimeout))
	_, err := c.conn.Write(rtmp.Append(nil, chunks, &rtmp.Message{Kind: kind, Stream: pushStream, Time: at, Data: data}, pushChunk))
	return err
}

// await reads up to an answer, and returns a refusal as an error.
func (c *rtmpClient) await(name string) error {
	for {
		m, err := c.in.Next()
		if err != nil {
			return err
		}
		if m.Kind != rtmp.KindCommand {
			continue
		}
		values, _ := amf.Decode(m.Data)
		if len(values) == 0 || values[0] != name {
			continue
		}
		for _, v := range values {
			if o, ok := v.(amf.Object); ok && o.Text("level") == "error" {
				return fmt.Errorf("refused: %s", o.Text("description"))
			}
		}
		return nil
	}
}

// drain reads what the server sends: acknowledgements.
func (c *rtmpClient) drain() {
	for {
		if _, err := c.in.Next(); err != nil {
			return
		}
	}
}

func (c *rtmpClient) metadata(stream *rtsp.Stream) error {
	about := amf.Object{"encoder": "Morrow Crag Camera", "width": stream.Track.Width, "height": stream.Track.Height}
	if stream.AudioTrack != nil {
		const aacID = 10
		about["audiocodecid"] = aacID
	}
	if err := c.message(rtmp.CommandChunks, rtmp.KindData, 0, amf.Append(nil, "@setDataFrame", "onMetaData", about)); err != nil {
		return err
	}
	if t := stream.AudioTrack; t != nil {
		return c.message(rtmp.AudioChunks, rtmp.KindAudio, 0, flv.AppendAAC(nil, flv.KindConfig, t.AAC))
	}
	return nil
}

// frame sends one sample.
func (c *rtmpClient) frame(s *media.Sample, at time.Duration) error {
	millis := uint32(at.Milliseconds())
	if s.Track.Kind == media.KindAudio {
		return c.message(rtmp.AudioChunks, rtmp.KindAudio, millis, flv.AppendAAC(nil, flv.KindFrames, s.Data))
	}
	if config := s.Track.Video; c.last == nil || !c.last.Equal(config) {
		if !s.Key {
			return nil
		}
		c.last = config
		body := flv.AppendVideo(nil, flv.Video{Codec: config.Codec, Kind: flv.KindConfig, Data: config.Entry.Record})
		if err := c.message(rtmp.VideoChunks, rtmp.KindVideo, millis, body); err != nil {
			return err
		}
	}
	return c.message(rtmp.VideoChunks, rtmp.KindVideo, millis, flv.AppendVideo(nil, flv.Video{Codec: c.last.Codec, Kind: flv.KindFrames, Key: s.Key, Data: s.Data}))
}
