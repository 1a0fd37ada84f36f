package flv

import "webostrum/core/media"

// AppendVideo appends the body of a video message: H.264 as the first format writes it, H.265
// with an extended header.
func AppendVideo(dst []byte, v Video) []byte {
	const interFrame = 2
	frame := byte(interFrame)
	if v.Key || v.Kind == KindConfig {
		frame = keyFrame
	}
	delay := []byte{byte(v.Delay >> 16), byte(v.Delay >> 8), byte(v.Delay)}
	if v.Codec == media.H264 {
		kind := byte(avcUnits)
		if v.Kind == KindConfig {
			kind = avcConfig
		}
		dst = append(append(dst, frame<<4|codecH264, kind), delay...)
		return append(dst, v.Data...)
	}
	kind := byte(exFrames)
	if v.Kind == KindConfig {
		kind = exSequenceStart
	}
	dst = append(append(dst, extended|frame<<4|kind), "hvc1"...)
	if v.Kind == KindFrames {
		dst = append(dst, delay...)
	}
	return append(dst, v.Data...)
}

// AppendAAC appends the body of an audio message: an AudioSpecificConfig, or an access unit.
func AppendAAC(dst []byte, kind Kind, data []byte) []byte {
	const stereo16at44 = 0x0f // what AAC always says; its configuration tells the truth (E.4.2.1)
	packet := byte(avcUnits)
	if kind == KindConfig {
		packet = avcConfig
	}
	return append(append(dst, soundAAC<<4|stereo16at44, packet), data...)
}
