package inspect

import (
	"webostrum/core/media"
	"webostrum/core/nalu"
)

const mostSaved = 16 << 20 // bytes

// saved keeps an elementary stream: NAL units behind start codes (annex B of H.264 and
// H.265), or JPEG after JPEG. A nil one keeps nothing.
type saved struct {
	data []byte
	full bool
}

func saving(wanted bool) *saved {
	if !wanted {
		return nil
	}
	return &saved{}
}

// frame takes the next frame, as long as there is room.
func (k *saved) frame(s *media.Sample) {
	if k == nil || k.full || len(k.data) == 0 && !s.Key {
		return
	}
	if k.full = len(k.data)+len(s.Data) > mostSaved; k.full {
		return
	}
	if s.Track.Codec.Intra() {
		k.data = append(k.data, s.Data...)
		return
	}
	if s.Key {
		for _, set := range s.Track.Video.Sets {
			k.data = nalu.AppendStart(k.data, set)
		}
	}
	for unit := range nalu.Units(s.Data) {
		k.data = nalu.AppendStart(k.data, unit)
	}
}

func (k *saved) bytes() []byte {
	if k == nil {
		return nil
	}
	return k.data
}
