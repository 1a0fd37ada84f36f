// Package rtspmsg reads and writes RTSP messages and the binary data that is
// interleaved with them (RFC 2326, sections 4 to 7 and 10.12; RFC 7826 where
// it differs in nothing but the version).
//
// Limits: 64 KiB of start line and headers, 200 headers, 1 MiB of body.
package rtspmsg

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net/textproto"
	"strconv"
	"strings"
)

// ErrMalformed is wrapped by every error that is not the reader's own.
var ErrMalformed = errors.New("malformed RTSP")

// ErrHTTP is returned when the other side answers with HTTP.
var ErrHTTP = fmt.Errorf("%w: an answer of HTTP", ErrMalformed)

// ErrTooLarge is returned for what is over the limits.
var ErrTooLarge = fmt.Errorf("%w: over a limit", ErrMalformed)

const (
	maxLine    = 64 << 10
	maxHeaders = 200
	maxHead    = 64 << 10
	maxBody    = 1 << 20

	// Magic begins interleaved binary data (10.12):
	//
	//	| "$" | channel | length, 16 bits | data
	Magic     = '$'
	frameHead = 4
)

// Header holds header fields; names are in canonical form.
type Header = textproto.MIMEHeader

// Message is a request when Method is set, else a response.
type Message struct {
	Method  string
	URL     string
	Status  int
	Reason  string
	Version string // "RTSP/1.0"
	Header  Header
	Body    []byte
}

// CSeq returns the sequence number, or -1.
func (m *Message) CSeq() int {
	n, err := strconv.Atoi(strings.TrimSpace(m.Header.Get("CSeq")))
	if err != nil {
		return -1
	}
	return n
}

// Append appends the message in wire form, with Content-Length if there is a
// body. Line breaks in values are taken out.
func (m *Message) Append(b []byte) []byte {
	version := m.Version
	if version == "" {
		version = "RTSP/1.0"
	}
	if m.Method != "" {
		b = fmt.Appendf(b, "%s %s %s\r\n", m.Method, strings.ReplaceAll(oneLine(m.URL), " ", "%20"), version)
	} else {
		b = fmt.Appendf(b, "%s %d %s\r\n", version, m.Status, oneLine(m.Reason))
	}
	for name, values := range m.Header {
		if name == "Cseq" {
			name = "CSeq"
		}
		for _, v := range values {
			b = fmt.Appendf(b, "%s: %s\r\n", name, oneLine(v))
		}
	}
	if len(m.Body) > 0 {
		b = fmt.Appendf(b, "Content-Length: %d\r\n", len(m.Body))
	}
	b = append(b, "\r\n"...)
	return append(b, m.Body...)
}

func oneLine(s string) string {
	return strings.NewReplacer("\r", "", "\n", " ").Replace(s)
}

// Reader reads what one side of a connection sends.
type Reader struct {
	br    *bufio.Reader
	frame []byte // reused
}

// NewReader reads from r, which gets its deadlines from the caller.
func NewReader(r io.Reader) *Reader {
	const buffer = 64 << 10
	return &Reader{br: bufio.NewReaderSize(r, buffer)}
}

// Next reads the next message or the next piece of interleaved data: msg is
// nil for the latter. data stays valid until the next call.
func (r *Reader) Next() (msg *Message, channel uint8, data []byte, err error) {
	for {
		first, err := r.br.Peek(1)
		if err != nil {
			return nil, 0, nil, err
		}
		switch first[0] {
		case Magic:
			channel, data, err = r.interleaved()
			return nil, channel, data, err
		case '\r', '\n':
			// Some cameras end a body with one line break too many.
			_, _ = r.br.Discard(1)
		default:
			msg, err = r.message()
			return msg, 0, nil, err
		}
	}
}

