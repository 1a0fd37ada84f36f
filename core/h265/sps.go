package h265

import (
	"fmt"

	"webostrum/core/nalu"
)

const (
	maxParameterSet = 4 << 10
	maxSide         = 16384
	maxSubLayers    = 7
)

// SPS is what repackaging needs of a sequence parameter set (7.3.2.2.1).
type SPS struct {
	ProfileTierLevel
	ID             uint32
	Chroma         uint32 // chroma_format_idc: 0 is monochrome, 1 is 4:2:0
	BitDepth       int    // of luma samples
	ChromaDepth    int
	Width          int // inside the conformance window, pixels
	Height         int
	SubLayers      int // temporal
	TemporalNested bool

	// FrameRate is what the VUI promises, frames a second; 0 when it does not.
	FrameRate float64
	nalu.Signal
	Interlaced bool // field_seq_flag: each picture is a field

	// Reorder is sps_max_num_reorder_pics of the highest sub-layer.
	Reorder int

	separateColourPlanes bool
}

// ProfileTierLevel says what a decoder needs (7.3.3).
type ProfileTierLevel struct {
	Space         uint8 // general_profile_space
	High          bool  // general_tier_flag
	Profile       uint8 // general_profile_idc
	Compatibility uint32
	Constraints   [6]byte // the 48 bits behind them
	Level         uint8   // general_level_idc: thirty times the level's number
}

// ParseSPS reads a sequence parameter set NAL unit, header included. Errors wrap
// ErrMalformed or ErrUnsupported.
func ParseSPS(unit []byte) (*SPS, error) {
	if TypeOf(unit) != NALSPS || !Base(unit) {
		return nil, fmt.Errorf("%w: NAL unit type %d, want %d of the base layer", ErrMalformed, TypeOf(unit), NALSPS)
	}
	if len(unit) > maxParameterSet {
		return nil, fmt.Errorf("%w: parameter set of %d bytes, at most %d", ErrMalformed, len(unit), maxParameterSet)
	}
	r := nalu.NewReader(nalu.Unescape(unit[HeadSize:]), ErrMalformed)
	s := &SPS{Signal: nalu.Signal{Matrix: nalu.MatrixUnspecified}}
	r.U(4) // sps_video_parameter_set_id
	layers := int(r.U(3))
	if layers >= maxSubLayers {
		r.Fail("more than seven temporal sub-layers")
	}
	s.SubLayers, s.TemporalNested = layers+1, r.Flag()
	s.ProfileTierLevel = readProfileTierLevel(r, layers)
	s.ID = r.UEMax(15, "sps_seq_parameter_set_id")
	s.readSize(r)
	poc := s.readDepths(r)
	s.readOrder(r, layers)
	if r.Err != nil {
		return nil, r.Err
	}
	rest := *s
	rest.readRest(r, poc)
	if r.Err == nil {
		return &rest, nil
	}
	// Some camera firmware cuts the end short or writes it wrongly. Everything that decides
	// how a decoder is set up stands before it, so the set is still usable.
	return s, nil
}

// readProfileTierLevel follows 7.3.3, with profilePresentFlag 1.
func readProfileTierLevel(r *nalu.Reader, subLayersMinus1 int) (p ProfileTierLevel) {
	p.Space, p.High, p.Profile = uint8(r.U(2)), r.Flag(), uint8(r.U(5))
	p.Compatibility = r.U(32)
	for i := range p.Constraints {
		p.Constraints[i] = uint8(r.U(8))
	}
	p.Level = uint8(r.U(8))
	if subLayersMinus1 == 0 {
		return p
	}
	var profile, level [maxSubLayers + 1]bool
	for i := range subLayersMinus1 {
		profile[i], level[i] = r.Flag(), r.Flag()
	}
	for i := subLayersMinus1; i < 8; i++ {
		r.U(2) // reserved_zero_2bits
	}
	for i := range subLayersMinus1 {
		if profile[i] {
			r.U(32)
			r.U(32)
			r.U(24)
		}
		if level[i] {
			r.U(8)
		}
	}
	return p
}

// readSize follows the part from chroma_format_idc to the conformance window.
func (s *SPS) readSize(r *nalu.Reader) {
	s.Chroma = r.UEMax(3, "chroma_format_idc")
	if s.Chroma == 3 {
		s.separateColourPlanes = r.Flag()
	}
	s.Width = int(r.UEMax(maxSide, "pic_width_in_luma_samples"))
	s.Height = int(r.UEMax(maxSide, "pic_height_in_luma_samples"))
	if r.Flag() { // conformance_window_flag
		x, y := s.chromaUnits()
		left, right := int(r.UEMax(maxSide, "conf_win_left_offset")), int(r.UEMax(maxSide, "conf_win_right_offset"))
		top, bottom := int(r.UEMax(maxSide, "conf_win_top_offset")), int(r.UEMax(maxSide, "conf_win_bottom_offset"))
		s.Width -= (left + right) * x
		s.Height -= (top + bottom) * y
	}
	if r.Err == nil && (s.Width <= 0 || s.Height <= 0) {
		r.Fail(fmt.Sprintf("a picture of %dx%d", s.Width, s.Height))
	}
}

