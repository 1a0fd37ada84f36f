package picture

import (
	"io"
	"regexp"
	"strings"

	"webostrum/core/fault"
	"webostrum/core/jpeg"
)

var title = regexp.MustCompile(`(?is)<title[^>]*>\s*(.{1,60}?)\s*</title>`)

// Page is the fault of a camera that sends a page; its title tells people most.
func Page(body io.Reader) error {
	const head = 4 << 10
	text, _ := io.ReadAll(io.LimitReader(body, head)) // the page does not matter otherwise
	if m := title.FindSubmatch(text); m != nil {
		return fault.New(fault.PageInstead, nil, "its title is %q", m[1])
	}
	return fault.New(fault.PageInstead, nil, "")
}

// None is the fault of a camera whose answer holds no picture; err is why, as
// core/jpeg has it.
func None(err error) error {
	return fault.New(fault.NoPicture, err, "%s", strings.TrimPrefix(err.Error(), jpeg.ErrNoPicture.Error()+": "))
}
