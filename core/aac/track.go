package aac

import "webostrum/core/media"

// Track describes a stream with an AudioSpecificConfig, and tells how many ticks of the
// track's clock an access unit lasts.
func Track(config []byte) (t *media.Track, ticks int64, err error) {
	c, err := ParseConfig(config)
	if err != nil {
		return nil, 0, err
	}
	t = &media.Track{ID: 2, Kind: media.KindAudio, Codec: media.AAC, ClockRate: uint32(c.OutputRate), Channels: c.Channels, AAC: append([]byte(nil), config...)}
	return t, int64(c.FrameLength) * int64(c.OutputRate) / int64(c.SampleRate), nil
}
