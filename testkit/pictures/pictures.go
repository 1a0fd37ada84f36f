// Package pictures makes H.264 bytes for tests: real parameter sets, and slices
// whose headers are right and whose bodies are noise.
package pictures

import (
	"webostrum/core/h264"
	"webostrum/core/media"
	"webostrum/core/nalu"
)

// SPS is a baseline set of 320x240; Larger is one of 640x480; Reordering is a
// high profile set of 1280x720 that reorders two pictures.
var (
	SPS        = []byte{0x67, 0x42, 0xc0, 0x1e, 0xda, 0x05, 0x07, 0xe4}
	Larger     = []byte{0x67, 0x42, 0xc0, 0x1e, 0xda, 0x02, 0x80, 0xf6, 0x40}
	Reordering = []byte{0x67, 0x64, 0x00, 0x1f, 0xac, 0xd9, 0x40, 0x50, 0x05, 0xbb, 0x01, 0x10, 0x00, 0x00, 0x03, 0x00, 0x10, 0x00, 0x00, 0x03, 0x03, 0x20, 0xf1, 0x83, 0x19, 0x60}
	PPS        = []byte{0x68, 0xce, 0x3c, 0x80}
)

// The first bytes of slices: first_mb_in_slice 0 and the kind of slice.
const (
	headIDR = 0x88 // 1 0001000: I
	headP   = 0x9a // 1 00110 10: P
	headB   = 0x9e // 1 00111 10: B
	// MoreOf is the same for a slice that does not begin its picture: 010 00110.
	moreP = 0x46
)

func slice(kind, head byte, size int, seed byte) []byte {
	nal := make([]byte, max(size, 4))
	nal[0], nal[1] = kind, head
	for i := 2; i < len(nal); i++ {
		nal[i] = seed + byte(i)*7 | 1 // never zero, so that nothing looks like a start code
	}
	return nal
}

// IDR returns a slice of a keyframe; P and B of other pictures; More of one
// that goes on.
func IDR(size int, seed byte) []byte  { return slice(0x65, headIDR, size, seed) }
func P(size int, seed byte) []byte    { return slice(0x41, headP, size, seed) }
func B(size int, seed byte) []byte    { return slice(0x01, headB, size, seed) }
func More(size int, seed byte) []byte { return slice(0x41, moreP, size, seed) }

// Track returns a track of 320x240, or of another set's size.
func Track(sps []byte) *media.Track {
	s, err := h264.ParseSPS(sps)
	if err != nil {
		panic(err)
	}
	return media.VideoTrack(1, 90000, h264.Config(s, [][]byte{sps, PPS}))
}

// Data joins slices to the data of a sample.
func Data(nals ...[]byte) []byte {
	var b []byte
	for _, n := range nals {
		b = nalu.Append(b, n)
	}
	return b
}
