// Package fault is the one table of what can go wrong for a user: a code, one
// sentence, and what to do next. API, command line, console and documents all
// show these.
package fault

import (
	"errors"
	"fmt"
	"slices"
)

// Class says what kind of end a fault is, for exit codes and HTTP statuses.
type Class uint8

// The classes of fault.
const (
	ClassUnknown     Class = iota
	ClassUsage             // what was asked makes no sense
	ClassNotFound          // there is no such thing
	ClassRefused           // somebody said no; a person has to act
	ClassUnreachable       // nobody answered
	ClassBroken            // an answer came, but it cannot be used
)

// Code names a fault.
type Code string

// The faults of cameras.
const (
	NameUnknown     Code = "camera-name-unknown"
	PortClosed      Code = "camera-port-closed"
	NoAnswer        Code = "camera-no-answer"
	NoRoute         Code = "camera-no-route"
	NotRTSP         Code = "camera-not-rtsp"
	SignInMissing   Code = "camera-sign-in-missing"
	SignInRefused   Code = "camera-sign-in-refused"
	BasicRefused    Code = "camera-basic-only"
	PathUnknown     Code = "camera-path-unknown"
	NoVideo         Code = "camera-no-video"
	CodecNotHandled Code = "camera-codec-not-handled"
	CertUntrusted   Code = "camera-certificate-untrusted"
	TLSFailed       Code = "camera-tls-failed"
	Silent          Code = "camera-silent"
	Stalled         Code = "camera-stalled"
	HungUp          Code = "camera-hung-up"
	Busy            Code = "camera-busy"
	TransportNo     Code = "camera-transport-refused"
	Garbled         Code = "camera-garbled"
	Refused         Code = "camera-refused"
	NoKeyframe      Code = "camera-no-keyframe"
	NotHTTP         Code = "camera-not-http"
	NotONVIF        Code = "camera-not-onvif"
	ProfileGone     Code = "camera-profile-gone"
	SettingUnfit    Code = "camera-setting-unfit"
	DeviceUnknown   Code = "camera-device-unknown"
	DeviceMoved     Code = "camera-moved"
	DeviceNotFound  Code = "camera-device-not-found"
	PageInstead     Code = "camera-page-instead"
	NoPicture       Code = "camera-no-picture"
	PictureOdd      Code = "camera-picture-not-handled"
	Elsewhere       Code = "camera-elsewhere"
	Empty           Code = "camera-answer-empty"
	SlowAnswer      Code = "camera-answers-late"
	SpeaksHTTP      Code = "camera-speaks-http"
	NotJPEG         Code = "camera-other-picture"
	PayloadType     Code = "camera-payload-type"
	ListenTaken     Code = "camera-port-taken"
	ListenRefused   Code = "camera-listen-refused"
	GroupRefused    Code = "camera-group-refused"
	NotTransport    Code = "camera-not-transport-stream"
	ProgramUnknown  Code = "camera-program-unknown"
	Scrambled       Code = "camera-scrambled"
)

// Kind is one row of the table.
type Kind struct {
	Code     Code
	Class    Class
	Sentence string
	Remedy   string

	// Person says that trying again soon does not help: somebody has to change
	// something first.
	Person bool

	// Status is the HTTP status of an answer that tells of the fault (RFC 9110, 15).
	Status int
}

// badGateway is the status of a camera's faults: the service itself did its part.
const badGateway = 502

var table = slices.Concat(cameraKinds(), publishKinds, serviceKinds)

// cameraKinds returns the camera's rows with their status.
func cameraKinds() []Kind {
	for i := range cameras {
		cameras[i].Status = badGateway
	}
	return cameras
}

