package h264

import (
	"fmt"

	"webostrum/core/nalu"
)

const (
	maxParameterSet = 1 << 10
	maxSide         = 16384
	macroblock      = 16
)

// SPS is what repackaging needs of a sequence parameter set (7.3.2.1.1).
type SPS struct {
	Profile     uint8 // profile_idc
	Constraints uint8 // constraint_set0_flag in the highest bit
	Level       uint8 // level_idc: ten times the level's number, but for 1b
	ID          uint32
	Chroma      uint32 // chroma_format_idc: 0 is monochrome, 1 is 4:2:0
	BitDepth    int    // of luma samples
	Width       int    // after cropping, pixels
	Height      int
	Interlaced  bool // frame_mbs_only_flag is 0: fields may occur
	POCType     uint32
	RefFrames   uint32

	// FrameRate is what the VUI promises, frames a second; 0 when it does not.
	FrameRate float64
	nalu.Signal

	// Reorder is max_num_reorder_frames, or -1 when the stream does not say.
	Reorder int

	frameNumBits         int
	separateColourPlanes bool
}

// ParseSPS reads a sequence parameter set NAL unit, header byte included.
// Errors wrap ErrMalformed or ErrUnsupported.
func ParseSPS(nal []byte) (*SPS, error) {
	if TypeOf(nal) != NALSPS {
		return nil, fmt.Errorf("%w: NAL unit type %d, want %d", ErrMalformed, TypeOf(nal), NALSPS)
	}
	if len(nal) > maxParameterSet {
		return nil, fmt.Errorf("%w: parameter set of %d bytes, at most %d", ErrMalformed, len(nal), maxParameterSet)
	}
	r := nalu.NewReader(nalu.Unescape(nal[1:]), ErrMalformed)
	s := &SPS{Reorder: -1, Chroma: 1, BitDepth: 8, Signal: nalu.Signal{Matrix: nalu.MatrixUnspecified}}
	s.Profile = uint8(r.U(8))
	s.Constraints = uint8(r.U(8))
	s.Level = uint8(r.U(8))
	s.ID = r.UEMax(31, "seq_parameter_set_id")
	if s.hasChromaFields() {
		s.readChroma(r)
	}
	s.frameNumBits = int(r.UEMax(12, "log2_max_frame_num_minus4")) + 4
	s.readPOC(r)
	s.RefFrames = r.UEMax(16, "max_num_ref_frames")
	r.Flag() // gaps_in_frame_num_value_allowed_flag
	s.readSize(r)
	if r.Flag() { // vui_parameters_present_flag
		s.readVUI(r)
	}
	if r.Err != nil {
		return nil, r.Err
	}
	s.settleReorder()
	return s, nil
}

func (s *SPS) hasChromaFields() bool {
	switch s.Profile {
	case 100, 110, 122, 244, 44, 83, 86, 118, 128, 138, 139, 134, 135:
		return true
	}
	return false
}

func (s *SPS) readChroma(r *nalu.Reader) {
	s.Chroma = r.UEMax(3, "chroma_format_idc")
	if s.Chroma == 3 {
		s.separateColourPlanes = r.Flag()
	}
	s.BitDepth = int(r.UEMax(6, "bit_depth_luma_minus8")) + 8
	r.UEMax(6, "bit_depth_chroma_minus8")
	r.Flag()      // qpprime_y_zero_transform_bypass_flag
	if r.Flag() { // seq_scaling_matrix_present_flag
		lists := 8
		if s.Chroma == 3 {
			lists = 12
		}
		for i := range lists {
			if r.Flag() {
				size := 16
				if i >= 6 {
					size = 64
				}
				skipScalingList(r, size)
			}
		}
	}
}

// skipScalingList follows 7.3.2.1.1.1.
func skipScalingList(r *nalu.Reader, size int) {
	last, next := int32(8), int32(8)
	for range size {
		if next != 0 {
			next = (last + r.SE() + 256) % 256
		}
		if next != 0 {
			last = next
		}
	}
}

func (s *SPS) readPOC(r *nalu.Reader) {
	s.POCType = r.UEMax(2, "pic_order_cnt_type")
	switch s.POCType {
	case 0:
		r.UEMax(12, "log2_max_pic_order_cnt_lsb_minus4")
	case 1:
		r.Flag() // delta_pic_order_always_zero_flag
		r.SE()
		r.SE()
		for range r.UEMax(255, "num_ref_frames_in_pic_order_cnt_cycle") {
			r.SE()
		}
	}
}

