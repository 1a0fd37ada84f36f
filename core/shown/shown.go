// Package shown makes texts that come from outside fit to be shown.
package shown

import "strings"

// Text returns a text without control characters, and no more than most bytes of it.
func Text(text string, most int) string {
	text = strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(text, "")))
	return strings.ToValidUTF8(text[:min(len(text), most)], "") // the cut may go through a rune
}
