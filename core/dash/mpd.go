// Package dash writes the manifest of a presentation for DASH players: ISO/IEC 23009-1,
// live profile, over the same CMAF segments that HLS lists. Each stretch of the timeline
// without a break is a Period.
package dash

import (
	"encoding/xml"
	"fmt"
	"math"
	"time"
)

// Manifest is what is written.
type Manifest struct {
	Published time.Time
	Update    time.Duration // how often players ask again
	Window    time.Duration // that segments are kept for
	Delay     time.Duration // that players are to be behind
	Clock     string        // address of the service's clock, as ISO 8601
	Sets      []Set
}

// Set is tracks that players choose one of.
type Set struct {
	ContentType string // video or audio
	Timescale   uint32 // ticks a second
	Segments    []Segment
	Tracks      []Track
}

// Segment is a segment of all tracks of a set.
type Segment struct {
	Number   uint64
	Period   uint64    // segments of one stretch of the timeline have the same
	Begins   time.Time // when the period's first frame was taken
	Origin   int64     // presentation time of that, ticks of the video's clock
	Start    int64     // presentation time of the segment's first sample, ticks
	Duration int64     // ticks
}

// Track is one of a set.
type Track struct {
	ID            string // the folder that its segments are in
	Codecs        string // RFC 6381
	Width, Height int
	FrameRate     float64
	SampleRate    int
	Bandwidth     float64 // bits a second
}

// Names of segments and initialisation sections below a track's folder, by number and by
// period.
const (
	MediaName = "at-%d.m4s"
	InitName  = "at-init%d.mp4"
	folder    = "hls/$RepresentationID$/"
)

type mpd struct {
	XMLName   xml.Name `xml:"urn:mpeg:dash:schema:mpd:2011 MPD"`
	Type      string   `xml:"type,attr"`
	Profiles  string   `xml:"profiles,attr"`
	Start     string   `xml:"availabilityStartTime,attr"`
	Published string   `xml:"publishTime,attr"`
	Update    string   `xml:"minimumUpdatePeriod,attr"`
	Buffer    string   `xml:"minBufferTime,attr"`
	Window    string   `xml:"timeShiftBufferDepth,attr"`
	Delay     string   `xml:"suggestedPresentationDelay,attr"`
	Longest   string   `xml:"maxSegmentDuration,attr"`
	Periods   []period `xml:"Period"`
	UTC       timing   `xml:"UTCTiming"`
}

type timing struct {
	Scheme string `xml:"schemeIdUri,attr"`
	Value  string `xml:"value,attr"`
}

type period struct {
	ID    string          `xml:"id,attr"`
	Start string          `xml:"start,attr"`
	Sets  []adaptationSet `xml:"AdaptationSet"`
}

type adaptationSet struct {
	ID        int              `xml:"id,attr"`
	Content   string           `xml:"contentType,attr"`
	MIME      string           `xml:"mimeType,attr"`
	Aligned   bool             `xml:"segmentAlignment,attr"`
	StartsSAP int              `xml:"startWithSAP,attr"`
	Template  template         `xml:"SegmentTemplate"`
	Tracks    []representation `xml:"Representation"`
}

type template struct {
	Timescale uint32 `xml:"timescale,attr"`
	Offset    int64  `xml:"presentationTimeOffset,attr"`
	First     uint64 `xml:"startNumber,attr"`
	Init      string `xml:"initialization,attr"`
	Media     string `xml:"media,attr"`
	Timeline  []line `xml:"SegmentTimeline>S"`
}

type line struct {
	Start    int64 `xml:"t,attr"`
	Duration int64 `xml:"d,attr"`
}

type representation struct {
	ID         string `xml:"id,attr"`
	Bandwidth  int64  `xml:"bandwidth,attr"`
	Codecs     string `xml:"codecs,attr"`
	Width      int    `xml:"width,attr,omitempty"`
	Height     int    `xml:"height,attr,omitempty"`
	FrameRate  string `xml:"frameRate,attr,omitempty"`
	SampleRate int    `xml:"audioSamplingRate,attr,omitempty"`
}

// Write writes a manifest.
func Write(m Manifest) ([]byte, error) {
	doc := mpd{
		Type: "dynamic", Profiles: "urn:mpeg:dash:profile:isoff-live:2011", Start: "1970-01-01T00:00:00Z",
		Published: m.Published.UTC().Format(time.RFC3339), Update: duration(m.Update), Buffer: duration(m.Update), Window: duration(m.Window), Delay: duration(m.Delay),
		Longest: duration(longest(m.Sets)), UTC: timing{"urn:mpeg:dash:utc:http-iso:2014", m.Clock},
	}
	for _, id := range periods(m.Sets) {
		doc.Periods = append(doc.Periods, writePeriod(id, m.Sets))
	}
	body, err := xml.MarshalIndent(doc, "", "  ")
	return append([]byte(xml.Header), body...), err
}

// duration writes an xs:duration.
func duration(d time.Duration) string { return fmt.Sprintf("PT%.3fS", d.Seconds()) }

func longest(sets []Set) (d time.Duration) {
	for _, s := range sets {
		for _, g := range s.Segments {
			d = max(d, ticks(g.Duration, s.Timescale))
		}
	}
	return d
}

func ticks(n int64, rate uint32) time.Duration {
	return time.Duration(float64(n) / float64(rate) * float64(time.Second))
}

// periods are those of the first set: the video's, whose frames all else goes with.
func periods(sets []Set) (ids []uint64) {
	if len(sets) == 0 {
		return nil
	}
	for _, g := range sets[0].Segments {
		if n := len(ids); n == 0 || ids[n-1] != g.Period {
			ids = append(ids, g.Period)
		}
	}
	return ids
}

func of(segments []Segment, id uint64) (list []Segment) {
	for _, g := range segments {
		if g.Period == id {
			list = append(list, g)
		}
	}
	return list
}

func writePeriod(id uint64, sets []Set) period {
	lead := of(sets[0].Segments, id)[0]
	p := period{ID: fmt.Sprint(id), Start: fmt.Sprintf("PT%.3fS", float64(lead.Begins.UnixMilli())/1000)}
	for i, s := range sets {
		list := of(s.Segments, id)
		if len(list) == 0 {
			continue
		}
		// All sets begin the period where its first frame is.
		offset := int64(math.Round(float64(lead.Origin) / float64(sets[0].Timescale) * float64(s.Timescale)))
		a := adaptationSet{
			ID: i + 1, Content: s.ContentType, MIME: s.ContentType + "/mp4", Aligned: true, StartsSAP: 1,
			Template: template{
				Timescale: s.Timescale, Offset: offset, First: list[0].Number,
				Init: folder + fmt.Sprintf(InitName, id), Media: folder + "at-$Number$.m4s",
			},
		}
		for _, g := range list {
			a.Template.Timeline = append(a.Template.Timeline, line{g.Start, g.Duration})
		}
		for _, t := range s.Tracks {
			a.Tracks = append(a.Tracks, writeTrack(t))
		}
		p.Sets = append(p.Sets, a)
	}
	return p
}

func writeTrack(t Track) representation {
	r := representation{ID: t.ID, Bandwidth: int64(math.Ceil(t.Bandwidth)), Codecs: t.Codecs, Width: t.Width, Height: t.Height, SampleRate: t.SampleRate}
	if t.FrameRate > 0 {
		r.FrameRate = fmt.Sprintf("%d/1000", int64(math.Round(t.FrameRate*1000)))
	}
	return r
}
