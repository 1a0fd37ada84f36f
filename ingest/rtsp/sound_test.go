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

func soundTrack(codec media.Codec, rate uint32, channels int) *media.Track {
	t := &media.Track{ID: 2, Kind: media.KindAudio, Codec: codec, ClockRate: rate, Channels: channels}
	if codec == media.AAC {
		t.AAC = aac.LC(int(rate), channels)
	}
	return t
}

// listen plays until so much sound has come.
func listenTo(t *testing.T, want int, cfg source.Config) (sounds []*media.Sample, pictures []*media.Sample, told []*media.Track, facts source.Facts) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	var mu sync.Mutex
	var session source.Session
	enough := func() {
		if len(sounds) >= want && len(pictures) > 20 {
			cancel()
		}
	}
	cfg.Publish = func(s *media.Sample) { mu.Lock(); defer mu.Unlock(); pictures = append(pictures, s); enough() }
	cfg.Sound = func(s *media.Sample) { mu.Lock(); defer mu.Unlock(); sounds = append(sounds, s); enough() }
	cfg.SoundTrack = func(track *media.Track) { told = append(told, track) }
	cfg.Started = func(s source.Session) { session = s }
	_, err := rtsp.Play(ctx, cfg)
	require.ErrorIs(t, err, context.Canceled, "%d units and %d pictures came", len(sounds), len(pictures))
	return sounds, pictures, told, session.Facts()
}

func TestSound(t *testing.T) {
	t.Parallel()
	for _, track := range []*media.Track{
		soundTrack(media.AAC, 48000, 2), soundTrack(media.PCMU, 8000, 1), soundTrack(media.PCMA, 8000, 1), soundTrack(media.L16, 16000, 2), soundTrack(media.Opus, 48000, 1),
	} {
		for _, way := range []source.Transport{source.TCP, source.UDP} {
			t.Run(string(track.Codec)+" "+string(way), func(t *testing.T) {
				t.Parallel()
				_, url := cam.ServeWithSound(t, server.Config{}, track)
				sounds, pictures, told, facts := listenTo(t, 20, source.Config{URL: url, Transport: way})
				require.Len(t, told, 1)
				assert.True(t, media.SameSound(track, told[0]), "%+v", told[0])
				assert.True(t, media.SameSound(track, facts.Sound))
				assert.Zero(t, facts.Stats.SoundLost)
				for i, s := range sounds[1:] {
					assert.Greater(t, s.PTS, sounds[i].PTS)
				}
				sound, picture := sounds[len(sounds)-1], pictures[len(pictures)-1]
				assert.WithinDuration(t, picture.Captured, sound.Captured, 100*time.Millisecond, "they stand side by side")
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

func TestPicturesGoOnWithoutTheSound(t *testing.T) {
	t.Parallel()
	const withSound = h264SDP + "m=audio 0 RTP/AVP 97\r\na=rtpmap:97 %s\r\na=control:track2\r\n"
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
			play := status("", 0, strings.Replace(withSound, "%s", tt.coding, 1))
			told := make(chan *media.Track, 2)
			url := scripted(t, listen(t), func(m *rtspmsg.Message) *rtspmsg.Message {
				if m.Method == "SETUP" && strings.HasSuffix(m.URL, "track2") && tt.refuse > 0 {
					return &rtspmsg.Message{Status: tt.refuse, Reason: "No"}
				}
				return play(m)
			})
			cfg := source.Config{
				URL: url, Transport: source.TCP, Sound: func(*media.Sample) {}, SoundTrack: func(track *media.Track) { told <- track },
			}
			assert.Equal(t, "camera-silent", string(codeOf(t, cfg).Kind.Code), "it came as far as PLAY")
			assert.Nil(t, <-told)
		})
	}
}
