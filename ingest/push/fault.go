package push

import (
	"errors"

	"webostrum/core/fault"
)

// publisherCodes are faults of cameras as those of publishers.
var publisherCodes = map[fault.Code]fault.Code{
	fault.Stalled: fault.PublisherStalled, fault.Silent: fault.PublisherNoVideo, fault.HungUp: fault.PublisherLeft, fault.NoKeyframe: fault.PublisherKeyframe,
	fault.Garbled: fault.PublisherGarbled, fault.CodecNotHandled: fault.PublisherCodec, fault.NoVideo: fault.PublisherNoVideo, fault.PayloadType: fault.PublisherGarbled,
	fault.NotTransport: fault.PublisherGarbled, fault.Scrambled: fault.PublisherGarbled, fault.NoPicture: fault.PublisherGarbled, fault.PictureOdd: fault.PublisherCodec,
}

// Fault is a fault of a camera as that of a publisher; other errors stay.
func Fault(err error) error {
	var f *fault.Error
	if !errors.As(err, &f) {
		return err
	}
	if code, ok := publisherCodes[f.Kind.Code]; ok {
		return fault.New(code, f.Cause, "%s", f.Detail)
	}
	return f
}
