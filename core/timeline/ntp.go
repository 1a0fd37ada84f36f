package timeline

import "time"

// ntpToUnix is the seconds from 1900 to 1970 (RFC 868).
const ntpToUnix = 2208988800

// NTPTime converts a 64-bit NTP timestamp to time.
func NTPTime(ntp uint64) time.Time {
	seconds := int64(ntp>>32) - ntpToUnix
	nanos := (ntp & 0xffffffff) * uint64(time.Second) >> 32
	return time.Unix(seconds, int64(nanos))
}

// ToNTP converts a time to a 64-bit NTP timestamp.
func ToNTP(t time.Time) uint64 {
	seconds := uint64(t.Unix() + ntpToUnix)
	return seconds<<32 | uint64(t.Nanosecond())<<32/uint64(time.Second)
}
