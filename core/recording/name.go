package recording

import (
	"path"
	"regexp"
	"time"
)

// Files are named by place and time: FEED/2026-11-27/FEED-20261127T083000.250Z.mp4. What is
// to be kept says so in its name, so that it is known without any index.
const (
	dayForm  = "2006-01-02"
	timeForm = "20060102T150405.000Z"
	keepMark = "-keep"
	fileEnd  = ".mp4"
)

var nameForm = regexp.MustCompile(`^([a-z0-9]+(?:-[a-z0-9]+)*)-(\d{8}T\d{6}\.\d{3}Z)(?:\.(\d+))?(-keep)?\.mp4$`)

// Name is the path of a file below the folder of recordings, with slashes: of a feed, begun
// at a time. again tells apart what has begun at the same millisecond, as when a clock was set
// back; 0 is the first.
func Name(feed string, begins time.Time, again int, keep bool) string {
	t := begins.UTC()
	name := feed + "-" + t.Format(timeForm)
	if again > 0 {
		name += "." + string(rune('0'+again%10))
	}
	if keep {
		name += keepMark
	}
	return path.Join(feed, t.Format(dayForm), name+fileEnd)
}

// ParseName reads what the path of a file says; ok is false for files of others.
func ParseName(p string) (feed string, begins time.Time, keep, ok bool) {
	m := nameForm.FindStringSubmatch(path.Base(p))
	if m == nil {
		return "", time.Time{}, false, false
	}
	t, err := time.Parse(timeForm, m[2])
	return m[1], t, m[4] != "", err == nil
}

// Kept is the path of a file that is to be kept, or no longer so.
func Kept(p string, keep bool) string {
	stem := p[:len(p)-len(fileEnd)]
	if n := len(stem) - len(keepMark); n > 0 && stem[n:] == keepMark {
		stem = stem[:n]
	}
	if keep {
		stem += keepMark
	}
	return stem + fileEnd
}