func (s *SPS) readSize(r *nalu.Reader) {
	const maxBlocks = maxSide/macroblock - 1
	wide := int(r.UEMax(maxBlocks, "pic_width_in_mbs_minus1")) + 1
	high := int(r.UEMax(maxBlocks, "pic_height_in_map_units_minus1")) + 1
	fields := 1
	if !r.Flag() { // frame_mbs_only_flag
		s.Interlaced = true
		fields = 2
		r.Flag() // mb_adaptive_frame_field_flag
	}
	r.Flag() // direct_8x8_inference_flag
	s.Width, s.Height = wide*macroblock, high*macroblock*fields
	if r.Flag() { // frame_cropping_flag
		s.crop(r, fields)
	}
}

// crop follows equations 7-19 to 7-22.
func (s *SPS) crop(r *nalu.Reader, fields int) {
	unitX, unitY := 1, fields
	if !s.separateColourPlanes && (s.Chroma == 1 || s.Chroma == 2) {
		unitX = 2
		if s.Chroma == 1 {
			unitY *= 2
		}
	}
	left, right := int(r.UEMax(maxSide, "crop left")), int(r.UEMax(maxSide, "crop right"))
	top, bottom := int(r.UEMax(maxSide, "crop top")), int(r.UEMax(maxSide, "crop bottom"))
	s.Width -= (left + right) * unitX
	s.Height -= (top + bottom) * unitY
	if s.Width <= 0 || s.Height <= 0 {
		r.Fail(fmt.Sprintf("cropping leaves %dx%d", s.Width, s.Height))
	}
}

// readVUI follows E.1.1.
func (s *SPS) readVUI(r *nalu.Reader) {
	s.Signal.ReadVUI(r)
	if r.Flag() { // timing_info_present_flag
		units, scale := r.U(32), r.U(32)
		r.Flag()
		if units > 0 {
			s.FrameRate = float64(scale) / float64(units) / 2
		}
	}
	nal := r.Flag()
	if nal {
		skipHRD(r)
	}
	vcl := r.Flag()
	if vcl {
		skipHRD(r)
	}
	if nal || vcl {
		r.Flag() // low_delay_hrd_flag
	}
	r.Flag()      // pic_struct_present_flag
	if r.Flag() { // bitstream_restriction_flag
		r.Flag()
		r.UE()
		r.UE()
		r.UE()
		r.UE()
		s.Reorder = int(r.UEMax(16, "max_num_reorder_frames"))
		r.UE()
	}
	if r.Err != nil && s.Width > 0 {
		// Some camera firmware cuts the VUI short or writes it wrongly. Everything
		// that decides the size stands before it, so the set is still usable.
		r.Err = nil
		s.Reorder = -1
		s.FrameRate = 0
	}
}

// skipHRD follows E.1.2.
func skipHRD(r *nalu.Reader) {
	count := r.UEMax(31, "cpb_cnt_minus1") + 1
	r.U(8)
	for range count {
		r.UE()
		r.UE()
		r.Flag()
	}
	r.U(20)
}

// settleReorder fills in what follows from profile and picture order count
// type when the VUI says nothing: baseline has no B slices (A.2.1), and type 2
// means that output order is decoding order (8.2.1.3).
func (s *SPS) settleReorder() {
	if s.Reorder < 0 && (s.Profile == 66 || s.POCType == 2) {
		s.Reorder = 0
	}
}

// CodecString is the RFC 6381 parameter, such as "avc1.42E01E".
func (s *SPS) CodecString() string {
	return fmt.Sprintf("avc1.%02X%02X%02X", s.Profile, s.Constraints, s.Level)
}

// ProfileName is the profile in words (annex A).
func (s *SPS) ProfileName() string {
	switch s.Profile {
	case 66:
		if s.Constraints&0x40 != 0 {
			return "Constrained Baseline"
		}
		return "Baseline"
	case 77:
		return "Main"
	case 88:
		return "Extended"
	case 100:
		return "High"
	case 110:
		return "High 10"
	case 122:
		return "High 4:2:2"
	case 244:
		return "High 4:4:4 Predictive"
	}
	return fmt.Sprintf("profile %d", s.Profile)
}

// LevelName is the level in words, such as "3.1" (A.3).
func (s *SPS) LevelName() string {
	const constraintSet3 = 0x10
	if s.Level == 11 && s.Constraints&constraintSet3 != 0 && s.Profile <= 88 {
		return "1b"
	}
	return fmt.Sprintf("%d.%d", s.Level/10, s.Level%10)
}
