package hls

import (
	"strings"
)

// Tags of low latency (draft-pantos-hls-rfc8216bis, 4.4.3.7, 4.4.3.8, 4.4.4.9, 4.4.5.3 and
// 4.4.5.4), which need a server that waits.
var waiting = []string{"#EXT-X-PART:", "#EXT-X-PART-INF:", "#EXT-X-PRELOAD-HINT:", "#EXT-X-SERVER-CONTROL:", "#EXT-X-RENDITION-REPORT:"}

// PlainList is a media playlist as a server of files can give it: without what a server would
// have to wait for.
func PlainList(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		plain := true
		for _, tag := range waiting {
			plain = plain && !strings.HasPrefix(line, tag)
		}
		if plain {
			b.WriteString(line)
		}
	}
	return b.String()
}

// Files lists what a playlist refers to, in its order, each once: the files of a media playlist
// (EXT-X-MAP, 4.4.4.5, and segments), the playlists of a multivariant one (EXT-X-MEDIA, 4.4.6.1,
// and variants).
func Files(text string) (names []string) {
	seen := make(map[string]bool)
	add := func(name string) {
		if name != "" && !seen[name] {
			seen[name] = true
			names = append(names, name)
		}
	}
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "#EXT-X-MAP:") || strings.HasPrefix(line, "#EXT-X-MEDIA:") {
			_, rest, _ := strings.Cut(line, `URI="`)
			name, _, _ := strings.Cut(rest, `"`)
			add(name)
		} else if !strings.HasPrefix(line, "#") {
			add(line)
		}
	}
	return names
}
