package discover

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"golang.org/x/net/dns/dnsmessage"
	"golang.org/x/net/ipv4"

	"webostrum/core/shown"
	"webostrum/core/wsdiscovery"
)

const (
	mdnsPort  = 5353
	mostName  = 200 // bytes
	mdnsGroup = "224.0.0.251"
	again     = time.Second // what was asked is asked again: datagrams get lost
	unicast   = 1 << 15     // of a question's class: the answer may come to whoever asks (RFC 6762, 5.4)
)

// asker sends a question to a group on one interface, and hears the answers.
type asker struct {
	conn  *net.UDPConn
	group *net.UDPAddr
}

func newAsker(i net.Interface, from netip.Addr, group string, port int) (*asker, error) {
	conn, err := net.ListenUDP("udp4", &net.UDPAddr{IP: from.AsSlice()})
	if err != nil {
		return nil, err
	}
	p := ipv4.NewPacketConn(conn)
	if err := errors.Join(p.SetMulticastInterface(&i), p.SetMulticastTTL(1), p.SetMulticastLoopback(true)); err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	return &asker{conn, &net.UDPAddr{IP: net.ParseIP(group), Port: port}}, nil
}

// run asks, and gives each answer to read until ctx ends.
func (a *asker) run(ctx context.Context, question []byte, c *collection, read func(data []byte, from netip.Addr)) error {
	defer func() { _ = a.conn.Close() }()
	until, ok := ctx.Deadline()
	if !ok {
		return errors.New("a search without an end")
	}
	stop := context.AfterFunc(ctx, func() { _ = a.conn.SetReadDeadline(time.Now()) })
	defer stop()
	buf := make([]byte, mostPacket)
	next := time.Now()
	for ctx.Err() == nil {
		if !time.Now().Before(next) {
			if _, err := a.conn.WriteToUDP(question, a.group); err != nil {
				return fmt.Errorf("it cannot be asked: %w", err)
			}
			next = time.Now().Add(again)
		}
		_ = a.conn.SetReadDeadline(earlier(next, until))
		if ctx.Err() != nil {
			return nil
		}
		n, from, err := a.conn.ReadFromUDPAddrPort(buf)
		switch {
		case errors.Is(err, os.ErrDeadlineExceeded):
			continue
		case err != nil:
			return err
		case !c.more():
			return errors.New("more answers came than any network has cameras; the rest was left out")
		}
		read(buf[:n], from.Addr().Unmap())
	}
	return nil
}

func earlier(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}

// probe asks for ONVIF devices.
func probe(ctx context.Context, i net.Interface, from netip.Addr, c *collection) error {
	a, err := newAsker(i, from, wsdiscovery.Group, wsdiscovery.Port)
	if err != nil {
		return err
	}
	id := uuid.NewString()
	return a.run(ctx, wsdiscovery.Probe(id), c, func(data []byte, from netip.Addr) {
		list, err := wsdiscovery.ReadAnswer(data, id)
		if err != nil {
			return // not for us
		}
		for _, d := range list {
			c.add(foundDevice(d, from))
		}
	})
}

// foundDevice takes the address that an answer came from for the device's: what it says of
// itself may be of a network from before, or of another device.
func foundDevice(d wsdiscovery.Device, from netip.Addr) Found {
	f := Found{Host: from.String(), ID: d.ID, Name: d.Name, Hardware: d.Hardware, Location: d.Location, Ways: []string{ByWSDiscovery}}
	for _, text := range d.Addresses {
		if u, err := url.Parse(text); err == nil && u.Hostname() == f.Host {
			f.Device = u.String()
			return f
		}
	}
	u, err := url.Parse(d.Addresses[0])
	if err != nil {
		return f
	}
	f.Odd = "It gives the address " + u.Host + ", but answers from " + f.Host + "; that is asked instead."
	if port := u.Port(); port != "" {
		u.Host = net.JoinHostPort(from.String(), port)
	} else {
		u.Host = hostIn(from)
	}
	f.Device = u.String()
	return f
}

// kinds are the services that cameras announce (RFC 6763).
var kinds = []string{"_rtsp._tcp.local.", "_http._tcp.local.", "_onvif._tcp.local."}

// browse asks for what announces itself by mDNS.
func browse(ctx context.Context, i net.Interface, from netip.Addr, c *collection) error {
	a, err := newAsker(i, from, mdnsGroup, mdnsPort)
	if err != nil {
		return err
	}
	question, err := dnsQuestion()
	if err != nil {
		return err
	}
	return a.run(ctx, question, c, func(data []byte, from netip.Addr) {
		for _, s := range readServices(data) {
			c.add(s.found(from))
		}
	})
}

func dnsQuestion() ([]byte, error) {
	m := dnsmessage.Message{}
	for _, kind := range kinds {
		name, err := dnsmessage.NewName(kind)
		if err != nil {
			return nil, err
		}
		m.Questions = append(m.Questions, dnsmessage.Question{Name: name, Type: dnsmessage.TypePTR, Class: dnsmessage.ClassINET | unicast})
	}
	return m.Pack()
}

// announced is a service as it announces itself.
type announced struct {
	kind string // one of kinds
	name string
	port uint16
	path string
}

// readServices reads the services of an answer.
func readServices(data []byte) (list []announced) {
	var m dnsmessage.Message
	if err := m.Unpack(data); err != nil || !m.Response {
		return nil
	}
	services, paths := map[string]uint16{}, map[string]string{}
	all := append(append(m.Answers, m.Authorities...), m.Additionals...)
	for _, r := range all {
		name := strings.ToLower(r.Header.Name.String())
		switch body := r.Body.(type) {
		case *dnsmessage.SRVResource:
			services[name] = body.Port
		case *dnsmessage.TXTResource:
			for _, text := range body.TXT {
				if path, ok := strings.CutPrefix(text, "path="); ok {
					paths[name] = path
				}
			}
		}
	}
	for name, port := range services {
		for _, kind := range kinds {
			if instance, ok := strings.CutSuffix(name, "."+kind); ok && port > 0 && len(list) < mostOfOne {
				list = append(list, announced{kind, shown.Text(strings.ReplaceAll(instance, `\`, ""), mostName), port, paths[name]})
			}
		}
	}
	return list
}

func (s announced) found(from netip.Addr) Found {
	f := Found{Host: from.String(), Name: s.name, Ways: []string{ByMDNS}}
	u := url.URL{Host: net.JoinHostPort(from.String(), strconv.Itoa(int(s.port))), Path: "/" + strings.TrimPrefix(s.path, "/")}
	switch s.kind {
	case kinds[0]:
		u.Scheme = "rtsp"
		f.Streams = []string{u.String()}
	case kinds[1]:
		u.Scheme = "http"
		f.Pages = []string{u.String()}
	default:
		u.Scheme = "http"
		f.Device = u.String()
	}
	return f
}
