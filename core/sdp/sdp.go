// Package sdp reads session descriptions (RFC 8866) as cameras write them for
// RTSP (RFC 2326, appendix C).
//
// It is lenient where cameras are careless: lines that do not parse are
// skipped, unknown ones ignored, LF stands for CRLF. What it returns is checked.
//
// Limits: 1 MiB, 32 media descriptions, 32 formats each.
package sdp

import (
	"encoding/base64"
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"strings"
)

// ErrMalformed is wrapped by every error of this package.
var ErrMalformed = errors.New("sdp: malformed")

const (
	maxSize    = 1 << 20
	maxMedia   = 32
	maxFormats = 32
)

// Session is a session description.
type Session struct {
	Name    string
	Control string // a=control at session level; may be empty or "*"
	Media   []Media
}

// Media is one media description.
type Media struct {
	Kind      string // "video", "audio", "application" …
	Profile   string // "RTP/AVP", "RTP/AVP/TCP", "RTP/SAVP" …
	Control   string // a=control, as written
	Direction string // "sendonly", "recvonly" …; empty when not given
	Width     int    // of the picture, pixels; 0 when not given
	Height    int
	Formats   []Format
	Crypto    []Crypto // keys for SRTP that are offered (RFC 4568)
}

// Crypto is a key for SRTP (RFC 4568, 6).
type Crypto struct {
	Suite string // such as AES_CM_128_HMAC_SHA1_80, in upper case
	Key   []byte // master key and salt
}

// Format is one payload type of a media description.
type Format struct {
	PayloadType uint8
	Encoding    string // in upper case; empty when it is not known
	ClockRate   uint32
	Channels    int
	Params      map[string]string // a=fmtp; names in lower case
}

// static are payload types that need no rtpmap (RFC 3551, table 4 and 5).
var static = map[uint8]Format{
	0:  {Encoding: "PCMU", ClockRate: 8000, Channels: 1},
	3:  {Encoding: "GSM", ClockRate: 8000, Channels: 1},
	8:  {Encoding: "PCMA", ClockRate: 8000, Channels: 1},
	9:  {Encoding: "G722", ClockRate: 8000, Channels: 1},
	10: {Encoding: "L16", ClockRate: 44100, Channels: 2},
	11: {Encoding: "L16", ClockRate: 44100, Channels: 1},
	14: {Encoding: "MPA", ClockRate: 90000},
	26: {Encoding: "JPEG", ClockRate: 90000},
	31: {Encoding: "H261", ClockRate: 90000},
	32: {Encoding: "MPV", ClockRate: 90000},
	33: {Encoding: "MP2T", ClockRate: 90000},
	34: {Encoding: "H263", ClockRate: 90000},
}

// Parse reads a session description.
func Parse(data []byte) (*Session, error) {
	if len(data) > maxSize {
		return nil, fmt.Errorf("%w: %d bytes, at most %d", ErrMalformed, len(data), maxSize)
	}
	s := &Session{}
	var current *Media
	for line := range strings.Lines(string(data)) {
		kind, value, ok := strings.Cut(strings.TrimSpace(line), "=")
		if !ok || len(kind) != 1 {
			continue
		}
		switch {
		case kind == "m":
			if len(s.Media) >= maxMedia {
				return nil, fmt.Errorf("%w: more than %d media", ErrMalformed, maxMedia)
			}
			m, err := parseMedia(value)
			if err != nil {
				return nil, err
			}
			s.Media = append(s.Media, m)
			current = &s.Media[len(s.Media)-1]
		case kind == "s" && current == nil:
			s.Name = value
		case kind == "a" && current != nil:
			current.attribute(value)
		case kind == "a":
			if name, v, _ := strings.Cut(value, ":"); name == "control" {
				s.Control = strings.TrimSpace(v)
			}
		}
	}
	if len(s.Media) == 0 {
		return nil, fmt.Errorf("%w: no media described", ErrMalformed)
	}
	return s, nil
}

// parseMedia reads "<media> <port> <proto> <fmt> ..." (5.14).
func parseMedia(value string) (Media, error) {
	const before = 3
	fields := strings.Fields(value)
	if len(fields) < before {
		return Media{}, fmt.Errorf("%w: media line %q", ErrMalformed, value)
	}
	m := Media{Kind: strings.ToLower(fields[0]), Profile: strings.ToUpper(fields[2])}
	for _, f := range fields[before:] {
		n, err := strconv.ParseUint(f, 10, 7)
		if err != nil || len(m.Formats) >= maxFormats {
			continue
		}
		format := static[uint8(n)]
		format.PayloadType = uint8(n)
		m.Formats = append(m.Formats, format)
	}
	return m, nil
}

