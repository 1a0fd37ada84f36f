package mpegts

// CRC is the sum of a section, for tests that change one.
func CRC(b []byte) uint32 { return crc(b) }
