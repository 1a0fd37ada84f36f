// Package pipe takes in what a program writes: a transport stream, NAL units of H.264 or H.265
// behind start codes (annex B), JPEG after JPEG, or fragmented MP4. What it is shows in its
// first bytes.
//
// Limits: those of the formats' packages; a box of fragmented MP4 of 16 MiB.
package pipe

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"io"
	"net/url"
	"slices"
	"time"

	"webostrum/core/fault"
	"webostrum/core/h264"
	"webostrum/core/h265"
	"webostrum/core/media"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
	"webostrum/ingest/ts"
)

// Format is how a stream is written.
type Format string

// The formats.
const (
	Unknown    Format = ""
	Transport  Format = "transport stream"
	ByteStream Format = "byte stream"
	MotionJPEG Format = "Motion JPEG"
	MP4        Format = "fragmented MP4"
)

const (
	sniffed    = 64 << 10 // bytes that are looked at
	mostLeft   = 16 << 20 // bytes that do not tell
	packetSize = 188
)

// sniff tells what a stream is by its first bytes; the codec is that of a byte stream. Unknown
// where more bytes may tell.
func sniff(b []byte) (Format, media.Codec) {
	switch {
	case len(b) > packetSize && b[0] == 0x47 && b[packetSize] == 0x47:
		return Transport, ""
	case bytes.HasPrefix(b, []byte{0xff, 0xd8}), bytes.HasPrefix(b, []byte("--")): // bare, or as parts of a multipart body
		return MotionJPEG, ""
	case len(b) >= 8 && (string(b[4:8]) == "ftyp" || string(b[4:8]) == "styp" || string(b[4:8]) == "moov"):
		return MP4, ""
	}
	if codec := codecOf(b); starts(b) && codec != "" {
		return ByteStream, codec
	}
	return within(b)
}

// within tells what a stream is by bytes from the middle of it. Packets of a transport stream
// hold what byte streams do.
func within(b []byte) (Format, media.Codec) {
	const enough = 8 * packetSize
	if len(b) < enough {
		return Unknown, ""
	}
	switch codec := codecOf(b); {
	case packetsWithin(b):
		return Transport, ""
	case codec != "":
		return ByteStream, codec
	case pictureWithin(b):
		return MotionJPEG, ""
	}
	return Unknown, ""
}

// pictureWithin finds a JPEG picture after another, or after the head of its part.
func pictureWithin(b []byte) bool {
	return slices.ContainsFunc([]string{"\xff\xd9\xff\xd8\xff", "\n\n\xff\xd8\xff", "\n\r\n\xff\xd8\xff"}, func(edge string) bool {
		return bytes.Contains(b, []byte(edge))
	})
}

// packetsWithin finds packets of a transport stream in a row.
func packetsWithin(b []byte) bool {
	const most = 3 // packets after the first
	for i := range min(packetSize, max(0, len(b)-most*packetSize)) {
		n := 0
		for n <= most && b[i+n*packetSize] == 0x47 {
			n++
		}
		if n > most {
			return true
		}
	}
	return false
}

// starts says whether a byte stream begins here, whosever.
func starts(b []byte) bool {
	return bytes.HasPrefix(b, []byte{0, 0, 1}) || bytes.HasPrefix(b, []byte{0, 0, 0, 1})
}

// begin waits for as many bytes as it takes to tell what a stream is. Bytes that do not tell
// are left out: a stream may be joined in the middle of a picture.
func begin(r *bufio.Reader) (Format, media.Codec, error) {
	left, look := 0, sniff
	for {
		head, err := r.Peek(min(r.Buffered()+1, sniffed)) // which reads all that has come
		if len(head) == 0 {
			return Unknown, "", ended(err)
		}
		head, _ = r.Peek(r.Buffered())
		f, codec := look(head)
		switch {
		case f != Unknown:
			return f, codec, nil
		case err == nil && len(head) < sniffed:
			continue
		case err == nil && left < mostLeft:
			n, _ := r.Discard(sniffed / 2)
			left, look = left+n, within
			continue
		case starts(head):
			return f, "", fault.New(fault.PublisherKeyframe, nil, "it begins without parameter sets, so it does not tell whether it is H.264 or H.265")
		}
		return f, "", fault.New(fault.PublisherGarbled, nil, "it begins with % x, which is no transport stream, H.264, H.265, JPEG or fragmented MP4", head[:min(len(head), 8)])
	}
}

// codecOf tells whose NAL units a byte stream has: both codecs begin with parameter sets, by
// types that the other does not use there.
func codecOf(b []byte) media.Codec {
	for {
		at := bytes.Index(b, []byte{0, 0, 1})
		if at < 0 || at+5 > len(b) {
			return ""
		}
		b = b[at+3:]
		switch {
		case h264.TypeOf(b) == h264.NALSPS && b[0]&0x80 == 0 && b[0]>>5 != 0:
			return media.H264
		case h265.TypeOf(b) == h265.NALVPS && b[1] == 1, h265.TypeOf(b) == h265.NALSPS && b[1] == 1:
			return media.H265
		}
	}
}

// From is who sends.
type From struct {
	Address string
	Agent   string
	Query   url.Values // program chooses one of a transport stream
}

// Play returns what receives a stream by a reader. The reader is expected to end when
// nothing has come for long, with an error that says so.
func Play(body io.Reader, from From) push.Play {
	return func(ctx context.Context, cfg source.Config) (next uint64, err error) {
		cfg.Settle()
		r := bufio.NewReaderSize(body, sniffed)
		format, codec, err := begin(r)
		switch format {
		case Transport:
			return playTransport(r, cfg, from)
		case ByteStream:
			return playBytes(r, codec, cfg, from)
		case MotionJPEG:
			return playJPEG(r, cfg, from)
		case MP4:
			return playMP4(r, cfg, from)
		}
		return cfg.FirstEpoch, err
	}
}

// ended says why a stream has ended.
func ended(err error) error {
	var known *fault.Error
	switch {
	case errors.As(err, &known):
		return known
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return fault.New(fault.PublisherLeft, err, "")
	}
	return fault.New(fault.PublisherLeft, err, "%v", err)
}

func playTransport(r io.Reader, cfg source.Config, from From) (uint64, error) {
	s, err := ts.New(cfg, "pipe", from.Query)
	if err != nil {
		return cfg.FirstEpoch, err
	}
	s.SetFrom(from.Address, from.Agent)
	err = s.Read(r)
	return s.Next(), push.Fault(ended(err))
}

// now is the time by which streams without stamps are laid on a timeline.
func now() time.Time { return time.Now() }