func (m *Media) attribute(value string) {
	name, v, _ := strings.Cut(value, ":")
	v = strings.TrimSpace(v)
	switch name {
	case "control":
		m.Control = v
	case "sendonly", "recvonly", "sendrecv", "inactive":
		m.Direction = name
	case "rtpmap":
		m.rtpmap(v)
	case "fmtp":
		m.fmtp(v)
	case "crypto":
		m.crypto(v)
	case "framesize":
		_, size, _ := strings.Cut(v, " ")
		m.size(size, "-")
	case "x-dimensions":
		m.size(v, ",")
	}
}

// crypto reads "<tag> <suite> inline:<key>[|lifetime][|MKI:length]"; packets with an MKI are
// not handled.
func (m *Media) crypto(v string) {
	const most = 8
	fields := strings.Fields(v)
	if len(fields) < 3 || len(m.Crypto) >= most {
		return
	}
	text, ok := strings.CutPrefix(fields[2], "inline:")
	text, rest, _ := strings.Cut(text, "|")
	key, err := base64.RawStdEncoding.DecodeString(strings.TrimRight(text, "="))
	if ok && err == nil && !strings.Contains(rest, ":") {
		m.Crypto = append(m.Crypto, Crypto{strings.ToUpper(fields[1]), key})
	}
}

// size reads the picture's size: a=framesize of RFC 6064, 4, and a=x-dimensions of old
// cameras.
func (m *Media) size(text, between string) {
	width, height, _ := strings.Cut(text, between)
	w, wErr := strconv.ParseUint(strings.TrimSpace(width), 10, 15)
	h, hErr := strconv.ParseUint(strings.TrimSpace(height), 10, 15)
	if wErr == nil && hErr == nil {
		m.Width, m.Height = int(w), int(h)
	}
}

func (m *Media) format(number string) *Format {
	n, err := strconv.ParseUint(number, 10, 7)
	if err != nil {
		return nil
	}
	for i := range m.Formats {
		if m.Formats[i].PayloadType == uint8(n) {
			return &m.Formats[i]
		}
	}
	return nil
}

// rtpmap reads "<payload type> <encoding>/<clock rate>[/<channels>]" (6.6).
func (m *Media) rtpmap(v string) {
	number, mapping, _ := strings.Cut(v, " ")
	f := m.format(number)
	if f == nil {
		return
	}
	parts := strings.Split(strings.TrimSpace(mapping), "/")
	f.Encoding = strings.ToUpper(parts[0])
	if len(parts) > 1 {
		if rate, err := strconv.ParseUint(parts[1], 10, 32); err == nil {
			f.ClockRate = uint32(rate)
		}
	}
	f.Channels = 0
	if len(parts) > 2 {
		if n, err := strconv.ParseUint(parts[2], 10, 8); err == nil {
			f.Channels = int(n)
		}
	}
}

// fmtp reads "<payload type> name=value; name=value" (6.15).
func (m *Media) fmtp(v string) {
	number, params, _ := strings.Cut(v, " ")
	f := m.format(number)
	if f == nil {
		return
	}
	f.Params = make(map[string]string)
	for param := range strings.SplitSeq(params, ";") {
		name, value, _ := strings.Cut(strings.TrimSpace(param), "=")
		if name != "" {
			f.Params[strings.ToLower(name)] = strings.TrimSpace(value)
		}
	}
}

// ParameterSets returns the NAL units of sprop-parameter-sets (RFC 6184, 8.1), or of
// sprop-vps, sprop-sps and sprop-pps (RFC 7798, 7.1); parts that are no base64 are left out.
func (f *Format) ParameterSets() [][]byte {
	var sets [][]byte
	for _, name := range []string{"sprop-parameter-sets", "sprop-vps", "sprop-sps", "sprop-pps"} {
		for part := range strings.SplitSeq(f.Params[name], ",") {
			part = strings.TrimRight(strings.TrimSpace(part), "=")
			if nal, err := base64.RawStdEncoding.DecodeString(part); err == nil && len(nal) > 0 {
				sets = append(sets, nal)
			}
		}
	}
	return sets
}

// Resolve returns the URL that a control attribute stands for. base is
// Content-Base, or Content-Location, or the URL of the request
// (RFC 2326, C.1.1).
//
// A relative control is appended behind a slash, query and all. That is not
// what RFC 3986 says, but what cameras mean: they write a base without a
// closing slash, and put their own parameters into its query.
func Resolve(base, control string) string {
	if control == "" || control == "*" {
		return base
	}
	if u, err := url.Parse(control); err == nil && u.IsAbs() {
		return control
	}
	if strings.HasPrefix(control, "/") {
		if u, err := url.Parse(base); err == nil && u.Host != "" {
			return u.Scheme + "://" + u.Host + control
		}
	}
	return strings.TrimSuffix(base, "/") + "/" + control
}
