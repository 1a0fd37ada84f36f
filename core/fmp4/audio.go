package fmp4

import (
	"webostrum/core/aac"
	"webostrum/core/media"
)

// audioEntry writes MP4AudioSampleEntry (ISO/IEC 14496-14, 5.6) around an
// AudioSampleEntry (14496-12, 12.2.3.2).
func (w *writer) audioEntry(t *media.Track) error {
	c, err := aac.ParseConfig(t.AAC)
	if err != nil {
		return err
	}
	const sampleBits, most16 = 16, 0xffff
	w.box("mp4a", func() {
		w.zeros(6)
		w.u16(1) // data_reference_index
		w.zeros(8)
		w.u16(uint16(c.Channels))
		w.u16(sampleBits)
		w.zeros(4)
		rate := uint32(c.SampleRate)
		if rate > most16 {
			rate = 0 // does not fit; the configuration tells
		}
		w.u32(rate << 16)
		w.full("esds", 0, 0, func() { w.elementaryStream(t.AAC) })
	})
	return nil
}

// Tags and numbers of ISO/IEC 14496-1, 7.2.6.
const (
	tagES             = 0x03
	tagDecoderConfig  = 0x04
	tagDecoderInfo    = 0x05
	tagSyncLayer      = 0x06
	objectMPEG4Audio  = 0x40
	streamAudio       = 5<<2 | 1
	syncLayerInMP4    = 2
	decoderConfigHead = 13
	esHead            = 3
	descriptorHead    = 2
)

// elementaryStream writes ES_Descriptor. Sizes are below 128: one byte each.
func (w *writer) elementaryStream(config []byte) {
	info := len(config)
	decoder := decoderConfigHead + descriptorHead + info
	const syncLayer = 1
	w.bytes(tagES, byte(esHead+descriptorHead+decoder+descriptorHead+syncLayer))
	w.zeros(esHead) // ES_ID, flags
	w.bytes(tagDecoderConfig, byte(decoder), objectMPEG4Audio, streamAudio)
	w.zeros(3) // bufferSizeDB
	w.zeros(8) // maxBitrate, avgBitrate: not known
	w.bytes(tagDecoderInfo, byte(info))
	w.bytes(config...)
	w.bytes(tagSyncLayer, syncLayer, syncLayerInMP4)
}