var cameras = []Kind{
	{NameUnknown, ClassUnreachable, "The camera's host name is not known.",
		"Check the name for typing errors, or use the camera's IP address.", false, 0},
	{PortClosed, ClassUnreachable, "The camera's address answers, but nothing listens on that port.",
		"Check the port (RTSP is usually 554, HTTP 80), and that RTSP or the web server is switched on in the camera; a camera that is still starting needs a minute.", false, 0},
	{NoAnswer, ClassUnreachable, "Nothing answers at the camera's address.",
		"Check that the camera has power and has not got another address; if a router forwards the port, check where its rule points and that it is switched on.", false, 0},
	{NoRoute, ClassUnreachable, "There is no way from this machine to the camera's network.",
		"Check this machine's network connection, and that the address belongs to a network that it can reach.", false, 0},
	{NotRTSP, ClassBroken, "Something answers at that address, but it does not speak RTSP.",
		"Check the port: a camera's web page (80, 8080) is not its RTSP port (usually 554). For encryption write rtsps://.", false, 0},
	{SignInMissing, ClassRefused, "The camera asks for a user and a password, and none was given.",
		"Give the user and the password of an account on the camera that may watch the stream.", true, 0},
	{SignInRefused, ClassRefused, "The camera does not accept the user or the password.",
		"Enter user and password again. Many cameras keep separate accounts for their web page and for RTSP, and lock an account for some minutes after several wrong passwords.", true, 0},
	{BasicRefused, ClassRefused, "The camera was found at another address, and only offers Basic sign-in there: the password was not sent.",
		"Make sure that the address is the camera's, then run \"webostrum camera follow\", or save the feed with its user and password.", true, 0},
	{PathUnknown, ClassNotFound, "The camera has nothing under that path.",
		"Look up the stream's path in the camera's manual or its settings page; some paths carry a channel number that must exist. A camera that is still starting may need a minute.", false, 0},
	{NoVideo, ClassBroken, "The camera's stream holds no video.",
		"Choose another stream or profile of the camera; this one carries only audio or data.", true, 0},
	{CodecNotHandled, ClassBroken, "The camera sends video in a codec that is not handled.",
		"Set the camera's stream to H.264, or use another of its streams.", true, 0},
	{CertUntrusted, ClassRefused, "The camera's TLS certificate is not trusted.",
		"Compare the fingerprint with the one on the camera's settings page, and give it to the feed if they are the same.", true, 0},
	{TLSFailed, ClassBroken, "No encrypted connection came about.",
		"Check that the camera's port is its rtsps port (usually 322); without encryption write rtsp://.", false, 0},
	{Silent, ClassBroken, "The camera accepted everything and then sent no picture.",
		"Over UDP a firewall may be in the way: set the feed's transport to tcp. Otherwise restart the camera.", false, 0},
	{Stalled, ClassBroken, "The camera stopped sending without closing the connection.",
		"Nothing to do at first: the connection is opened again. If it happens often, check the camera's Wi-Fi and its power supply.", false, 0},
	{HungUp, ClassUnreachable, "The camera closed the connection.",
		"Nothing to do at first: the connection is opened again. If it happens often, look for other programs that use the same camera.", false, 0},
	{Busy, ClassRefused, "The camera is busy: it serves as many viewers as it can.",
		"End other programs that use the camera, or raise the number of connections in its settings.", false, 0},
	{Elsewhere, ClassRefused, "The camera points to another host.",
		"Credentials and requests go to the camera's own host alone. If the other address is the camera's, give that one to the feed.", true, 0},
	{Empty, ClassBroken, "The camera's answer was empty.",
		"Open the address in a browser. A camera that is still starting may need a minute.", false, 0},
	{SlowAnswer, ClassUnreachable, "The camera takes the connection, and then answers too late.",
		"Give it more time with the feed's answer time (up to 120 s). If it was quicker before, look for other programs that use it.", false, 0},
	{SpeaksHTTP, ClassBroken, "Something answers at that address, but it answered with HTTP.",
		"Check the port: a camera's web page (80, 8080) is not its RTSP port (usually 554). If the address is one of Motion JPEG or of pictures, write http:// or https://.", false, 0},
	{NotJPEG, ClassBroken, "The camera sends another kind of picture than JPEG.",
		"Set the camera to JPEG, or use another of its paths.", true, 0},
	{PayloadType, ClassBroken, "The camera sends packets that its description does not announce.",
		"Restart the camera, or use another of its streams; if it goes on, report what stands beside this to its maker.", false, 0},
	{ListenTaken, ClassRefused, "Another feed or program listens on that port of this machine.",
		"Give each feed a port of its own, and set the sender to it.", true, 0},
	{ListenRefused, ClassUsage, "This machine cannot listen on that address.",
		"Use 0.0.0.0 or one of this machine's own addresses, with a port from 1024 to 65535.", true, 0},
	{GroupRefused, ClassUnreachable, "This machine cannot join that multicast group.",
		"Check that a network interface is up and has a route for multicast, or name one with ?interface=eth0 behind the address.", false, 0},
	{NotTransport, ClassBroken, "What comes is no MPEG transport stream.",
		"Set the encoder to a transport stream (MPEG-TS), bare over UDP or within RTP.", false, 0},
	{ProgramUnknown, ClassNotFound, "The transport stream has no such program.",
		"Use one of the numbers that stand beside this, or leave ?program= out.", true, 0},
	{Scrambled, ClassBroken, "The transport stream is scrambled.",
		"Have it sent in the clear; streams for decoder cards are not handled.", true, 0},
	{TransportNo, ClassRefused, "The camera does not offer the way of transport that was asked for.",
		"Set the feed's transport to auto, tcp or udp, whichever it is not now.", true, 0},
	{Garbled, ClassBroken, "The camera's answer makes no sense.",
		"Check that the address is that of an RTSP stream. If it is, save a capture of the connection and report it.", false, 0},
	{Refused, ClassRefused, "The camera refused the request.",
		"The camera's own words stand beside this; its log may say more.", false, 0},
	{NoKeyframe, ClassBroken, "The camera sends, but no picture that decoding could start with.",
		"Set a keyframe (I-frame) interval of one to four seconds in the camera.", false, 0},
	{NotHTTP, ClassBroken, "Something answers at that address, but it does not speak HTTP.",
		"Check the port: a camera's web port is usually 80 or 8080. For encryption write https://; for RTSP write rtsp://.", false, 0},
	{ProfileGone, ClassNotFound, "The camera has no such profile any more.",
		"Ask it for its streams again, and take one.", false, 0},
	{NotONVIF, ClassBroken, "Something answers at that address, but it does not speak ONVIF.",
		"Check that ONVIF is switched on in the camera, and at which port; some cameras want a user of its own for it.", false, 0},
	{PageInstead, ClassBroken, "The camera sends a web page instead of pictures.",
		"Open the address in a browser. A sign-in page means that the camera wants a user and a password, or a path that does without its page; its manual names the path of the stream or of the picture.", false, 0},
	{NoPicture, ClassBroken, "What the camera sends holds no JPEG pictures.",
		"Check the path: the manual names the one for Motion JPEG or for single JPEG pictures.", false, 0},
	{PictureOdd, ClassBroken, "The camera sends JPEG pictures of a kind that is not handled.",
		"Set the camera to ordinary (baseline, 8 bit, colour or grey) JPEG of a usual size; the details stand beside this.", true, 0},
}

