package sdp_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/sdp"
)

const usual = "v=0\r\no=- 0 0 IN IP4 192.0.2.7\r\ns=Session\r\nc=IN IP4 0.0.0.0\r\nt=0 0\r\na=control:*\r\n" +
	"m=video 0 RTP/AVP 96\r\na=rtpmap:96 H264/90000\r\n" +
	"a=fmtp:96 packetization-mode=1; profile-level-id=42C01E; sprop-parameter-sets=Z0LAHtoFB+Q=,aM48gA==\r\na=control:track1\r\n" +
	"m=audio 0 RTP/AVP 0\r\na=control:track2\r\na=sendonly\r\n" +
	"m=application 0 RTP/AVP 107\r\na=rtpmap:107 vnd.onvif.metadata/90000\r\n"

func TestParse(t *testing.T) {
	s, err := sdp.Parse([]byte(usual))
	require.NoError(t, err)
	assert.Equal(t, "*", s.Control)
	require.Len(t, s.Media, 3)
	video := s.Media[0]
	assert.Equal(t, "track1", video.Control)
	require.Len(t, video.Formats, 1)
	assert.Equal(t, "H264", video.Formats[0].Encoding)
	assert.Equal(t, uint32(90000), video.Formats[0].ClockRate)
	assert.Equal(t, "42C01E", video.Formats[0].Params["profile-level-id"])
	sets := video.Formats[0].ParameterSets()
	require.Len(t, sets, 2)
	assert.Equal(t, byte(0x67), sets[0][0])
	assert.Equal(t, byte(0x68), sets[1][0])
	audio := s.Media[1].Formats[0]
	assert.Equal(t, "PCMU", audio.Encoding, "a static payload type needs no rtpmap")
	assert.Equal(t, uint32(8000), audio.ClockRate)
	assert.Equal(t, "sendonly", s.Media[1].Direction)
}

func TestParseCarelessCameras(t *testing.T) {
	tests := []struct {
		name, text string
		check      func(*testing.T, *sdp.Session)
	}{
		{"LF and no closing line break", "v=0\nm=video 0 RTP/AVP 96\na=rtpmap:96 h264/90000", func(t *testing.T, s *sdp.Session) {
			assert.Equal(t, "H264", s.Media[0].Formats[0].Encoding)
		}},
		{"nonsense lines", "v=0\nhello\n=\n\nx\nm=video 0 RTP/AVP 26\n", func(t *testing.T, s *sdp.Session) {
			assert.Equal(t, "JPEG", s.Media[0].Formats[0].Encoding)
		}},
		{"rtpmap of a type that is not listed", "m=video 0 RTP/AVP 96\na=rtpmap:97 H264/90000\n", func(t *testing.T, s *sdp.Session) {
			assert.Empty(t, s.Media[0].Formats[0].Encoding)
		}},
		{"parameter sets that are no base64", "m=video 0 RTP/AVP 96\na=rtpmap:96 H264/90000\na=fmtp:96 sprop-parameter-sets=*,aM48gA\n", func(t *testing.T, s *sdp.Session) {
			assert.Len(t, s.Media[0].Formats[0].ParameterSets(), 1, "padding left out, too")
		}},
		{"no parameter sets", "m=video 0 RTP/AVP 96\na=rtpmap:96 H264/90000\n", func(t *testing.T, s *sdp.Session) {
			assert.Empty(t, s.Media[0].Formats[0].ParameterSets())
		}},
		{"clock rate that is no number", "m=video 0 RTP/AVP 96\na=rtpmap:96 H264/fast\n", func(t *testing.T, s *sdp.Session) {
			assert.Zero(t, s.Media[0].Formats[0].ClockRate)
		}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			s, err := sdp.Parse([]byte(tt.text))
			require.NoError(t, err)
			tt.check(t, s)
		})
	}
}

func TestParseRefuses(t *testing.T) {
	for name, text := range map[string]string{
		"empty":        "",
		"no media":     "v=0\r\ns=x\r\n",
		"short media":  "m=video\r\n",
		"far too long": strings.Repeat("a=x\n", 1<<15),
		"many media":   strings.Repeat("m=video 0 RTP/AVP 96\n", 100),
	} {
		_, err := sdp.Parse([]byte(text))
		assert.ErrorIs(t, err, sdp.ErrMalformed, name)
	}
}

func TestResolve(t *testing.T) {
	tests := []struct{ base, control, want string }{
		{"rtsp://h/a/", "track1", "rtsp://h/a/track1"},
		{"rtsp://h/a", "track1", "rtsp://h/a/track1"},
		{"rtsp://h/a", "rtsp://other/b", "rtsp://other/b"},
		{"rtsp://h/a", "*", "rtsp://h/a"},
		{"rtsp://h/a", "", "rtsp://h/a"},
		{"rtsp://h:8554/a/b", "/c/d", "rtsp://h:8554/c/d"},
		{"rtsp://h/cam?channel=1", "trackID=1", "rtsp://h/cam?channel=1/trackID=1"},
		{"rtsp://h/cam?channel=1/", "trackID=1", "rtsp://h/cam?channel=1/trackID=1"},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, sdp.Resolve(tt.base, tt.control), "%s and %s", tt.base, tt.control)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(usual))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := sdp.Parse(data)
		if err != nil {
			return
		}
		if len(s.Media) == 0 {
			t.Fatal("accepted a description without media")
		}
		for _, m := range s.Media {
			for _, fm := range m.Formats {
				if fm.PayloadType > 127 {
					t.Fatalf("payload type %d", fm.PayloadType)
				}
				fm.ParameterSets()
			}
			sdp.Resolve("rtsp://h/", m.Control)
		}
	})
}
