package rtsp

import (
	"time"

	"github.com/pion/rtcp"
	"github.com/pion/rtp"
)

// reception counts what receiver reports tell (RFC 3550, 6.4.1 and A.3).
type reception struct {
	ssrc     uint32
	started  bool
	base     uint32 // extended number of the first packet
	highest  uint32 // extended
	received uint32
	jitter   float64 // ticks
	transit  int64

	expectedBefore, receivedBefore uint32

	reportNTP uint32 // middle 32 bits of the newest sender report
	reportAt  time.Time
}

func (r *reception) packet(p *rtp.Packet, rate uint32, now time.Time) {
	if !r.started || p.SSRC != r.ssrc {
		*r = reception{ssrc: p.SSRC, started: true, base: uint32(p.SequenceNumber), highest: uint32(p.SequenceNumber)}
	}
	r.received++
	if step := int16(p.SequenceNumber - uint16(r.highest)); step > 0 {
		r.highest += uint32(step)
	}
	arrival := now.UnixMicro() * int64(rate) / 1e6
	transit := arrival - int64(p.Timestamp)
	if r.transit != 0 {
		d := int64(int32(transit - r.transit))
		r.jitter += (float64(max(d, -d)) - r.jitter) / 16
	}
	r.transit = transit
}

func (r *reception) senderReport(p *rtcp.SenderReport, now time.Time) {
	r.reportNTP, r.reportAt = uint32(p.NTPTime>>16), now
}

func (r *reception) report(from uint32, now time.Time) *rtcp.ReceiverReport {
	expected := r.highest - r.base + 1
	lost := max(int64(expected)-int64(r.received), 0)
	newExpected, newReceived := expected-r.expectedBefore, r.received-r.receivedBefore
	r.expectedBefore, r.receivedBefore = expected, r.received
	fraction := uint8(0)
	if newExpected > newReceived && newExpected > 0 {
		fraction = uint8(min((newExpected-newReceived)*256/newExpected, 255))
	}
	block := rtcp.ReceptionReport{
		SSRC: r.ssrc, FractionLost: fraction, TotalLost: uint32(min(lost, 0x7fffff)),
		LastSequenceNumber: r.highest, Jitter: uint32(r.jitter), LastSenderReport: r.reportNTP,
	}
	if !r.reportAt.IsZero() {
		block.Delay = uint32(now.Sub(r.reportAt).Seconds() * 65536)
	}
	return &rtcp.ReceiverReport{SSRC: from, Reports: []rtcp.ReceptionReport{block}}
}
