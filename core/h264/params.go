package h264

import (
	"bytes"
	"fmt"
	"slices"

	"webostrum/core/media"
	"webostrum/core/nalu"
)

// maxPPS bounds the picture parameter sets that are kept. The standard allows
// 256; cameras use one to four.
const maxPPS = 32

// ParamKeeper gathers parameter sets as they come along, in the session
// description or in the stream, and hands out the configuration in force.
type ParamKeeper struct {
	sps []byte
	pps map[uint32][]byte

	// changed is set when something arrived that current does not hold yet.
	changed bool
	current *media.VideoConfig
}

// Add takes a parameter set NAL unit; it copies the bytes. A broken set is
// refused with an error that wraps ErrMalformed and changes nothing.
func (k *ParamKeeper) Add(nal []byte) error {
	switch TypeOf(nal) {
	case NALSPS:
		if bytes.Equal(nal, k.sps) {
			return nil
		}
		if _, err := ParseSPS(nal); err != nil {
			return err
		}
		k.sps, k.changed = bytes.Clone(nal), true
	case NALPPS:
		return k.addPPS(nal)
	default:
		return fmt.Errorf("%w: NAL unit type %d is no parameter set", ErrMalformed, TypeOf(nal))
	}
	return nil
}

func (k *ParamKeeper) addPPS(nal []byte) error {
	if len(nal) > maxParameterSet {
		return fmt.Errorf("%w: parameter set of %d bytes, at most %d", ErrMalformed, len(nal), maxParameterSet)
	}
	r := nalu.NewReader(nalu.Unescape(nal[1:]), ErrMalformed)
	id := r.UEMax(255, "pic_parameter_set_id")
	if r.Err != nil {
		return r.Err
	}
	if bytes.Equal(nal, k.pps[id]) {
		return nil
	}
	if k.pps == nil {
		k.pps = make(map[uint32][]byte)
	}
	if len(k.pps) >= maxPPS {
		return fmt.Errorf("%w: more than %d picture parameter sets", ErrUnsupported, maxPPS)
	}
	k.pps[id], k.changed = bytes.Clone(nal), true
	return nil
}

// TakeOut keeps the parameter sets of a coded picture and returns the rest, nil when
// there is none; both are NAL units behind lengths (ISO/IEC 14496-15, 5.3). Broken
// sets are left out.
func (k *ParamKeeper) TakeOut(data []byte) (picture []byte) {
	for nal := range nalu.Units(data) {
		switch TypeOf(nal) {
		case NALSPS, NALPPS:
			_ = k.Add(nal) // the sets before it stay in force
		default:
			picture = nalu.Append(picture, nal)
		}
	}
	return picture
}

// Current returns the configuration in force, or nil as long as a sequence or
// a picture parameter set is missing. The same pointer is returned until
// something changes.
func (k *ParamKeeper) Current() *media.VideoConfig {
	if !k.changed {
		return k.current
	}
	if k.sps == nil || len(k.pps) == 0 {
		return nil
	}
	ids := make([]uint32, 0, len(k.pps))
	for id := range k.pps {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	sets := [][]byte{k.sps}
	for _, id := range ids {
		sets = append(sets, k.pps[id])
	}
	sps, err := ParseSPS(k.sps)
	if err != nil {
		return nil // it was looked at when it came
	}
	k.current, k.changed = Config(sps, sets), false
	return k.current
}
