package pipe

import (
	"encoding/binary"
	"fmt"
	"io"

	"webostrum/core/aac"
	"webostrum/core/fault"
	"webostrum/core/fmp4"
	"webostrum/core/h264"
	"webostrum/core/h265"
	"webostrum/core/media"
	"webostrum/core/timeline"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

const (
	maxBox  = 16 << 20
	boxHead = 8
)

// mp4 is fragmented MP4: an initialisation section, then fragments.
type mp4 struct {
	*session
	movie  *fmp4.Movie
	video  *fmp4.TrackInfo
	audio  *fmp4.TrackInfo
	length int   // size of the lengths before NAL units
	ticks  int64 // that a unit of audio lasts
	moof   []byte
}

func playMP4(r io.Reader, cfg source.Config, from From) (uint64, error) {
	m := &mp4{session: newSession(cfg, from)}
	for {
		kind, body, err := readBox(r)
		if err == nil {
			m.locked(func() { err = m.box(kind, body) })
		}
		if err != nil {
			return m.next(), push.Fault(ended(err))
		}
	}
}

// readBox reads one box; memory grows with what comes.
func readBox(r io.Reader) (kind string, body []byte, err error) {
	var head [boxHead]byte
	if _, err := io.ReadFull(r, head[:]); err != nil {
		return "", nil, err
	}
	kind = string(head[4:])
	size := int64(binary.BigEndian.Uint32(head[:]))
	if size < boxHead || size > maxBox {
		return kind, nil, fault.New(fault.PublisherGarbled, nil, "a box %q of %d bytes, at most %d", kind, size, maxBox)
	}
	body, err = io.ReadAll(io.LimitReader(r, size-boxHead))
	if err == nil && int64(len(body)) < size-boxHead {
		err = io.ErrUnexpectedEOF
	}
	return kind, body, err
}

func (m *mp4) box(kind string, body []byte) error {
	switch kind {
	case "moov":
		return m.begin(body)
	case "moof":
		m.moof = body
	case "mdat":
		if m.movie == nil || m.moof == nil {
			return fault.New(fault.PublisherGarbled, nil, "media comes before the initialisation section; a file that is not fragmented cannot be read as it comes")
		}
		behind := append(binary.BigEndian.AppendUint32(make([]byte, 0, boxHead+len(body)), uint32(boxHead+len(body))), "mdat"...)
		samples, err := m.movie.Fragment(m.moof, append(behind, body...))
		m.moof = nil
		if err != nil {
			return fault.New(fault.PublisherGarbled, err, "%v", err)
		}
		m.samples(samples)
	}
	return nil
}

// begin takes an initialisation section.
func (m *mp4) begin(moov []byte) error {
	movie, err := fmp4.ParseInit(moov)
	if err != nil {
		return fault.New(fault.PublisherGarbled, err, "%v", err)
	}
	m.movie, m.video, m.audio = movie, nil, nil
	other := ""
	for _, t := range movie.Tracks {
		switch {
		case t.Kind == "vide" && m.video == nil && m.setVideo(t) == nil:
			m.video = t
		case t.Kind == "vide":
			other = t.Entry
		case t.Kind == "soun" && m.audio == nil:
			m.setAudio(t)
		}
	}
	switch {
	case m.video != nil:
		return nil
	case other != "":
		return fault.New(fault.PublisherCodec, nil, "it sends %q", other)
	}
	return fault.New(fault.PublisherNoVideo, nil, "")
}

func (m *mp4) setVideo(t *fmp4.TrackInfo) error {
	var codec media.Codec
	parse := h264.ParseRecord
	switch t.Entry {
	case "avc1", "avc3":
		codec = media.H264
	case "hvc1", "hev1":
		codec, parse = media.H265, h265.ParseRecord
	default:
		return fmt.Errorf("sample entry %q", t.Entry)
	}
	sets, length, err := parse(t.Config)
	if err != nil {
		return err
	}
	m.length = length
	return m.receiver.SetVideo(codec, sets)
}

func (m *mp4) setAudio(t *fmp4.TrackInfo) {
	if t.Entry != "mp4a" {
		return
	}
	if track, ticks, err := aac.Track(t.Config); err == nil {
		m.audio, m.ticks = t, ticks
		m.receiver.SetAudio(track)
	}
}

// samples takes a fragment's, in the order of their decode times as they stand.
func (m *mp4) samples(list []fmp4.FragmentSample) {
	at := now()
	for _, s := range list {
		stamp := uint64((s.DTS + s.Delay) * clockRate / int64(s.Track.Timescale))
		switch s.Track {
		case m.video:
			m.frames++
			m.receiver.Picture(s.Data, m.length, stamp, at)
		case m.audio:
			m.receiver.AudioUnits([]timeline.AudioUnit{{Data: append([]byte(nil), s.Data...), Ticks: m.ticks}}, stamp, at)
		}
	}
}
