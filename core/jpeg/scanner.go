package jpeg

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"strconv"
)

const (
	maxBetween = 64 << 10
	maxCut     = 32
)

// ErrNoPicture is returned when what comes is plainly no Motion JPEG: more than
// 64 KiB without a picture, or 32 in a row that are not whole. It carries how that
// begins.
var ErrNoPicture = errors.New("no JPEG picture comes")

// Scanner finds pictures in a stream by their own markers, whatever stands
// between them: boundaries of multipart parts that are quoted wrongly or do not
// fit, lengths that lie, LF for CRLF, nothing at all. A picture is handed out the
// moment its last byte is there, without waiting for what comes next.
//
// A picture that is cut short, so that the next one begins within it, is left
// out; so is one that is too large. Cameras that leave out the end marker send nothing
// but pictures whose coded data is followed by what stands between two: these are
// completed, and handed out when the next one begins.
type Scanner struct {
	r       *bufio.Reader
	buf     []byte // the picture in the making
	between []byte // what stood before it
	cut     uint64
	endless int    // pictures in a row that had no end marker
	pending bool   // the SOI of the next picture was read already
	within  bool   // the FF of the next marker was read already
	scanned bool   // the picture's coded data has begun
	head    []byte // what stood before the next picture, where it was read with this one
}

// NewScanner reads from r, which gets its deadlines from the caller.
func NewScanner(r io.Reader) *Scanner {
	const buffer = 64 << 10
	return &Scanner{r: bufio.NewReaderSize(r, buffer)}
}

// Cut returns how many pictures were left out because they were not whole.
func (s *Scanner) Cut() uint64 { return s.cut }

// Next returns the next whole picture, from SOI to EOI, and what stood before
// it, such as the headers of its part. Both are the caller's until the next call.
func (s *Scanner) Next() (picture, between []byte, err error) {
	for range maxCut {
		if err := s.begin(); err != nil {
			return nil, nil, err
		}
		whole, err := s.rest()
		if err != nil {
			return nil, nil, err
		}
		if whole {
			s.endless = 0
			return s.buf, s.between, nil
		}
		s.within = false
		if s.completed() {
			return s.buf, s.between, nil
		}
		s.cut++
	}
	return nil, nil, fmt.Errorf("%w: %d in a row were cut short or larger than %d MiB", ErrNoPicture, maxCut, maxPicture>>20)
}

// certain is how many pictures in a row have to lack their end until that counts as the
// camera's habit: before that they are taken for cut short.
const certain = 8

// completed puts the end marker to a picture that has none: one whose coded data was
// there up to the next picture. The length in its part's head tells, and where there is
// none, that the camera's pictures all lack it.
func (s *Scanner) completed() bool {
	if !s.pending || !s.scanned {
		return false
	}
	data := s.buf[:len(s.buf)-markerLen]
	const head = 2 << 10 // of a part
	from := max(0, len(data)-head)
	if i := bytes.LastIndex(data[from:], []byte("\r\n--")); i >= 0 {
		s.head = append(s.head[:0], data[from+i:]...)
		data = data[:from+i]
	}
	length := partLength(s.between)
	if length >= 0 && length != len(data) {
		return false // a part is missing
	}
	if s.endless++; length < 0 && s.endless <= certain {
		return false
	}
	s.buf = append(data, 0xff, markerEOI)
	return true
}

// Rest returns what came of a picture whose end marker never did, with one put to it.
// It is nil when the coded data had not begun. It may be asked once Next has returned
// io.ErrUnexpectedEOF.
func (s *Scanner) Rest() []byte {
	if !s.scanned {
		return nil
	}
	s.buf = append(s.buf, 0xff, markerEOI)
	return s.buf
}

// partLength reads the Content-Length of a part's head; -1 when it has none.
func partLength(head []byte) int {
	const name = "content-length:"
	i := bytes.LastIndex(lower(head), []byte(name))
	if i < 0 {
		return -1
	}
	line, _, _ := bytes.Cut(head[i+len(name):], []byte("\n"))
	n, err := strconv.Atoi(string(bytes.TrimSpace(line)))
	if err != nil {
		return -1
	}
	return n
}

// lower makes ASCII letters small. Unlike bytes.ToLower it leaves all else, and so the
// length, as it is: what stands before a picture may be no text.
func lower(text []byte) []byte {
	small := bytes.Clone(text)
	for i, c := range small {
		if 'A' <= c && c <= 'Z' {
			small[i] = c + 'a' - 'A'
		}
	}
	return small
}

