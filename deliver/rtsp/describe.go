package rtsp

import (
	"bytes"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"webostrum/core/h265"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/rtspmsg"
)

// medium is one of a stream's.
type medium struct {
	hub         *hub.Hub
	track       *media.Track
	payloadType uint8
}

const (
	videoPayload = 96
	audioPayload = 97
	trackPrefix  = "/track"
)

// media lists what a stream has: the picture, then the audio.
func (s *Stream) media() []medium {
	list := []medium{{s.Hub, s.Track, videoPayload}}
	if s.Audio != nil && s.AudioTrack != nil {
		list = append(list, medium{s.Audio, s.AudioTrack, payloadOf(s.AudioTrack)})
	}
	return list
}

// payloadOf is the payload type of audio (RFC 3551, table 4).
func payloadOf(t *media.Track) uint8 {
	const pcmu, pcma = 0, 8
	if t.ClockRate == 8000 && t.Channels == 1 {
		switch t.Codec {
		case media.PCMU:
			return pcmu
		case media.PCMA:
			return pcma
		}
	}
	return audioPayload
}

// trackNumber takes a track's number off a path; without one it is the first.
func trackNumber(path string) (stream string, number int) {
	path = strings.TrimSuffix(path, "/")
	for n := 1; n <= 2; n++ {
		if before, ok := strings.CutSuffix(path, fmt.Sprintf("%s%d", trackPrefix, n)); ok {
			return before, n
		}
	}
	return path, 1
}

// describe answers DESCRIBE (RFC 2326, appendix C).
func describe(base string, stream *Stream, information string, key []byte) *rtspmsg.Message {
	a := answer(200, "OK")
	a.Header.Set("Content-Type", "application/sdp")
	a.Header.Set("Content-Base", strings.TrimSuffix(base, "/")+"/")
	a.Body = Description(stream, information, key)
	return a
}

// Description is a stream's session description (RFC 8866). information may be empty, and key
// nil for what is sent in the clear.
func Description(stream *Stream, information string, key []byte) []byte {
	body := []byte("v=0\r\no=- 1 1 IN IP4 0.0.0.0\r\ns=camera\r\nc=IN IP4 0.0.0.0\r\nt=0 0\r\na=control:*\r\n")
	if information != "" {
		body = bytes.Replace(body, []byte("c="), []byte("i="+information+"\r\nc="), 1)
	}
	for i, m := range stream.media() {
		profile := "RTP/AVP"
		if key != nil {
			profile = "RTP/SAVP"
		}
		body = fmt.Appendf(body, "m=%s 0 %s %d\r\n", m.track.Kind, profile, m.payloadType)
		if key != nil {
			body = fmt.Appendf(body, "a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:%s\r\n", base64.StdEncoding.EncodeToString(key))
		}
		body = fmt.Appendf(body, "a=rtpmap:%d %s\r\n", m.payloadType, mapping(m.track))
		if params := parameters(m.track); params != "" {
			body = fmt.Appendf(body, "a=fmtp:%d %s\r\n", m.payloadType, params)
		}
		body = fmt.Appendf(body, "a=control:%s%d\r\n", trackPrefix[1:], i+1)
	}
	return body
}

// mapping is what a=rtpmap says of a track.
func mapping(t *media.Track) string {
	channels := ""
	switch {
	case t.Codec == media.Opus:
		channels = "/2" // always (RFC 7587, 7)
	case t.Kind == media.KindAudio:
		channels = fmt.Sprintf("/%d", t.Channels)
	}
	name := string(t.Codec)
	if t.Codec == media.AAC || t.Codec == media.Opus {
		name = strings.ToLower(name)
	}
	return fmt.Sprintf("%s/%d%s", name, t.ClockRate, channels)
}

// parameters is what a=fmtp says of a track.
func parameters(t *media.Track) string {
	switch t.Codec {
	case media.H264:
		return h264Parameters(t.Video)
	case media.H265:
		return h265Parameters(t.Video)
	case media.AAC:
		return "streamtype=5;profile-level-id=1;mode=AAC-hbr;sizelength=13;indexlength=3;indexdeltalength=3;config=" + hex.EncodeToString(t.AAC)
	}
	return ""
}

func h264Parameters(c *media.VideoConfig) string {
	profile := ""
	if sps := c.Sets[0]; len(sps) > 3 {
		profile = hex.EncodeToString(sps[1:4])
	}
	return fmt.Sprintf("packetization-mode=1;profile-level-id=%s;sprop-parameter-sets=%s", profile, base64List(c.Sets))
}

// h265Parameters follows RFC 7798, 7.1.
func h265Parameters(c *media.VideoConfig) string {
	var texts []string
	for _, x := range []struct {
		name string
		kind h265.NALType
	}{{"sprop-vps", h265.NALVPS}, {"sprop-sps", h265.NALSPS}, {"sprop-pps", h265.NALPPS}} {
		sets := slices.Clone(c.Sets)
		sets = slices.DeleteFunc(sets, func(set []byte) bool { return h265.TypeOf(set) != x.kind })
		if len(sets) > 0 {
			texts = append(texts, x.name+"="+base64List(sets))
		}
	}
	return strings.Join(texts, ";")
}

func base64List(sets [][]byte) string {
	var list []string
	for _, set := range sets {
		list = append(list, base64.StdEncoding.EncodeToString(set))
	}
	return strings.Join(list, ",")
}
