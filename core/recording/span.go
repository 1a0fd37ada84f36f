package recording

import (
	"slices"
	"sort"
	"time"
)

// File is one file of a recording, as the index knows it.
type File struct {
	ID      int64
	Feed    string
	Path    string // below the folder of recordings, with slashes
	Begins  time.Time
	Ends    time.Time // so far
	Bytes   int64     // so far
	Width   int
	Height  int
	Codec   string // RFC 6381
	Audio   bool
	Why     string // always, timetable, hand or motion; empty when it is not known
	Keep    bool
	Open    bool // being written
	Away    bool // in an object store alone
	Waits   bool // to be copied to one
	Follows bool // goes on exactly where the file before it ended, coded in the same way
}

// Span is a stretch of time of which there is a recording, without a gap.
type Span struct {
	Begins, Ends time.Time
	Bytes        int64
	Width        int
	Height       int
	Codec        string
	Audio        bool
	Keep         bool // all of it
	Away         bool // in an object store alone
	Why          string
}

// joined is the longest gap between two files that counts as none: that of a clock.
const joined = 1500 * time.Millisecond

// Spans joins files, in the order of their beginnings, to stretches without gaps in which
// size, coding, reason, keeping and where they are are the same.
func Spans(files []File) (list []Span) {
	for _, f := range files {
		if n := len(list); n > 0 && list[n-1].takes(f) {
			s := &list[n-1]
			if f.Ends.After(s.Ends) {
				s.Ends = f.Ends
			}
			s.Bytes += f.Bytes
			continue
		}
		list = append(list, Span{f.Begins, f.Ends, f.Bytes, f.Width, f.Height, f.Codec, f.Audio, f.Keep, f.Away, f.Why})
	}
	return list
}

func (s *Span) takes(f File) bool {
	return f.Begins.Sub(s.Ends) <= joined && s.Width == f.Width && s.Height == f.Height && s.Codec == f.Codec && s.Audio == f.Audio && s.Keep == f.Keep && s.Away == f.Away && s.Why == f.Why
}

// Policy is how much is kept; zero values are no limit.
type Policy struct {
	Age   time.Duration // of a feed's files
	Bytes int64         // of a feed's files
	Most  int64         // bytes of all files together
	Free  int64         // bytes that are to stay free on the disk
}

// Excess says which files go: what is too old, what is over a feed's bytes, and the oldest of
// all as long as there is too little room. Files that are kept or open stay; those that are away
// take no room here, and those that wait to be copied go only where there is too little room
// for all. aged says
// whether ages can be trusted, which they cannot after a clock was set.
func Excess(files []File, policy func(feed string) Policy, all Policy, free int64, now time.Time, aged bool) (gone []File) {
	files = slices.DeleteFunc(slices.Clone(files), func(f File) bool { return f.Away })
	sort.SliceStable(files, func(i, j int) bool { return files[i].Begins.After(files[j].Begins) })
	perFeed := map[string]int64{}
	var total int64
	var left []File // newest first
	for _, f := range files {
		p := policy(f.Feed)
		perFeed[f.Feed] += f.Bytes
		if !f.Keep && !f.Open && !f.Waits && (aged && p.Age > 0 && now.Sub(f.Ends) > p.Age || p.Bytes > 0 && perFeed[f.Feed] > p.Bytes) {
			perFeed[f.Feed] -= f.Bytes
			free += f.Bytes
			gone = append(gone, f)
			continue
		}
		total += f.Bytes
		left = append(left, f)
	}
	for i := len(left) - 1; i >= 0; i-- {
		if f := left[i]; !f.Keep && !f.Open && (all.Most > 0 && total > all.Most || all.Free > 0 && free < all.Free) {
			total -= f.Bytes
			free += f.Bytes
			gone = append(gone, f)
		}
	}
	return gone
}
