//go:build !faad

// Package faad stands in where the worker is built without decoding AAC.
package faad

import (
	"errors"

	"webostrum/codecs/audio"
)

// Present says that AAC cannot be decoded.
const Present = false

// NewDecoder refuses.
func NewDecoder([]byte) (audio.Decoder, error) {
	return nil, errors.New("this worker was built without decoding AAC; build it with the tag faad")
}
