package device

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"

	"github.com/google/uuid"
	"golang.org/x/net/dns/dnsmessage"

	"webostrum/core/wsdiscovery"
)

const (
	mostPacket = 64 << 10
	mdnsPort   = 5353
	lifetime   = 120 // seconds
	rtspKind   = "_rtsp._tcp.local."
)

// answers answers what comes to a group on the device's interface until ctx ends.
func (d *Device) answers(ctx context.Context, group string, port int, answer func(data []byte) []byte) error {
	i, err := net.InterfaceByName(d.cfg.On)
	if err != nil {
		return fmt.Errorf("the simulated device %s cannot be found on %s: %w", d.cfg.Name, d.cfg.On, err)
	}
	heard, err := net.ListenMulticastUDP("udp4", i, &net.UDPAddr{IP: net.ParseIP(group), Port: port})
	if err != nil {
		return fmt.Errorf("the simulated device %s cannot hear %s: %w", d.cfg.Name, group, err)
	}
	host, _, _ := net.SplitHostPort(d.listener.Addr().String())
	says, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.ParseIP(host)})
	if err != nil {
		return errors.Join(err, heard.Close())
	}
	defer func() { _ = says.Close() }()
	defer context.AfterFunc(ctx, func() { _ = heard.Close() })()
	buf := make([]byte, mostPacket)
	for {
		n, from, err := heard.ReadFromUDP(buf)
		if err != nil {
			if ctx.Err() != nil {
				return nil
			}
			return err
		}
		if out := answer(buf[:n]); out != nil {
			_, _ = says.WriteToUDP(out, from) // whoever asked may have gone
		}
	}
}

// answerProbes answers WS-Discovery.
func (d *Device) answerProbes(ctx context.Context) error {
	me := wsdiscovery.Device{ID: d.cfg.ID, Name: d.cfg.Name, Hardware: d.cfg.Hardware, Location: d.cfg.Location, Addresses: []string{d.foundAt()}}
	return d.answers(ctx, wsdiscovery.Group, wsdiscovery.Port, func(data []byte) []byte {
		id, ok := wsdiscovery.ReadProbe(data)
		if !ok {
			return nil
		}
		return wsdiscovery.Answer(id, uuid.NewString(), me)
	})
}

// foundAt is the address that the device gives of itself, which is whole even where others
// are relative.
func (d *Device) foundAt() string {
	if d.cfg.Quirks.OtherHost != "" {
		return "http://" + d.cfg.Quirks.OtherHost + path
	}
	return d.URL()
}

// answerBrowsers answers mDNS with its first stream (RFC 6762, 6.7; RFC 6763).
func (d *Device) answerBrowsers(ctx context.Context) error {
	return d.answers(ctx, "224.0.0.251", mdnsPort, func(data []byte) []byte {
		var asked dnsmessage.Message
		if asked.Unpack(data) != nil || asked.Response || len(d.cfg.Streams) == 0 {
			return nil
		}
		for _, q := range asked.Questions {
			if strings.EqualFold(q.Name.String(), rtspKind) {
				out, err := d.announcement(asked.ID)
				if err != nil {
					return nil
				}
				return out
			}
		}
		return nil
	})
}

func (d *Device) announcement(id uint16) ([]byte, error) {
	u, err := url.Parse(d.cfg.Streams[0].URL)
	if err != nil {
		return nil, err
	}
	port, err := strconv.Atoi(u.Port())
	if err != nil {
		return nil, err
	}
	kind, err := dnsmessage.NewName(rtspKind)
	if err != nil {
		return nil, err
	}
	label := strings.ReplaceAll(strings.ToLower(d.cfg.Name), " ", "-")
	instance, err := dnsmessage.NewName(label + "." + rtspKind)
	if err != nil {
		return nil, err
	}
	host, err := dnsmessage.NewName(label + ".local.")
	if err != nil {
		return nil, err
	}
	head := func(name dnsmessage.Name) dnsmessage.ResourceHeader {
		return dnsmessage.ResourceHeader{Name: name, Class: dnsmessage.ClassINET, TTL: lifetime}
	}
	m := dnsmessage.Message{
		Header:  dnsmessage.Header{ID: id, Response: true, Authoritative: true},
		Answers: []dnsmessage.Resource{{Header: head(kind), Body: &dnsmessage.PTRResource{PTR: instance}}},
		Additionals: []dnsmessage.Resource{
			{Header: head(instance), Body: &dnsmessage.SRVResource{Port: uint16(port), Target: host}},
			{Header: head(instance), Body: &dnsmessage.TXTResource{TXT: []string{"path=" + u.Path}}},
		},
	}
	return m.Pack()
}
