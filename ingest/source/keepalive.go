package source

import "sync/atomic"

// KeepAlive is how an RTSP session is kept alive: by GET_PARAMETER, by OPTIONS, or by RTCP
// alone. Some cameras hang up at one of the requests; the next session goes on to the next
// way. The zero value begins with the first; it is safe for concurrent use.
type KeepAlive struct{ hungUp atomic.Int32 }

// The ways, by how often the camera has hung up.
const (
	byParameter = iota
	byOptions
	byReports
)

// Method is the request to send, of the methods that the camera says it has; empty for none.
func (k *KeepAlive) Method(has map[string]bool) string {
	switch way := k.way(); {
	case way == byParameter && has["GET_PARAMETER"]:
		return "GET_PARAMETER"
	case way < byReports:
		return "OPTIONS"
	}
	return ""
}

// HungUp notes that the camera hung up at a request of Method's.
func (k *KeepAlive) HungUp(method string) {
	if k == nil {
		return
	}
	next := int32(byOptions)
	if method == "OPTIONS" {
		next = byReports
	}
	k.hungUp.Store(max(k.hungUp.Load(), next))
}

func (k *KeepAlive) way() int32 {
	if k == nil {
		return byParameter
	}
	return k.hungUp.Load()
}
