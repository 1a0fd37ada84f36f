package rtsp

import "github.com/pion/srtp/v3"

const (
	masterKey  = 16 // bytes
	masterSalt = 14
)

// openSecure makes what encrypts a medium.
func openSecure(key []byte) (*srtp.Context, error) {
	return srtp.CreateContext(key[:masterKey], key[masterKey:masterKey+masterSalt], srtp.ProtectionProfileAes128CmHmacSha1_80)
}

// seal encrypts packets; those that cannot be are left out.
func (p *part) seal(packets [][]byte) [][]byte {
	if p.secure == nil {
		return packets
	}
	sealed := make([][]byte, 0, len(packets))
	for _, b := range packets {
		if b, err := p.secure.EncryptRTP(nil, b, nil); err == nil {
			sealed = append(sealed, b)
		}
	}
	return sealed
}

func (p *part) sealReport(b []byte) []byte {
	if p.secure == nil {
		return b
	}
	if sealed, err := p.secure.EncryptRTCP(nil, b, nil); err == nil {
		return sealed
	}
	return nil
}