// Camera says whether a fault is a camera's, which strangers are not told about.
func (k Kind) Camera() bool { return k.Status == badGateway }

// Table returns all kinds in the order of the documents.
func Table() []Kind { return append([]Kind(nil), table...) }

// Lookup returns the row of a code.
func Lookup(code Code) (Kind, bool) {
	for _, k := range table {
		if k.Code == code {
			return k, true
		}
	}
	return Kind{}, false
}

// Error is a fault that happened. Its text says what was tried and what came
// back; the table says the rest.
type Error struct {
	Kind   Kind
	Detail string
	Cause  error
}

// New makes an error of a code. The detail is shown to the user, so it must
// hold no credentials.
func New(code Code, cause error, format string, args ...any) *Error {
	kind, ok := Lookup(code)
	if !ok {
		kind = Kind{Code: code, Sentence: string(code)}
	}
	return &Error{Kind: kind, Detail: fmt.Sprintf(format, args...), Cause: cause}
}

// Error is the sentence and the detail.
func (e *Error) Error() string {
	if e.Detail == "" {
		return e.Kind.Sentence
	}
	return e.Kind.Sentence + " (" + e.Detail + ")"
}

// Unwrap returns the cause.
func (e *Error) Unwrap() error { return e.Cause }

// Changed compares what is wrong now with what was wrong before, nil for nothing, for those who tell
// each trouble once: news says that it is another one, over that it has ended.
func Changed(before, now *Error) (news, over bool) {
	news = now != nil && (before == nil || before.Kind.Code != now.Kind.Code)
	return news, now == nil && before != nil
}

// As returns the fault in an error's chain; one that is none becomes Garbled.
func As(err error) *Error {
	var f *Error
	if errors.As(err, &f) {
		return f
	}
	return New(Garbled, err, "%v", err)
}
