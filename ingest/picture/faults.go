package picture

import (
	"io"
	"mime"
	"regexp"
	"slices"
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

// Kind says what is wrong with what an answer says that it is; nil when pictures may be
// in it. The pictures themselves decide, since cameras write it wrongly.
func Kind(contentType string, body io.Reader) error {
	kind, _, _ := mime.ParseMediaType(contentType)
	switch {
	case kind == "text/html", kind == "application/xhtml+xml":
		return Page(body)
	case strings.HasPrefix(kind, "image/") && !slices.Contains(jpegTypes, kind):
		return fault.New(fault.NotJPEG, nil, "it sends %s", kind)
	}
	return nil
}

var jpegTypes = []string{"image/jpeg", "image/jpg", "image/pjpeg"}

// Empty is the fault of a camera whose answer holds nothing.
func Empty() error { return fault.New(fault.Empty, nil, "") }

// None is the fault of a camera whose answer holds no picture; err is why, as
// core/jpeg has it.
func None(err error) error {
	return fault.New(fault.NoPicture, err, "%s", strings.TrimPrefix(err.Error(), jpeg.ErrNoPicture.Error()+": "))
}
