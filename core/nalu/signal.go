package nalu

// Signal is what both codecs' VUI says of colours (ITU-T H.264 and H.265, E.2.1).
type Signal struct {
	FullRange bool
	Matrix    uint8 // matrix_coefficients; MatrixUnspecified when the VUI does not say
}

// MatrixUnspecified is the matrix of a stream that does not say.
const MatrixUnspecified = 2

// ReadVUI reads the beginning of a VUI, which is the same in both codecs: from the aspect
// ratio to where chroma samples lie.
func (s *Signal) ReadVUI(r *Reader) {
	const extendedSAR = 255                // aspect_ratio_idc, table E.1
	if r.Flag() && r.U(8) == extendedSAR { // aspect_ratio_info_present_flag
		r.U(32)
	}
	if r.Flag() { // overscan_info_present_flag
		r.Flag()
	}
	if r.Flag() { // video_signal_type_present_flag
		r.U(3)
		s.FullRange = r.Flag()
		if r.Flag() { // colour_description_present_flag
			r.U(16)
			s.Matrix = uint8(r.U(8))
		}
	}
	if r.Flag() { // chroma_loc_info_present_flag
		r.UE()
		r.UE()
	}
}

// BT601 says whether the colours of pictures so many lines high follow BT.601 and not
// BT.709: as the VUI has it, and else by the height, as televisions do.
func (s Signal) BT601(height int) bool {
	const bt709, bt470, smpte170, tallestSD = 1, 5, 6, 576
	switch s.Matrix {
	case bt709:
		return false
	case bt470, smpte170:
		return true
	}
	return height <= tallestSD
}
