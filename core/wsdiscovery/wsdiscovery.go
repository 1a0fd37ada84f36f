// Package wsdiscovery writes and reads the messages by which devices are found on a network
// (WS-Discovery of April 2005, as ONVIF devices speak it: ONVIF Core Specification, 7).
// A probe goes to 239.255.255.250, or ff02::c, port 3702, over UDP.
package wsdiscovery

import (
	"fmt"
	"net/url"
	"strings"

	"webostrum/core/shown"
	"webostrum/core/xmltree"
)

// Port and Group are where devices listen.
const (
	Port  = 3702
	Group = "239.255.255.250"
)

const (
	soap      = "http://www.w3.org/2003/05/soap-envelope"
	address   = "http://schemas.xmlsoap.org/ws/2004/08/addressing"
	discovery = "http://schemas.xmlsoap.org/ws/2005/04/discovery"
	network   = "http://www.onvif.org/ver10/network/wsdl"
	anonymous = address + "/role/anonymous"
	to        = "urn:schemas-xmlsoap-org:ws:2005:04:discovery"

	mostAddresses = 16
	mostScopes    = 64
	mostText      = 200 // bytes of a name
)

const envelope = `<?xml version="1.0" encoding="UTF-8"?>
<s:Envelope xmlns:s="` + soap + `" xmlns:a="` + address + `" xmlns:d="` + discovery + `" xmlns:dn="` + network + `"><s:Header>%s</s:Header><s:Body>%s</s:Body></s:Envelope>`

// Probe is a message that asks video devices to answer; id is a UUID of its own.
func Probe(id string) []byte {
	header := fmt.Sprintf("<a:MessageID>urn:uuid:%s</a:MessageID><a:To>%s</a:To><a:Action>%s/Probe</a:Action>", id, to, discovery)
	return fmt.Appendf(nil, envelope, header, "<d:Probe><d:Types>dn:NetworkVideoTransmitter</d:Types></d:Probe>")
}

// Device is what a device says of itself.
type Device struct {
	ID        string   // that stays when its address changes: a URN
	Addresses []string // of its services, http or https
	Name      string
	Hardware  string
	Location  string
}

// Answer is a device's answer to a probe that had an ID.
func Answer(to, id string, d Device) []byte {
	header := fmt.Sprintf("<a:MessageID>urn:uuid:%s</a:MessageID><a:RelatesTo>urn:uuid:%s</a:RelatesTo><a:To>%s</a:To><a:Action>%s/ProbeMatches</a:Action>", id, to, anonymous, discovery)
	var scopes []string
	for kind, value := range map[string]string{"name": d.Name, "hardware": d.Hardware, "location": d.Location} {
		if value != "" {
			scopes = append(scopes, scopePrefix+kind+"/"+url.PathEscape(value))
		}
	}
	body := fmt.Sprintf("<d:ProbeMatches><d:ProbeMatch><a:EndpointReference><a:Address>%s</a:Address></a:EndpointReference>"+
		"<d:Types>dn:NetworkVideoTransmitter</d:Types><d:Scopes>%s</d:Scopes><d:XAddrs>%s</d:XAddrs><d:MetadataVersion>1</d:MetadataVersion></d:ProbeMatch></d:ProbeMatches>",
		xmltree.Escape(d.ID), xmltree.Escape(strings.Join(scopes, " ")), xmltree.Escape(strings.Join(d.Addresses, " ")))
	return fmt.Appendf(nil, envelope, header, body)
}

// ReadProbe returns the ID of a probe that video devices answer.
func ReadProbe(data []byte) (id string, ok bool) {
	n, err := xmltree.Parse(data)
	if err != nil {
		return "", false
	}
	probe := n.First("Body", "Probe")
	types := probe.Value("Types")
	if probe == nil || types != "" && !strings.Contains(types, "NetworkVideoTransmitter") && !strings.Contains(types, "Device") {
		return "", false
	}
	return strings.TrimPrefix(n.Value("Header", "MessageID"), "urn:uuid:"), true
}

// ReadAnswer reads what devices answer to a probe of an ID; the ID of their answer is that
// of the probe, or what they say is for somebody else. Devices without an address are left
// out.
func ReadAnswer(data []byte, id string) (list []Device, err error) {
	n, err := xmltree.Parse(data)
	if err != nil {
		return nil, err
	}
	if related := strings.TrimPrefix(n.Value("Header", "RelatesTo"), "urn:uuid:"); !strings.EqualFold(related, id) {
		return nil, fmt.Errorf("wsdiscovery: it is no answer to what was asked")
	}
	for _, m := range n.First("Body", "ProbeMatches").All("ProbeMatch") {
		d := Device{ID: cut(m.Value("EndpointReference", "Address"))}
		for text := range strings.FieldsSeq(m.Value("XAddrs")) {
			if u, err := url.Parse(text); err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" && len(d.Addresses) < mostAddresses {
				d.Addresses = append(d.Addresses, text)
			}
		}
		d.readScopes(m.Value("Scopes"))
		if len(d.Addresses) > 0 {
			list = append(list, d)
		}
	}
	return list, nil
}

const scopePrefix = "onvif://www.onvif.org/"

// readScopes takes names out of scopes (ONVIF Core Specification, 7.3.2.2).
func (d *Device) readScopes(text string) {
	count := 0
	for scope := range strings.FieldsSeq(text) {
		if count++; count > mostScopes {
			return
		}
		if len(scope) < len(scopePrefix) || !strings.EqualFold(scope[:len(scopePrefix)], scopePrefix) {
			continue
		}
		kind, value, _ := strings.Cut(scope[len(scopePrefix):], "/")
		if plain, err := url.PathUnescape(value); err == nil {
			value = plain
		}
		switch strings.ToLower(kind) {
		case "name":
			d.Name = cut(value)
		case "hardware":
			d.Hardware = cut(value)
		case "location":
			if d.Location == "" {
				d.Location = cut(value)
			}
		}
	}
}

// cut makes a text that a device has sent fit to be shown.
func cut(text string) string { return shown.Text(text, mostText) }
