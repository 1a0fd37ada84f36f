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

// Packets returns the packets of a sample. Parameter sets go in front of each
// keyframe. Payloads of single units share the sample's bytes.
func (z *Packetizer) Packets(s *media.Sample) []*rtp.Packet {
	var packets []*rtp.Packet
	ts := z.Base + uint32(s.PTS)
	add := func(payload []byte) {
		packets = append(packets, &rtp.Packet{
			Header: rtp.Header{
				Version: 2, PayloadType: z.PayloadType, SequenceNumber: z.Sequence, Timestamp: ts, SSRC: z.SSRC,
			},
			Payload: payload,
		})
		z.Sequence++
	}
	if s.Key && s.Track.H264 != nil {
		for _, payload := range z.parameterSets(s.Track.H264) {
			add(payload)
		}
	}
	for nal := range h264.NALs(s.Data) {
		z.unit(nal, add)
	}
	if n := len(packets); n > 0 {
		packets[n-1].Marker = true
	}
	return packets
}

func (z *Packetizer) room() int { return z.MTU - rtpHeader }

func (z *Packetizer) parameterSets(sets *media.ParameterSets) [][]byte {
	stap := []byte{sets.SPS[0]&nalHeadMask | typeSTAPA}
	all := append([][]byte{sets.SPS}, sets.PPS...)
	for _, nal := range all {
		stap = binary.BigEndian.AppendUint16(stap, uint16(len(nal)))
		stap = append(stap, nal...)
	}
	if len(stap) > z.room() {
		return all
	}
	return [][]byte{stap}
}

func (z *Packetizer) unit(nal []byte, add func([]byte)) {
	if len(nal) == 0 {
		return
	}
	if len(nal) <= z.room() {
		add(nal)
		return
	}
	indicator, kind := nal[0]&nalHeadMask|typeFUA, nal[0]&nalTypeMask
	const fuHeads = 2
	for rest, first := nal[1:], true; len(rest) > 0; first = false {
		n := min(len(rest), z.room()-fuHeads)
		head := kind
		if first {
			head |= fuStart
		}
		if n == len(rest) {
			head |= fuEnd
		}
		part := make([]byte, 0, fuHeads+n)
		part = append(part, indicator, head)
		add(append(part, rest[:n]...))
		rest = rest[n:]
	}
}
