package access

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"strconv"
	"strings"
	"time"
)

// A pass lets whoever has it send to one feed for a while. It is signed by the feed's key, so
// that another key ends all passes:
//
//	pass.TIME.SIGNATURE    seconds since 1970 in base 36; HMAC-SHA-256 in base64, cut to 18 bytes
const (
	passPrefix = "pass."
	passBytes  = 18
	passBase   = 36
)

// NewPass makes a pass for a feed.
func NewPass(key, feed string, ends time.Time) string {
	head := passPrefix + strconv.FormatInt(ends.Unix(), passBase)
	return head + "." + passSum(key, feed, head)
}

func passSum(key, feed, head string) string {
	m := hmac.New(sha256.New, []byte(key))
	m.Write([]byte(feed + "\n" + head))
	return base64.RawURLEncoding.EncodeToString(m.Sum(nil)[:passBytes])
}

// PassEnds is when a pass ends, as it says itself; ok is false for what is no pass.
func PassEnds(pass string) (ends time.Time, ok bool) {
	rest, ok := strings.CutPrefix(pass, passPrefix)
	at, _, dot := strings.Cut(rest, ".")
	seconds, err := strconv.ParseInt(at, passBase, 64)
	if !ok || !dot || err != nil {
		return time.Time{}, false
	}
	return time.Unix(seconds, 0), true
}

// OpensPass says whether a pass was signed by a feed's key, and has not ended.
func OpensPass(pass, key, feed string, now time.Time) bool {
	ends, ok := PassEnds(pass)
	if !ok || !now.Before(ends) {
		return false
	}
	at := strings.LastIndexByte(pass, '.')
	return hmac.Equal([]byte(passSum(key, feed, pass[:at])), []byte(pass[at+1:]))
}
