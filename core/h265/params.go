package h265

import (
	"bytes"
	"fmt"
	"maps"
	"slices"

	"webostrum/core/media"
	"webostrum/core/nalu"
)

// Parameter sets that are kept. The standard allows 16 and 64; cameras use one to four.
const (
	maxVPS = 16
	maxPPS = 32
)

// ParamKeeper gathers parameter sets as they come along, in the session description or in
// the stream, and hands out the configuration in force.
type ParamKeeper struct {
	vps map[uint32][]byte
	sps []byte
	pps map[uint32][]byte

	// changed is set when something arrived that current does not hold yet.
	changed bool
	current *media.VideoConfig
}

// Add takes a parameter set NAL unit; it copies the bytes. A broken set is refused with an
// error that wraps ErrMalformed and changes nothing.
func (k *ParamKeeper) Add(unit []byte) error {
	switch kind := TypeOf(unit); {
	case !kind.IsParameterSet() || !Base(unit):
		return fmt.Errorf("%w: NAL unit type %d is no parameter set", ErrMalformed, kind)
	case len(unit) > maxParameterSet:
		return fmt.Errorf("%w: parameter set of %d bytes, at most %d", ErrMalformed, len(unit), maxParameterSet)
	case kind == NALVPS:
		return k.put(&k.vps, unit, maxVPS, func(r *nalu.Reader) uint32 { return r.U(4) })
	case kind == NALPPS:
		return k.put(&k.pps, unit, maxPPS, func(r *nalu.Reader) uint32 { return r.UEMax(63, "pps_pic_parameter_set_id") })
	}
	if bytes.Equal(unit, k.sps) {
		return nil
	}
	if _, err := ParseSPS(unit); err != nil {
		return err
	}
	k.sps, k.changed = bytes.Clone(unit), true
	return nil
}

// put keeps a set under the number that stands first in it.
func (k *ParamKeeper) put(sets *map[uint32][]byte, unit []byte, most int, number func(*nalu.Reader) uint32) error {
	r := nalu.NewReader(nalu.Unescape(unit[HeadSize:]), ErrMalformed)
	id := number(r)
	if r.Err != nil {
		return r.Err
	}
	if bytes.Equal(unit, (*sets)[id]) {
		return nil
	}
	if *sets == nil {
		*sets = make(map[uint32][]byte)
	}
	if len(*sets) >= most && (*sets)[id] == nil {
		return fmt.Errorf("%w: more than %d parameter sets of type %d", ErrUnsupported, most, TypeOf(unit))
	}
	(*sets)[id], k.changed = bytes.Clone(unit), true
	return nil
}

// Current returns the configuration in force, or nil as long as a sequence or a picture
// parameter set is missing. The same pointer is returned until something changes.
func (k *ParamKeeper) Current() *media.VideoConfig {
	if !k.changed {
		return k.current
	}
	if k.sps == nil || len(k.pps) == 0 {
		return nil
	}
	sps, err := ParseSPS(k.sps)
	if err != nil {
		return nil // it was looked at when it came
	}
	k.current, k.changed = Config(sps, values(k.vps), k.sps, values(k.pps)), false
	return k.current
}

// values are sets by their numbers.
func values(sets map[uint32][]byte) (list [][]byte) {
	for _, id := range slices.Sorted(maps.Keys(sets)) {
		list = append(list, sets[id])
	}
	return list
}
