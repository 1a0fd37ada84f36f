// Package onvif writes and reads the messages by which cameras are asked for what they are
// and what they send (ONVIF Core, Media and Media2 Service Specifications; SOAP 1.2;
// WS-Security UsernameToken Profile 1.0). Nothing here opens a connection.
package onvif

import (
	"crypto/sha1" //nolint:gosec // the profile asks for it
	"encoding/base64"
	"fmt"
	"time"

	"webostrum/core/xmltree"
)

// Namespaces of the services.
const (
	DeviceService = "http://www.onvif.org/ver10/device/wsdl"
	MediaService  = "http://www.onvif.org/ver10/media/wsdl"
	Media2Service = "http://www.onvif.org/ver20/media/wsdl"

	schema   = "http://www.onvif.org/ver10/schema"
	soap     = "http://www.w3.org/2003/05/soap-envelope"
	security = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
	utility  = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
	profile  = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-username-token-profile-1.0#PasswordDigest"
	base64s  = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-soap-message-security-1.0#Base64Binary"

	createdFormat = "2006-01-02T15:04:05.000Z"
)

// ContentType is that of requests.
const ContentType = "application/soap+xml; charset=utf-8"

// Request is what a service is asked.
type Request struct {
	Service string // namespace
	Name    string // of the operation
	inner   string
}

// Action is the request's SOAP action.
func (r Request) Action() string { return r.Service + "/" + r.Name }

// Signature is who asks. Created is by the device's clock, as near as it is known: devices
// refuse what seems to be old.
type Signature struct {
	User, Password string
	Nonce          []byte // of this request alone
	Created        time.Time
}

// Envelope writes a request; who may be nil for one that is not signed.
func (r Request) Envelope(who *Signature) []byte {
	header := ""
	if who != nil {
		header = "<s:Header>" + who.token() + "</s:Header>"
	}
	return fmt.Appendf(nil, `<?xml version="1.0" encoding="UTF-8"?>`+"\n"+`<s:Envelope xmlns:s="%s">%s<s:Body><%s xmlns="%s">%s</%s></s:Body></s:Envelope>`,
		soap, header, r.Name, r.Service, r.inner, r.Name)
}

// token is a UsernameToken with a digest of the password.
func (w *Signature) token() string {
	created := w.Created.UTC().Format(createdFormat)
	return fmt.Sprintf(`<w:Security s:mustUnderstand="1" xmlns:w="%s" xmlns:u="%s"><w:UsernameToken><w:Username>%s</w:Username>`+
		`<w:Password Type="%s">%s</w:Password><w:Nonce EncodingType="%s">%s</w:Nonce><u:Created>%s</u:Created></w:UsernameToken></w:Security>`,
		security, utility, xmltree.Escape(w.User), profile, Digest(w.Nonce, created, w.Password), base64s, base64.StdEncoding.EncodeToString(w.Nonce), created)
}

// Digest is Base64(SHA-1(nonce + created + password)) (UsernameToken Profile 1.0, 3.1).
func Digest(nonce []byte, created, password string) string {
	sum := sha1.Sum(append(append(append([]byte{}, nonce...), created...), password...)) //nolint:gosec // see above
	return base64.StdEncoding.EncodeToString(sum[:])
}

// GetClock asks for the device's clock, which everybody may (Core, 8.3.4).
func GetClock() Request { return Request{DeviceService, "GetSystemDateAndTime", ""} }

// GetInformation asks for maker, model and firmware.
func GetInformation() Request { return Request{DeviceService, "GetDeviceInformation", ""} }

// GetEndpoint asks what the device calls itself in WS-Discovery (Core, 8.4.10).
func GetEndpoint() Request { return Request{DeviceService, "GetEndpointReference", ""} }

// GetServices asks for the addresses of the services.
func GetServices() Request {
	return Request{DeviceService, "GetServices", "<IncludeCapability>false</IncludeCapability>"}
}

// GetCapabilities asks the same of devices that do not know GetServices.
func GetCapabilities() Request {
	return Request{DeviceService, "GetCapabilities", "<Category>All</Category>"}
}

// GetProfiles asks a media service for its profiles.
func GetProfiles(service string) Request {
	if service == Media2Service {
		return Request{service, "GetProfiles", "<Type>VideoSource</Type><Type>VideoEncoder</Type><Type>AudioEncoder</Type><Type>PTZ</Type>"}
	}
	return Request{service, "GetProfiles", ""}
}

// GetStreamURI asks where a profile's stream is.
func GetStreamURI(service, token string) Request {
	token = "<ProfileToken>" + xmltree.Escape(token) + "</ProfileToken>"
	if service == Media2Service {
		return Request{service, "GetStreamUri", "<Protocol>RTSP</Protocol>" + token}
	}
	setup := fmt.Sprintf(`<StreamSetup><Stream xmlns="%[1]s">RTP-Unicast</Stream><Transport xmlns="%[1]s"><Protocol>RTSP</Protocol></Transport></StreamSetup>`, schema)
	return Request{service, "GetStreamUri", setup + token}
}

// GetSnapshotURI asks where a still of a profile is.
func GetSnapshotURI(service, token string) Request {
	return Request{service, "GetSnapshotUri", "<ProfileToken>" + xmltree.Escape(token) + "</ProfileToken>"}
}
