package rtsp

import (
	"strings"

	"github.com/pion/srtp/v3"

	"webostrum/core/sdp"
)

// suites are those of SRTP that are handled (RFC 4568, 6.2; RFC 7714).
var suites = map[string]srtp.ProtectionProfile{
	"AES_CM_128_HMAC_SHA1_80": srtp.ProtectionProfileAes128CmHmacSha1_80,
	"AES_CM_128_HMAC_SHA1_32": srtp.ProtectionProfileAes128CmHmacSha1_32,
	"AES_256_CM_HMAC_SHA1_80": srtp.ProtectionProfileAes256CmHmacSha1_80,
	"AEAD_AES_128_GCM":        srtp.ProtectionProfileAeadAes128Gcm,
	"AEAD_AES_256_GCM":        srtp.ProtectionProfileAeadAes256Gcm,
}

// secure takes the encryption off a medium's packets. RTP and RTCP come on goroutines of
// their own, so each has its context.
type secure struct{ data, control *srtp.Context }

// secured says whether a medium is encrypted.
func secured(m *sdp.Media) bool { return strings.Contains(m.Profile, "SAVP") }

// openSecure makes what decrypts a medium by the first of its keys that is handled; nil when
// there is none.
func openSecure(m *sdp.Media) *secure {
	for _, c := range m.Crypto {
		profile, ok := suites[c.Suite]
		if !ok {
			continue
		}
		keyLen, keyErr := profile.KeyLen()
		saltLen, saltErr := profile.SaltLen()
		if keyErr != nil || saltErr != nil || len(c.Key) < keyLen+saltLen {
			continue
		}
		key, salt := c.Key[:keyLen], c.Key[keyLen:keyLen+saltLen]
		data, dataErr := srtp.CreateContext(key, salt, profile)
		control, controlErr := srtp.CreateContext(key, salt, profile)
		if dataErr == nil && controlErr == nil {
			return &secure{data, control}
		}
	}
	return nil
}