// chromaUnits are SubWidthC and SubHeightC (table 6-1).
func (s *SPS) chromaUnits() (x, y int) {
	switch {
	case s.separateColourPlanes:
		return 1, 1
	case s.Chroma == 1:
		return 2, 2
	case s.Chroma == 2:
		return 2, 1
	}
	return 1, 1
}

// readDepths returns the bits of a picture order count.
func (s *SPS) readDepths(r *nalu.Reader) (poc int) {
	s.BitDepth = int(r.UEMax(8, "bit_depth_luma_minus8")) + 8
	s.ChromaDepth = int(r.UEMax(8, "bit_depth_chroma_minus8")) + 8
	return int(r.UEMax(12, "log2_max_pic_order_cnt_lsb_minus4")) + 4
}

// readOrder reads how far pictures are reordered, sub-layer by sub-layer.
func (s *SPS) readOrder(r *nalu.Reader, subLayersMinus1 int) {
	first := 0
	if !r.Flag() { // sps_sub_layer_ordering_info_present_flag
		first = subLayersMinus1
	}
	for range subLayersMinus1 - first + 1 {
		r.UEMax(16, "sps_max_dec_pic_buffering_minus1")
		s.Reorder = int(r.UEMax(16, "sps_max_num_reorder_pics"))
		r.UE() // sps_max_latency_increase_plus1
	}
}

// readRest follows from the coding block sizes to the end of the VUI that is of use.
func (s *SPS) readRest(r *nalu.Reader, poc int) {
	for range 6 {
		r.UE() // sizes of coding and transform blocks
	}
	if r.Flag() { // scaling_list_enabled_flag
		if r.Flag() { // sps_scaling_list_data_present_flag
			skipScalingLists(r)
		}
	}
	r.Flag()      // amp_enabled_flag
	r.Flag()      // sample_adaptive_offset_enabled_flag
	if r.Flag() { // pcm_enabled_flag
		r.U(8)
		r.UE()
		r.UE()
		r.Flag()
	}
	skipReferenceSets(r)
	if r.Flag() { // long_term_ref_pics_present_flag
		for range r.UEMax(32, "num_long_term_ref_pics_sps") {
			r.U(poc)
			r.Flag()
		}
	}
	r.U(2)        // sps_temporal_mvp_enabled_flag, strong_intra_smoothing_enabled_flag
	if r.Flag() { // vui_parameters_present_flag
		s.readVUI(r)
	}
}

// skipScalingLists follows 7.3.4.
func skipScalingLists(r *nalu.Reader) {
	for size := range 4 {
		step := 1
		if size == 3 {
			step = 3
		}
		for matrix := 0; matrix < 6 && r.Err == nil; matrix += step {
			if !r.Flag() { // scaling_list_pred_mode_flag
				r.UE()
				continue
			}
			if size > 1 {
				r.SE() // scaling_list_dc_coef_minus8
			}
			for range min(64, 1<<(4+size<<1)) {
				r.SE()
			}
		}
	}
}

// skipReferenceSets follows 7.3.7 for all sets of the SPS.
func skipReferenceSets(r *nalu.Reader) {
	const maxPictures = 16
	pictures := 0 // of the set before
	for i := range r.UEMax(64, "num_short_term_ref_pic_sets") {
		if r.Err != nil {
			return
		}
		if i > 0 && r.Flag() { // inter_ref_pic_set_prediction_flag
			r.Flag() // delta_rps_sign
			r.UE()   // abs_delta_rps_minus1
			kept := 0
			for range pictures + 1 {
				used := r.Flag()      // used_by_curr_pic_flag
				if used || r.Flag() { // use_delta_flag
					kept++
				}
			}
			pictures = kept
			continue
		}
		pictures = int(r.UEMax(maxPictures, "num_negative_pics") + r.UEMax(maxPictures, "num_positive_pics"))
		for range pictures {
			r.UE()
			r.Flag()
		}
	}
}

// readVUI follows E.2.1 up to the timing.
func (s *SPS) readVUI(r *nalu.Reader) {
	s.Signal.ReadVUI(r)
	r.Flag() // neutral_chroma_indication_flag
	s.Interlaced = r.Flag()
	r.Flag()      // frame_field_info_present_flag
	if r.Flag() { // default_display_window_flag
		for range 4 {
			r.UE()
		}
	}
	if r.Flag() { // vui_timing_info_present_flag
		units, scale := r.U(32), r.U(32)
		if units > 0 && r.Err == nil {
			s.FrameRate = float64(scale) / float64(units)
		}
	}
}
