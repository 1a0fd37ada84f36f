package accessunit

import (
	"fmt"

	"webostrum/core/h264"
	"webostrum/core/h265"
	"webostrum/core/media"
)

type h264Syntax struct{ params h264.ParamKeeper }

func (x *h264Syntax) Add(set []byte) error       { return x.params.Add(set) }
func (x *h264Syntax) Config() *media.VideoConfig { return x.params.Current() }

// Look follows 7.4.1.2.3 of H.264: a delimiter, a parameter set, a message or the first
// slice begin an access unit.
func (x *h264Syntax) Look(unit []byte) (a About, err error) {
	switch kind := h264.TypeOf(unit); {
	case kind == h264.NALSPS || kind == h264.NALPPS:
		return About{Set: true, Leads: true}, nil
	case kind == h264.NALAUD:
		return About{Leads: true}, nil
	case kind == h264.NALFiller || kind == h264.NALEndOfSeq || kind == h264.NALEndStream:
		return About{}, nil
	case kind == h264.NALSEI:
		frames, ok := h264.RecoveryPoint(unit)
		return About{Keep: true, Leads: true, Key: ok && frames == 0, Refresh: ok && frames > 0}, nil
	case kind.IsVCL():
		slice, err := h264.ParseSlice(unit)
		if err != nil && (kind == h264.NALSlice || kind == h264.NALIDR) {
			return About{}, err
		}
		opens := slice.First && (kind == h264.NALSlice || kind == h264.NALIDR || kind == h264.NALPartA)
		return About{Keep: true, Picture: true, Opens: opens, Key: kind == h264.NALIDR, B: slice.Kind == h264.SliceB}, nil
	}
	return About{Keep: true}, nil
}

type h265Syntax struct{ params h265.ParamKeeper }

func (x *h265Syntax) Add(set []byte) error       { return x.params.Add(set) }
func (x *h265Syntax) Config() *media.VideoConfig { return x.params.Current() }

// Look follows 7.4.2.4.4 of H.265: a delimiter, a parameter set, a prefix message or the
// first slice segment begin an access unit.
func (x *h265Syntax) Look(unit []byte) (a About, err error) {
	kind := h265.TypeOf(unit)
	switch {
	case !h265.Base(unit):
		return About{}, nil // of another layer
	case kind.IsParameterSet():
		return About{Set: true, Leads: true}, nil
	case kind == h265.NALAUD:
		return About{Leads: true}, nil
	case kind == h265.NALFiller || kind == h265.NALEndOfSeq || kind == h265.NALEndStream:
		return About{}, nil
	case kind == h265.NALPrefixSEI:
		pictures, ok := h265.RecoveryPoint(unit)
		return About{Keep: true, Leads: true, Key: ok && pictures == 0, Refresh: ok && pictures > 0}, nil
	case kind.IsVCL():
		if len(unit) <= h265.HeadSize {
			return About{}, fmt.Errorf("accessunit: slice of %d bytes", len(unit))
		}
		return About{Keep: true, Picture: true, Opens: h265.FirstOfPicture(unit), Key: kind.IsIRAP(), Skip: kind.IsRASL()}, nil
	}
	return About{Keep: kind == h265.NALSuffixSEI}, nil
}