// begin reads up to and with the next SOI.
func (s *Scanner) begin() error {
	s.between = s.between[:0]
	if s.pending {
		s.pending = false
		s.between, s.head = append(s.between, s.head...), s.head[:0]
		s.buf = append(s.buf[:0], 0xff, markerSOI)
		return nil
	}
	for {
		chunk, err := s.r.ReadSlice(0xff)
		s.between = append(s.between, chunk...)
		if len(s.between) > maxBetween {
			return fmt.Errorf("%w: it begins with %.80q", ErrNoPicture, bytes.TrimSpace(s.between))
		}
		if errors.Is(err, bufio.ErrBufferFull) {
			continue
		}
		if err != nil {
			return s.ended(err)
		}
		next, err := s.r.Peek(1)
		if err != nil {
			return s.ended(err)
		}
		if next[0] == markerSOI {
			_, _ = s.r.Discard(1)
			s.between = s.between[:len(s.between)-1]
			s.buf = append(s.buf[:0], 0xff, markerSOI)
			return nil
		}
	}
}

// ended tells an end after pictures from one where there was something else.
func (s *Scanner) ended(err error) error {
	if text := bytes.TrimSpace(s.between); errors.Is(err, io.EOF) && bytes.HasPrefix(text, []byte("<")) {
		return fmt.Errorf("%w: it is a page that begins with %.80q", ErrNoPicture, text)
	}
	return err
}

// rest reads from behind SOI to EOI. whole is false when the picture turned out
// to be cut or too large.
func (s *Scanner) rest() (whole bool, err error) {
	s.scanned = false
	for {
		marker, err := s.marker()
		if err != nil {
			return false, err
		}
		switch {
		case marker == markerEOI:
			return true, nil
		case marker == markerSOI:
			s.pending = true
			return false, nil
		case marker < markerSOF0 && marker != markerTEM:
			return false, nil // reserved (table B.1): this is text, or noise
		case alone(marker):
			continue
		}
		if ok, err := s.body(); err != nil || !ok {
			return false, err
		}
		if marker == markerSOS {
			s.scanned = true
			if ok, err := s.entropy(); err != nil || !ok {
				return false, err
			}
		}
	}
}

// marker reads the next marker; zero means that there is none where one must be.
func (s *Scanner) marker() (marker byte, err error) {
	b := byte(0xff)
	if s.within {
		s.within = false
	} else if b, err = s.r.ReadByte(); err != nil {
		return 0, noEOF(err)
	}
	if b != 0xff {
		return 0, nil
	}
	for b == 0xff {
		if b, err = s.r.ReadByte(); err != nil {
			return 0, noEOF(err)
		}
	}
	s.buf = append(s.buf, 0xff, b)
	return b, nil
}

// body reads the segment behind a marker.
func (s *Scanner) body() (ok bool, err error) {
	head, err := s.r.Peek(lengthLen)
	if err != nil {
		return false, noEOF(err)
	}
	n := int(binary.BigEndian.Uint16(head))
	if n < lengthLen || len(s.buf)+n > maxPicture {
		return false, nil
	}
	at := len(s.buf)
	s.buf = append(s.buf, make([]byte, n)...)
	_, err = io.ReadFull(s.r, s.buf[at:])
	return true, noEOF(err)
}

// entropy reads coded data up to and with the FF of the marker that ends it: 00 after FF is part of the data (F.1.2.3), and so are restart markers.
func (s *Scanner) entropy() (ok bool, err error) {
	for {
		chunk, err := s.r.ReadSlice(0xff)
		s.buf = append(s.buf, chunk...)
		if len(s.buf) > maxPicture {
			return false, nil
		}
		if errors.Is(err, bufio.ErrBufferFull) {
			continue
		}
		if err != nil {
			return false, noEOF(err)
		}
		next, err := s.r.Peek(1)
		if err != nil {
			return false, noEOF(err)
		}
		if next[0] == 0 || next[0] >= markerRST0 && next[0] <= markerRST7 {
			continue
		}
		s.buf = s.buf[:len(s.buf)-1]
		s.within = true
		return true, nil
	}
}

// noEOF makes an end within a picture an error of its own.
func noEOF(err error) error {
	if errors.Is(err, io.EOF) {
		return io.ErrUnexpectedEOF
	}
	return err
}
