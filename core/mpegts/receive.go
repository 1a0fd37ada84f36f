package mpegts

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"webostrum/core/aac"
	"webostrum/core/program"
)

// What keeps a stream from being used, as Receiver.Trouble wraps it.
var (
	ErrNoPackets = errors.New("mpegts: no transport stream packets")
	ErrNoTables  = errors.New("mpegts: no program tables")
	ErrProgram   = errors.New("mpegts: no such program")
	ErrNoVideo   = errors.New("mpegts: no video")
	ErrCodec     = errors.New("mpegts: codec not handled")
	ErrScrambled = errors.New("mpegts: scrambled")
)

// Stats is what a receiver has counted since it was made.
type Stats struct {
	Packets   uint64
	Lost      uint64 // by continuity counters, of the streams that are used
	Damaged   uint64 // marked so by whoever received them before
	Resyncs   uint64 // times that packets had to be found again
	Skipped   uint64 // bytes that belong to no packet
	Tables    uint64 // times that the program's map changed
	Scrambled uint64
	Clocks    uint64 // times that the program's clock was set anew, by the stream's own word
}

// Receiver takes a transport stream apart and makes samples of one program's video and audio.
// It is not safe for concurrent use.
type Receiver struct {
	*program.Receiver
	framer  Framer
	wanted  uint16 // program; 0 for the first with video
	now     time.Time
	pat     sections
	maps    map[uint16]*programMap // by PID
	number  uint16                 // of the program that is used; 0 before it is known
	pcrPID  uint16
	streams []Stream
	used    map[uint16]*stream
	video   *stream
	codec   error // why the program's video is not handled
	left    error // why its audio is left out
	stats   Stats
}

// programMap is a program's map in the making.
type programMap struct {
	sections
	number  uint16
	version int // -1 before the first
}

// stream is one that is used.
type stream struct {
	Stream
	counter byte
	begun   bool
	video   *video
	audio   *audio
}

// NewReceiver makes a receiver of a program, by its number; 0 takes the first with video that
// can be used. cfg's Rate and Bits are set here.
func NewReceiver(cfg program.Config, number uint16) *Receiver {
	const bits = 33
	cfg.Rate, cfg.Bits = clock, bits
	r := &Receiver{Receiver: program.New(cfg), wanted: number, maps: make(map[uint16]*programMap), used: make(map[uint16]*stream)}
	r.framer.Packet = r.packet
	return r
}

// Write takes the next bytes, in pieces of any size, and their time of arrival.
func (r *Receiver) Write(data []byte, now time.Time) {
	r.now = now
	r.framer.Write(data)
}

// Stats returns the counters.
func (r *Receiver) Stats() Stats {
	s := r.stats
	s.Resyncs, s.Skipped = r.framer.resyncs, r.framer.skipped
	return s
}

// Trouble says why nothing can be made of the stream so far; nil when all is well. What may
// still come is no trouble for those who wait.
func (r *Receiver) Trouble() error {
	switch {
	case r.stats.Packets == 0:
		return ErrNoPackets
	case r.number == 0 && len(r.maps) > 0 && r.wanted > 0:
		return fmt.Errorf("%w: %d; there is %s", ErrProgram, r.wanted, r.programs())
	case r.number == 0:
		return ErrNoTables
	case r.codec != nil:
		return r.codec
	case r.video == nil:
		return ErrNoVideo
	case r.stats.Scrambled > 0 && r.video.video.pictures == 0:
		return ErrScrambled
	}
	return nil
}

// Hopeless says that waiting does not help: the codec is not handled.
func (r *Receiver) Hopeless() error { return r.codec }

// LeftOut says why the program's audio is left out; nil when it is not, or there is none.
func (r *Receiver) LeftOut() error { return r.left }

// About is one elementary stream as the program's map tells of it.
type About struct {
	Kind, Codec string // "video" or "audio", and how people call the codec
	Used        bool
	Why         string // why it is not used, where there is something to say
}

// Streams lists the video and audio of the program.
func (r *Receiver) Streams() (list []About) {
	for _, s := range r.streams {
		name, ok := s.video()
		a := About{Kind: "video", Codec: name, Used: r.used[s.PID] != nil}
		if !ok {
			if name, ok = s.audio(); !ok {
				continue
			}
			a.Kind, a.Codec = "audio", name
			if !a.Used && r.left != nil {
				a.Why = r.left.Error()
			}
		}
		list = append(list, a)
	}
	return list
}

// programs lists the numbers of those that there are.
func (r *Receiver) programs() string {
	var list []string
	for _, m := range r.maps {
		list = append(list, fmt.Sprint(m.number))
	}
	if len(list) == 0 {
		return "none"
	}
	return strings.Join(list, ", ")
}

