package shown_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/shown"
)

func TestText(t *testing.T) {
	for text, want := range map[string]string{
		"":             "",
		" Yard\nE\x7f": "Yard E",
		"a\x1b[31mb":   "a [31mb",
		"0123456789":   "01234567",
		"0123456é":     "0123456", // no half of a letter
		"\xff\xfea":    "a",
	} {
		assert.Equal(t, want, shown.Text(text, 8), "%q", text)
	}
}
