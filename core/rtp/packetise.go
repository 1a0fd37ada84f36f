package rtp

import (
	"encoding/binary"

	"github.com/pion/rtp"

	"webostrum/core/h264"
	"webostrum/core/media"
)

// Packetizer cuts H.264 samples into RTP packets (RFC 6184, packetization mode
// 1): single units, STAP-A for the parameter sets, FU-A for what is too large.
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
	if s.Key && s.Track.H264 != nil {
		list = parameterSets(s.Track.H264, room)
	}
	for nal := range h264.NALs(s.Data) {
		list = unit(list, nal, room)
	}
	return list
}

func parameterSets(sets *media.ParameterSets, room int) [][]byte {
	stap := []byte{sets.SPS[0]&nalHeadMask | typeSTAPA}
	all := append([][]byte{sets.SPS}, sets.PPS...)
	for _, nal := range all {
		stap = binary.BigEndian.AppendUint16(stap, uint16(len(nal)))
		stap = append(stap, nal...)
	}
	if len(stap) > room {
		return all
	}
	return [][]byte{stap}
}

func unit(list [][]byte, nal []byte, room int) [][]byte {
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
