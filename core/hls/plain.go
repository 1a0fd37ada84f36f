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

// Files lists the files that a media playlist refers to, in its order, each once.
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
		if rest, ok := strings.CutPrefix(line, "#EXT-X-MAP:URI=\""); ok {
			name, _, _ := strings.Cut(rest, "\"")
			add(name)
		} else if !strings.HasPrefix(line, "#") {
			add(line)
		}
	}
	return names
}