func (r *Reader) interleaved() (channel uint8, data []byte, err error) {
	head, err := r.br.Peek(frameHead)
	if err != nil {
		return 0, nil, noEOF(err)
	}
	channel = head[1]
	n := int(head[2])<<8 | int(head[3])
	_, _ = r.br.Discard(frameHead)
	if cap(r.frame) < n {
		r.frame = make([]byte, 1<<16)
	}
	data = r.frame[:n]
	_, err = io.ReadFull(r.br, data)
	return channel, data, noEOF(err)
}

// noEOF makes an end in the middle of something an error of its own.
func noEOF(err error) error {
	if errors.Is(err, io.EOF) {
		return io.ErrUnexpectedEOF
	}
	return err
}

func (r *Reader) line() (string, error) {
	var line []byte
	for {
		part, err := r.br.ReadSlice('\n')
		line = append(line, part...)
		if len(line) > maxLine {
			return "", fmt.Errorf("%w: a line of more than %d bytes", ErrTooLarge, maxLine)
		}
		if err == nil {
			return strings.TrimRight(string(line), "\r\n"), nil
		}
		if !errors.Is(err, bufio.ErrBufferFull) {
			return "", noEOF(err)
		}
	}
}

func (r *Reader) message() (*Message, error) {
	start, err := r.line()
	if err != nil {
		return nil, err
	}
	m, err := parseStart(start)
	if err != nil {
		return nil, err
	}
	if err := r.headers(m); err != nil {
		return nil, err
	}
	return m, r.body(m)
}

// parseStart reads a request line or a status line (6.1, 7.1).
func parseStart(line string) (*Message, error) {
	first, rest, _ := strings.Cut(line, " ")
	m := &Message{Header: make(Header)}
	if strings.HasPrefix(first, "RTSP/") {
		code, reason, _ := strings.Cut(strings.TrimSpace(rest), " ")
		status, err := strconv.Atoi(code)
		if err != nil || status < 100 || status > 999 {
			return nil, fmt.Errorf("%w: status line %.60q", ErrMalformed, line)
		}
		m.Version, m.Status, m.Reason = first, status, reason
		return m, nil
	}
	if strings.HasPrefix(first, "HTTP/") {
		return nil, ErrHTTP
	}
	url, version, ok := strings.Cut(rest, " ")
	if !ok || !strings.HasPrefix(version, "RTSP/") || first == "" {
		return nil, fmt.Errorf("%w: first line %.60q", ErrMalformed, line)
	}
	m.Method, m.URL, m.Version = first, url, version
	return m, nil
}

func (r *Reader) headers(m *Message) error {
	last, total := "", 0
	for count := 0; ; count++ {
		line, err := r.line()
		if err != nil {
			return err
		}
		total += len(line)
		if count > maxHeaders || total > maxHead {
			return fmt.Errorf("%w: more than %d headers or %d bytes of them", ErrTooLarge, maxHeaders, maxHead)
		}
		switch name, value, ok := strings.Cut(line, ":"); {
		case line == "":
			return nil
		case line[0] == ' ' || line[0] == '\t': // folded (4.2)
			if v := m.Header[last]; len(v) > 0 {
				v[len(v)-1] += " " + strings.TrimSpace(line)
			}
		case ok:
			last = textproto.CanonicalMIMEHeaderKey(strings.TrimSpace(name))
			m.Header[last] = append(m.Header[last], strings.TrimSpace(value))
		}
	}
}

func (r *Reader) body(m *Message) error {
	text := m.Header.Get("Content-Length")
	if text == "" {
		return nil
	}
	n, err := strconv.Atoi(strings.TrimSpace(text))
	if err != nil || n < 0 || n > maxBody {
		return fmt.Errorf("%w: Content-Length %.20q, at most %d", ErrMalformed, text, maxBody)
	}
	m.Body, err = io.ReadAll(io.LimitReader(r.br, int64(n)))
	if err == nil && len(m.Body) < n {
		err = io.ErrUnexpectedEOF
	}
	return err
}
