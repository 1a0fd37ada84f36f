// Package access decides who may watch: audiences of feeds, links that open them, the
// sites that may show them, and what tokens are for. It knows no HTTP and no database;
// times are passed in.
//
// Limits: 64 sites a list, of 253 letters each; 65,535 signing keys.
package access

import (
	"fmt"
	"slices"
	"strings"
)

// Audience is who may watch a feed. Engineers always may, and so may whoever has a link.
type Audience string

// The audiences. Whatever the audience, accounts that a feed names may watch it.
const (
	Everyone Audience = "everyone"  // without signing in
	ByLink   Audience = "links"     // whoever has a link
	SignedIn Audience = "signed-in" // every viewer's account
	Named    Audience = "named"     // the accounts that the feed names
)

// Sentence says what an audience means. names are the accounts that the feed names.
func (a Audience) Sentence(names []string) string {
	also := ""
	if len(names) > 0 {
		also = ", and " + list(names)
	}
	switch a {
	case Everyone:
		return "Everyone who has the address can watch, without signing in."
	case ByLink:
		return "Whoever has one of its links can watch" + also + "."
	case Named:
		if len(names) == 0 {
			return "Nobody but engineers can watch, unless they have a link: no account is named."
		}
		return "Only " + list(names) + " can watch after signing in, and whoever has one of its links."
	}
	return "Everyone who signs in can watch, and whoever has one of its links" + also + "."
}

// list joins names as in a sentence.
func list(names []string) string {
	switch n := len(names); {
	case n == 1:
		return names[0]
	case n > 4:
		return fmt.Sprintf("%s and %d others", strings.Join(names[:3], ", "), n-3)
	default:
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
}

// Role is what an account may do.
type Role string

// The roles.
const (
	Engineer Role = "engineer" // sees and changes everything
	Viewer   Role = "viewer"   // sees the feeds that are theirs, changes nothing
	Panel    Role = "panel"    // a device: opens media of the feeds that name it, and nothing else
)

// Watches says whether an account may watch a feed of an audience.
func (a Audience) Watches(name string, role Role, named []string) bool {
	switch {
	case role == Engineer, a == Everyone:
		return true
	case slices.Contains(named, name):
		return true
	}
	return a == SignedIn && role == Viewer
}

// Delivery is a way in which a feed goes out.
type Delivery string

// The deliveries.
const (
	HLS        Delivery = "hls"
	WebRTC     Delivery = "webrtc"
	MotionJPEG Delivery = "motion-jpeg"
	Still      Delivery = "still"
	// Fragments are live fragments over one response.
	Fragments Delivery = "fragments"
	RTSP      Delivery = "rtsp"
)

// Deliveries are all of them.
var Deliveries = []Delivery{HLS, Fragments, WebRTC, MotionJPEG, Still, RTSP}

// Name is how a delivery is called in sentences.
func (d Delivery) Name() string {
	return map[Delivery]string{HLS: "HLS", WebRTC: "WebRTC", MotionJPEG: "Motion JPEG", Still: "still.jpg", Fragments: "live fragments", RTSP: "RTSP"}[d]
}

// Scope is what a token is for.
type Scope string

// The scopes.
const (
	Read    Scope = "read"    // see what an engineer sees, change nothing
	Manage  Scope = "manage"  // everything that an engineer may
	Media   Scope = "media"   // media of named feeds
	Metrics Scope = "metrics" // the measurements at /metrics
)