func (r *Receiver) packet(b []byte) {
	p, err := parsePacket(b)
	r.stats.Packets++
	switch {
	case err != nil || p.damaged:
		r.stats.Damaged++ // its number may be wrong, too: the gap that it leaves tells
		return
	case p.pid == pidNull:
		return
	}
	if p.discontinuity && p.pid == r.pcrPID && p.hasPCR {
		r.stats.Clocks++
		r.Break()
	}
	if s := r.used[p.pid]; s != nil {
		r.elementary(s, p)
		return
	}
	switch m := r.maps[p.pid]; {
	case p.pid == pidPAT && p.hasPayload:
		r.pat.push(p, r.associations)
	case m != nil && p.hasPayload:
		m.push(p, func(b []byte) { r.mapped(m, b) })
	}
}

// elementary takes a packet of a stream that is used.
func (r *Receiver) elementary(s *stream, p packet) {
	if !p.hasPayload {
		return
	}
	if s.begun && !p.discontinuity {
		if p.counter == s.counter {
			return // sent twice (2.4.3.3)
		}
		if gap := (p.counter - s.counter - 1) & 0x0f; gap > 0 {
			r.stats.Lost += uint64(gap)
			s.lost()
		}
	}
	s.counter, s.begun = p.counter, true
	if p.scrambled {
		r.stats.Scrambled++
		return
	}
	if s.video != nil {
		s.video.push(p, r.now)
	} else {
		s.audio.push(p, r.now)
	}
}

func (s *stream) lost() {
	if s.video != nil {
		s.video.lost = true
		return
	}
	s.audio.lost()
}

// associations takes a program association section.
func (r *Receiver) associations(b []byte) {
	if b[0] != tablePAT {
		return
	}
	if _, _, current := tableVersion(b); !current {
		return
	}
	listed := parsePAT(b)
	kept := make(map[uint16]bool)
	for number, pid := range listed {
		kept[pid] = true
		if m := r.maps[pid]; m == nil || m.number != number {
			r.maps[pid] = &programMap{number: number, version: -1}
		}
	}
	for pid, m := range r.maps {
		if !kept[pid] {
			delete(r.maps, pid)
			if m.number == r.number {
				r.use(0, 0, nil) // it is gone; another may be taken
			}
		}
	}
}

// mapped takes a program map section.
func (r *Receiver) mapped(m *programMap, b []byte) {
	if b[0] != tablePMT {
		return
	}
	number, version, current := tableVersion(b)
	if !current || number != m.number || int(version) == m.version {
		return
	}
	pcr, streams, err := parsePMT(b)
	if err != nil {
		return // the next may be right
	}
	again := m.version >= 0
	m.version = int(version)
	switch {
	case number == r.number:
		if again {
			r.stats.Tables++
		}
		r.use(number, pcr, streams)
	case r.wanted == number, r.wanted == 0 && (r.number == 0 || r.video == nil && usable(streams)):
		r.use(number, pcr, streams)
	}
}

// usable says whether there is video among streams that can be used.
func usable(streams []Stream) bool {
	for _, s := range streams {
		if codecOf(s) != "" {
			return true
		}
	}
	return false
}

// use takes the streams of a program: those that were used before and are still there go on.
func (r *Receiver) use(number, pcr uint16, streams []Stream) {
	before := r.used
	r.number, r.pcrPID, r.streams = number, pcr, streams
	r.used, r.video, r.codec, r.left = make(map[uint16]*stream), nil, nil, nil
	var audio *stream
	for _, s := range streams {
		if name, ok := s.video(); ok && r.video == nil {
			r.video = r.useVideo(s, name, before[s.PID])
		} else if name, ok := s.audio(); ok && audio == nil {
			audio = r.useAudio(s, name, before[s.PID])
		}
	}
	if r.video != nil {
		r.codec = nil
	}
	if audio == nil && number != 0 && len(streams) > 0 {
		r.SetAudio(nil)
	}
}

func (r *Receiver) useVideo(s Stream, name string, before *stream) *stream {
	codec := codecOf(s)
	if codec == "" {
		r.codec = fmt.Errorf("%w: %s", ErrCodec, name)
		return nil
	}
	if before != nil && before.Kind == s.Kind {
		r.used[s.PID] = before
		return before
	}
	if err := r.SetVideo(codec, nil); err != nil {
		r.codec = fmt.Errorf("%w: %s", ErrCodec, name)
		return nil
	}
	r.Break()
	made := &stream{Stream: s, video: &video{to: r.Receiver, step: usualStep, pes: pes{maxBody: maxUnit}}}
	r.used[s.PID] = made
	return made
}

const maxUnit = 8 << 20

func (r *Receiver) useAudio(s Stream, name string, before *stream) *stream {
	if s.Kind != kindADTS && s.Kind != kindLATM {
		r.left = fmt.Errorf("%s is not handled, so the audio is left out; set the encoder to AAC", name)
		return nil
	}
	if before != nil && before.Kind == s.Kind {
		r.used[s.PID] = before
		return before
	}
	a := &audio{to: r.Receiver, pes: pes{maxBody: maxAudio}}
	if s.Kind == kindLATM {
		a.latm = &aac.LATM{InBand: true}
	}
	r.left = nil
	r.ExpectAudio()
	made := &stream{Stream: s, audio: a}
	r.used[s.PID] = made
	return made
}
