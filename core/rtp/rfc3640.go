package rtp

import (
	"encoding/hex"
	"errors"
	"fmt"
	"strconv"

	"webostrum/core/aac"
	"webostrum/core/bits"
	"webostrum/core/media"
	"webostrum/core/sdp"
	"webostrum/core/timeline"
)

const (
	maxAudioUnit = 64 << 10
	mostUnits    = 128 // in one packet
)

var errAUHeaders = errors.New("rtp: AU headers do not fit the packet")

// aacUnpacker takes packets of MPEG-4 elementary streams (RFC 3640), modes AAC-hbr
// and AAC-lbr and what is like them:
//
//	| AU-headers-length, 16 | AU header … | padding | auxiliary section | access units |
type aacUnpacker struct {
	described *media.Track
	ticks     int64

	sizeLength, indexLength, deltaLength int
	ctsLength, dtsLength, stateLength    int
	auxLength                            int
	randomAccess                         bool
	constantSize                         int

	buf  []byte // of an access unit that goes over several packets (3.2.3)
	want int    // its size; 0 when none is open
}

func newAACUnpacker(f sdp.Format, t *media.Track) (unpacker, error) {
	t.Codec = media.AAC
	config, err := hex.DecodeString(f.Params["config"])
	if err != nil || len(config) == 0 {
		// Some small cameras leave the configuration out; they send AAC-LC at the rate
		// of the clock.
		if config = aac.LC(int(t.ClockRate), t.Channels); config == nil {
			return nil, unsupported("it sends AAC without its configuration")
		}
	}
	c, err := aac.ParseConfig(config)
	if err != nil {
		return nil, unsupported("its AAC configuration %.40q cannot be used: %v", f.Params["config"], err)
	}
	t.AAC, t.Channels = config, c.Channels
	u := &aacUnpacker{described: t, ticks: unitTicks(c, t.ClockRate)}
	return u, u.lengths(f)
}

// lengths reads the parameters of section 4.1; those left out follow the mode
// (3.3.5, 3.3.6).
func (u *aacUnpacker) lengths(f sdp.Format) error {
	const hbrSize, hbrIndex, lbrSize, lbrIndex = 13, 3, 6, 2
	u.sizeLength, u.indexLength, u.deltaLength = hbrSize, hbrIndex, hbrIndex
	if f.Params["mode"] == "AAC-lbr" {
		u.sizeLength, u.indexLength, u.deltaLength = lbrSize, lbrIndex, lbrIndex
	}
	access := 0
	for _, p := range []struct {
		name string
		into *int
		most int
	}{
		{"sizelength", &u.sizeLength, 16}, {"indexlength", &u.indexLength, 16}, {"indexdeltalength", &u.deltaLength, 16},
		{"ctsdeltalength", &u.ctsLength, 32}, {"dtsdeltalength", &u.dtsLength, 32}, {"streamstateindication", &u.stateLength, 32},
		{"auxiliarydatasizelength", &u.auxLength, 32}, {"randomaccessindication", &access, 1}, {"constantsize", &u.constantSize, maxAudioUnit},
	} {
		text, ok := f.Params[p.name]
		if !ok {
			continue
		}
		n, err := strconv.Atoi(text)
		if err != nil || n < 0 || n > p.most {
			return unsupported("%s=%q in the description of its AAC makes no sense", p.name, text)
		}
		*p.into = n
	}
	u.randomAccess = access == 1
	if u.constantSize > 0 {
		u.sizeLength = 0
	} else if u.sizeLength == 0 {
		return unsupported("the description of its AAC tells no size of access units")
	}
	return nil
}

func (u *aacUnpacker) track() *media.Track { return u.described }

