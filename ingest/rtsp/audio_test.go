package rtsp_test

import (
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/aac"
	"webostrum/core/media"
	"webostrum/core/rtspmsg"
	server "webostrum/deliver/rtsp"
	"webostrum/ingest/rtsp"
	"webostrum/ingest/source"
	"webostrum/testkit/cam"
)

func audioTrack(codec media.Codec, rate uint32, channels int) *media.Track {
	t := &media.Track{ID: 2, Kind: media.KindAudio, Codec: codec, ClockRate: rate, Channels: channels}
	if codec == media.AAC {
		t.AAC = aac.LC(int(rate), channels)
	}
	return t
}

// listen plays until so much audio has come.
func listenTo(t *testing.T, want int, cfg source.Config) (audio []*media.Sample, pictures []*media.Sample, told []*media.Track, facts source.Facts) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	var mu sync.Mutex
	var session source.Session
	enough := func() {
		if len(audio) >= want && len(pictures) > 20 {
			cancel()
		}
	}
	cfg.Publish = func(s *media.Sample) { mu.Lock(); defer mu.Unlock(); pictures = append(pictures, s); enough() }
	cfg.Audio = func(s *media.Sample) { mu.Lock(); defer mu.Unlock(); audio = append(audio, s); enough() }
	cfg.AudioTrack = func(track *media.Track) { told = append(told, track) }
	cfg.Started = func(s source.Session) { session = s }
	_, err := rtsp.Play(ctx, cfg)
	require.ErrorIs(t, err, context.Canceled, "%d units and %d pictures came", len(audio), len(pictures))
	return audio, pictures, told, session.Facts()
}

func TestAudio(t *testing.T) {
	t.Parallel()
	for _, track := range []*media.Track{
		audioTrack(media.AAC, 48000, 2), audioTrack(media.PCMU, 8000, 1), audioTrack(media.PCMA, 8000, 1), audioTrack(media.L16, 16000, 2), audioTrack(media.Opus, 48000, 1),
	} {
		for _, way := range []source.Transport{source.TCP, source.UDP} {
			t.Run(string(track.Codec)+" "+string(way), func(t *testing.T) {
				t.Parallel()
				_, url := cam.ServeWithAudio(t, server.Config{}, track)
				audio, pictures, told, facts := listenTo(t, 20, source.Config{URL: url, Transport: way})
				require.Len(t, told, 1)
				assert.True(t, media.SameAudio(track, told[0]), "%+v", told[0])
				assert.True(t, media.SameAudio(track, facts.Audio))
				assert.Zero(t, facts.Stats.AudioLost)
				for i, s := range audio[1:] {
					assert.Greater(t, s.PTS, audio[i].PTS)
				}
				last, picture := audio[len(audio)-1], pictures[len(pictures)-1]
				assert.WithinDuration(t, picture.Captured, last.Captured, 100*time.Millisecond, "they stand side by side")
				used := 0
				for _, f := range facts.Tracks {
					if f.Used {
						used++
					}
				}
				assert.Equal(t, 2, used)
			})
		}
	}
}

func TestPicturesGoOnWithoutTheAudio(t *testing.T) {
	t.Parallel()
	const withAudio = h264SDP + "m=audio 0 RTP/AVP 97\r\na=rtpmap:97 %s\r\na=control:track2\r\n"
	for name, tt := range map[string]struct {
		coding string
		refuse int
		why    string
	}{
		"a coding that is not handled": {"G726-32/8000", 0, "G726-32 is not handled"},
		"no room for it":               {"L16/8000", 461, "461"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			play := status("", 0, strings.Replace(withAudio, "%s", tt.coding, 1))
			told := make(chan *media.Track, 2)
			url := scripted(t, listen(t), func(m *rtspmsg.Message) *rtspmsg.Message {
				if m.Method == "SETUP" && strings.HasSuffix(m.URL, "track2") && tt.refuse > 0 {
					return &rtspmsg.Message{Status: tt.refuse, Reason: "No"}
				}
				return play(m)
			})
			cfg := source.Config{
				URL: url, Transport: source.TCP, Audio: func(*media.Sample) {}, AudioTrack: func(track *media.Track) { told <- track },
			}
			assert.Equal(t, "camera-silent", string(codeOf(t, cfg).Kind.Code), "it came as far as PLAY")
			assert.Nil(t, <-told)
		})
	}
}
