package recording

import (
	"fmt"
	"math"
	"strings"
	"time"
)

const (
	segmentLength  = 1500 * time.Millisecond // at least
	mostSegments   = 4000
	playlistFormat = 7 // EXT-X-MAP in lists of more than I-frames (RFC 8216, 7)
)

// Listed is a file that a playlist is made of.
type Listed struct {
	URI     string
	Index   *Index
	Follows bool // it goes on exactly where the file before it ended
}

// segment is a part of a file, from one point to another.
type segment struct {
	file         int
	begins       time.Time
	offset, size int64
	duration     float64 // seconds
}

// Playlist writes a media playlist (RFC 8216) over files as they lie there, by ranges of
// bytes, of what was recorded between two times; whole segments. ok is false when there is
// nothing. ends is where the last segment ends.
func Playlist(files []Listed, from, to time.Time) (text string, ends time.Time, ok bool) {
	var list []segment
	for i, f := range files {
		list = append(list, segments(i, f.Index, from, to)...)
	}
	if list = list[:min(len(list), mostSegments)]; len(list) == 0 {
		return "", to, false
	}
	longest := 1.0
	for _, s := range list {
		longest = max(longest, s.duration)
	}
	var b strings.Builder
	fmt.Fprintf(&b, "#EXTM3U\n#EXT-X-VERSION:%d\n#EXT-X-TARGETDURATION:%d\n#EXT-X-PLAYLIST-TYPE:VOD\n#EXT-X-INDEPENDENT-SEGMENTS\n", playlistFormat, int(math.Ceil(longest)))
	before := -1
	for _, s := range list {
		f := files[s.file]
		if s.file != before {
			if before >= 0 && !f.Follows {
				b.WriteString("#EXT-X-DISCONTINUITY\n")
			}
			fmt.Fprintf(&b, "#EXT-X-MAP:URI=%q,BYTERANGE=\"%d@0\"\n", f.URI, len(f.Index.Init))
			fmt.Fprintf(&b, "#EXT-X-PROGRAM-DATE-TIME:%s\n", s.begins.UTC().Format("2006-01-02T15:04:05.000Z"))
			before = s.file
		}
		fmt.Fprintf(&b, "#EXTINF:%.5f,\n#EXT-X-BYTERANGE:%d@%d\n%s\n", s.duration, s.size, s.offset, f.URI)
		ends = s.begins.Add(time.Duration(s.duration * float64(time.Second)))
	}
	b.WriteString("#EXT-X-ENDLIST\n")
	return b.String(), ends, true
}

// segments cuts a file into those that are shown between two times.
func segments(file int, x *Index, from, to time.Time) (list []segment) {
	for i := 0; i < len(x.Points); {
		j := i + 1
		for j < len(x.Points) && x.duration(x.Points[j].Shown-x.Points[i].Shown) < segmentLength {
			j++
		}
		end, until := x.End+x.Points[0].Shown-x.First, x.Size
		if j < len(x.Points) {
			end, until = x.Points[j].Shown, x.Points[j].Offset
		}
		begins, ends := x.Time(x.Points[i].Shown), x.Time(end)
		if ends.After(from) && begins.Before(to) {
			list = append(list, segment{file, begins, x.Points[i].Offset, until - x.Points[i].Offset, x.duration(end - x.Points[i].Shown).Seconds()})
		}
		i = j
	}
	return list
}
