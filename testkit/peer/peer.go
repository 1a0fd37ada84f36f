// Package peer has what WebRTC viewers in tests and benches share.
package peer

import "github.com/pion/webrtc/v4"

// Offer makes an offer that has all addresses of the viewer in it, and takes it as its
// own description. options may be nil.
func Offer(pc *webrtc.PeerConnection, options *webrtc.OfferOptions) (string, error) {
	offer, err := pc.CreateOffer(options)
	if err != nil {
		return "", err
	}
	gathered := webrtc.GatheringCompletePromise(pc)
	if err := pc.SetLocalDescription(offer); err != nil {
		return "", err
	}
	<-gathered
	return pc.LocalDescription().SDP, nil
}