func (u *aacUnpacker) push(payload []byte, marker, lost bool) ([]timeline.AudioUnit, error) {
	if lost {
		u.want = 0
	}
	sizes, data, err := u.headers(payload)
	if err != nil {
		u.want = 0
		return nil, err
	}
	if len(sizes) == 1 && (u.want > 0 || sizes[0] > len(data)) {
		return u.fragment(sizes[0], data, marker)
	}
	u.want = 0
	var units []timeline.AudioUnit
	for _, n := range sizes {
		if n > len(data) {
			return nil, fmt.Errorf("rtp: access unit of %d bytes with %d left", n, len(data))
		}
		if n > 0 {
			units = append(units, timeline.AudioUnit{Data: append([]byte(nil), data[:n]...), Ticks: u.ticks})
		}
		data = data[n:]
	}
	return units, nil
}

// fragment gathers an access unit that is larger than a packet: each of its packets
// tells the size of the whole.
func (u *aacUnpacker) fragment(size int, data []byte, marker bool) ([]timeline.AudioUnit, error) {
	if size > maxAudioUnit {
		u.want = 0
		return nil, fmt.Errorf("rtp: access unit of %d bytes, at most %d", size, maxAudioUnit)
	}
	if u.want != size {
		u.want, u.buf = size, u.buf[:0]
	}
	u.buf = append(u.buf, data...)
	if len(u.buf) < size && !marker {
		return nil, nil
	}
	whole := len(u.buf) == size
	u.want = 0
	if !whole {
		return nil, fmt.Errorf("rtp: access unit of %d bytes, its parts have %d", size, len(u.buf))
	}
	return []timeline.AudioUnit{{Data: append([]byte(nil), u.buf...), Ticks: u.ticks}}, nil
}

// headers reads what stands in front of the access units (3.2.1, 3.2.2).
func (u *aacUnpacker) headers(payload []byte) (sizes []int, data []byte, err error) {
	const lengthBytes = 2
	if u.sizeLength+u.indexLength+u.deltaLength == 0 {
		return u.constant(payload), payload, nil
	}
	if len(payload) < lengthBytes {
		return nil, nil, errAUHeaders
	}
	length := int(payload[0])<<8 | int(payload[1])
	end := lengthBytes + (length+7)/8
	if end > len(payload) {
		return nil, nil, errAUHeaders
	}
	r := &bits.Reader{Data: payload[lengthBytes:end], Malformed: errAUHeaders}
	for first := true; r.Pos < length; first = false {
		size, err := u.oneHeader(r, first)
		if err != nil {
			return nil, nil, err
		}
		if sizes = append(sizes, size); len(sizes) > mostUnits || r.Pos > length {
			return nil, nil, errAUHeaders
		}
	}
	data = payload[end:]
	if u.auxLength > 0 {
		a := &bits.Reader{Data: data, Malformed: errAUHeaders}
		n := int(a.U(u.auxLength))
		skip := (u.auxLength + n + 7) / 8
		if a.Err != nil || skip > len(data) {
			return nil, nil, errAUHeaders
		}
		data = data[skip:]
	}
	return sizes, data, nil
}

// constant is for packets without headers, of units that all have one size.
func (u *aacUnpacker) constant(payload []byte) (sizes []int) {
	for n := len(payload); u.constantSize > 0 && n >= u.constantSize; n -= u.constantSize {
		sizes = append(sizes, u.constantSize)
	}
	return sizes
}

// oneHeader reads an AU header (3.2.1.1).
func (u *aacUnpacker) oneHeader(r *bits.Reader, first bool) (size int, err error) {
	size = u.constantSize
	if u.sizeLength > 0 {
		size = int(r.U(u.sizeLength))
	}
	if first {
		r.U(u.indexLength)
	} else if delta := r.U(u.deltaLength); delta != 0 {
		return 0, unsupported("its AAC is interleaved over packets, which is not handled")
	}
	if u.ctsLength > 0 && r.Flag() {
		r.U(u.ctsLength)
	}
	if u.dtsLength > 0 && r.Flag() {
		r.U(u.dtsLength)
	}
	if u.randomAccess {
		r.Flag()
	}
	r.U(u.stateLength)
	return size, r.Err
}
