package hls

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// MediaName is what a track's media playlist is called in its folder.
const MediaName = "list.m3u8"

// audioGroup is the group that all renditions take their audio from.
const audioGroup = "audio"

// Variant is what the multivariant playlist says of a rendition, or of the audio.
type Variant struct {
	Name          string
	Codecs        string // RFC 6381
	Width, Height int    // pixels; zero when not known
	FrameRate     float64
	Peak, Average float64 // bits a second
	Channels      int     // of audio
}

// Multivariant writes the multivariant playlist of renditions, the one that players are
// to begin with first, and the audio that they share; nil for none.
func Multivariant(variants []Variant, audio *Variant) *Text {
	var b strings.Builder
	fmt.Fprintf(&b, "#EXTM3U\n#EXT-X-VERSION:%d\n#EXT-X-INDEPENDENT-SEGMENTS\n", version)
	if audio != nil {
		fmt.Fprintf(&b, "#EXT-X-MEDIA:TYPE=AUDIO,GROUP-ID=%q,NAME=\"Sound\",DEFAULT=YES,AUTOSELECT=YES,CHANNELS=\"%d\",URI=\"%s/%s\"\n",
			audioGroup, max(1, audio.Channels), Audio, MediaName)
	}
	for _, v := range variants {
		codecs := []string{v.Codecs}
		if audio != nil {
			codecs = append(codecs, audio.Codecs)
			v.Peak += audio.Peak
			v.Average += audio.Average
		}
		attrs := []string{
			fmt.Sprintf("BANDWIDTH=%d", int64(math.Ceil(max(v.Peak, 1)))),
			fmt.Sprintf("AVERAGE-BANDWIDTH=%d", int64(math.Ceil(max(v.Average, 1)))),
			fmt.Sprintf("CODECS=%q", strings.Join(slices.DeleteFunc(codecs, func(s string) bool { return s == "" }), ",")),
		}
		if v.Width > 0 {
			attrs = append(attrs, fmt.Sprintf("RESOLUTION=%dx%d", v.Width, v.Height))
		}
		if v.FrameRate > 0 {
			attrs = append(attrs, fmt.Sprintf("FRAME-RATE=%.3f", v.FrameRate))
		}
		if audio != nil {
			attrs = append(attrs, fmt.Sprintf("AUDIO=%q", audioGroup))
		}
		fmt.Fprintf(&b, "#EXT-X-STREAM-INF:%s\n%s/%s\n", strings.Join(attrs, ","), v.Name, MediaName)
	}
	return NewText(b.String())
}
