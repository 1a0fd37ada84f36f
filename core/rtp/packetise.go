package rtp

import (
	"encoding/binary"
	"slices"

	"github.com/pion/rtp"

	"webostrum/core/media"
	"webostrum/core/nalu"
)

// Packetizer cuts samples into RTP packets: H.264 by RFC 6184, packetization mode
// 1, with single units, STAP-A for the parameter sets and FU-A for what is too
// large; H.265 by RFC 7798 in the same way; JPEG by RFC 2435, with its tables in each
// picture; VP8 by RFC 7741; AAC by RFC 3640, mode AAC-hbr; other audio as it is.
type Packetizer struct {
	SSRC        uint32
	PayloadType uint8
	MTU         int // bytes of RTP packet, header included
	Sequence    uint16
	Base        uint32 // RTP timestamp that stands for PTS 0
}

const rtpHeader = 12

// Packets returns the packets of a sample. Payloads of single units share the
// sample's bytes.
func (z *Packetizer) Packets(s *media.Sample) []*rtp.Packet {
	payloads := Payloads(s, z.MTU)
	packets := make([]*rtp.Packet, len(payloads))
	for i, payload := range payloads {
		packets[i] = &rtp.Packet{
			Header: rtp.Header{
				Version: 2, PayloadType: z.PayloadType, SequenceNumber: z.Sequence, Timestamp: z.Base + uint32(s.PTS), SSRC: z.SSRC,
				Marker: i == len(payloads)-1,
			},
			Payload: payload,
		}
		z.Sequence++
	}
	return packets
}

// Payloads cuts a sample for packets of no more than mtu bytes, header included.
// Parameter sets go in front of each keyframe. Payloads of single units share the
// sample's bytes.
func Payloads(s *media.Sample, mtu int) (list [][]byte) {
	room := mtu - rtpHeader
	if s.Track.Kind == media.KindAudio {
		return audioPayloads(s, room)
	}
	switch s.Track.Codec {
	case media.JPEG:
		return jpegPayloads(s.Data, room)
	case media.H265:
		return h265Payloads(s, room)
	case media.VP8:
		return vp8Payloads(s.Data, room)
	}
	if s.Key {
		list = parameterSets(s.Track.Video.Sets, room)
	}
	for nal := range nalu.Units(s.Data) {
		list = appendUnit(list, nal, room)
	}
	return list
}

func parameterSets(sets [][]byte, room int) [][]byte {
	stap := []byte{sets[0][0]&nalHeadMask | typeSTAPA}
	for _, nal := range sets {
		stap = binary.BigEndian.AppendUint16(stap, uint16(len(nal)))
		stap = append(stap, nal...)
	}
	if len(stap) > room {
		return slices.Clone(sets)
	}
	return [][]byte{stap}
}

func appendUnit(list [][]byte, nal []byte, room int) [][]byte {
	if len(nal) == 0 {
		return list
	}
	if len(nal) <= room {
		return append(list, nal)
	}
	indicator, kind := nal[0]&nalHeadMask|typeFUA, nal[0]&nalTypeMask
	const fuHeads = 2
	for rest, first := nal[1:], true; len(rest) > 0; first = false {
		n := min(len(rest), room-fuHeads)
		head := kind
		if first {
			head |= fuStart
		}
		if n == len(rest) {
			head |= fuEnd
		}
		part := make([]byte, 0, fuHeads+n)
		part = append(part, indicator, head)
		list = append(list, append(part, rest[:n]...))
		rest = rest[n:]
	}
	return list
}

// audioPayloads makes one packet of a sample; what is too large is cut for AAC
// (RFC 3640, 3.2.3), and sent whole otherwise: it is a packet of its own already.
func audioPayloads(s *media.Sample, room int) (list [][]byte) {
	if s.Track.Codec != media.AAC {
		return [][]byte{s.Data}
	}
	const auHeaderBits, auHeaders, indexBits = 16, 4, 3
	for rest := s.Data; len(rest) > 0; {
		n := min(len(rest), room-auHeaders)
		p := binary.BigEndian.AppendUint16(make([]byte, 0, auHeaders+n), auHeaderBits)
		p = binary.BigEndian.AppendUint16(p, uint16(len(s.Data)<<indexBits))
		list = append(list, append(p, rest[:n]...))
		rest = rest[n:]
	}
	return list
}
