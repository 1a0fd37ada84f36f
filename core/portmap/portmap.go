// Package portmap writes and reads what is said to a router to have it pass ports on: PCP
// (RFC 6887) and its forerunner NAT-PMP (RFC 6886), in datagrams to one port.
package portmap

import (
	"encoding/binary"
	"errors"
	"fmt"
	"net/netip"
	"time"
)

// Port is where routers listen for both (RFC 6887, 19.1).
const Port = 5351

// Protocol is what is passed on, by its number in IP.
type Protocol uint8

// The protocols.
const (
	TCP Protocol = 6
	UDP Protocol = 17
)

// Mapping is a port that is passed on.
type Mapping struct {
	Protocol Protocol
	Inside   uint16
	Outside  uint16        // at the router; 0 in a request leaves it to the router
	Lifetime time.Duration // whole seconds; 0 ends it
	Address  netip.Addr    // of the router, outside; invalid where it is not told
}

// The ways in which an answer is none.
var (
	ErrMalformed   = errors.New("portmap: the answer is malformed")
	ErrVersion     = errors.New("portmap: the router speaks another version")
	ErrOtherAnswer = errors.New("portmap: that is the answer to something else")
)

// RefusedError is a router's refusal.
type RefusedError struct{ Code uint16 }

// pcpReasons are the result codes of PCP (RFC 6887, 7.4).
var pcpReasons = map[uint16]string{
	1: "it speaks another version", 2: "it is not allowed", 3: "it does not understand the request", 4: "it does not know the operation", 5: "it does not know an option",
	6: "an option is malformed", 7: "its network is down", 8: "it has no room for more", 9: "it does not know the protocol", 10: "this machine has too many already",
	11: "it cannot give that port", 12: "the address is not this machine's: there is another router in between", 13: "there are too many peers",
}

// Error implements error.
func (e *RefusedError) Error() string {
	why := pcpReasons[e.Code]
	if why == "" {
		why = "no more is known"
	}
	return fmt.Sprintf("the router refuses (code %d): %s", e.Code, why)
}

// A PCP MAP request and its answer (RFC 6887, 7.1, 7.2 and 11.1), 60 bytes:
//
//	 0  version 2 | 1  opcode, answers 0x80 more | 2  reserved | 3  result, in answers
//	 4  lifetime, seconds
//	 8  client's address, 16 bytes; in answers the epoch and reserved
//	24  nonce, 12 bytes
//	36  protocol | 37  reserved
//	40  inside port | 42  outside port
//	44  outside address, 16 bytes
const (
	pcpVersion  = 2
	pcpMap      = 1
	answerBit   = 0x80
	pcpLen      = 60
	lifetimeAt  = 4
	clientAt    = 8
	nonceAt     = 24
	protocolAt  = 36
	insideAt    = 40
	outsideAt   = 42
	addressAt   = 44
	pcpLenError = 24 // of an answer that refuses, at least
)

// Nonce ties answers to requests, and renewals to what they renew.
type Nonce [12]byte

// PCPRequest asks for a mapping; client is this machine's address as the router sees it.
func PCPRequest(m Mapping, client netip.Addr, nonce Nonce) []byte {
	b := make([]byte, pcpLen)
	b[0], b[1] = pcpVersion, pcpMap
	binary.BigEndian.PutUint32(b[lifetimeAt:], seconds(m.Lifetime))
	c := client.As16()
	copy(b[clientAt:], c[:])
	copy(b[nonceAt:], nonce[:])
	b[protocolAt] = byte(m.Protocol)
	binary.BigEndian.PutUint16(b[insideAt:], m.Inside)
	binary.BigEndian.PutUint16(b[outsideAt:], m.Outside)
	suggested := netip.AddrFrom16([16]byte{10: 0xff, 11: 0xff}) // any of IPv4
	if m.Address.IsValid() {
		suggested = m.Address
	}
	s := suggested.As16()
	copy(b[addressAt:], s[:])
	return b
}

// ParsePCP reads the answer to a request. The error is ErrVersion where the router knows
// NAT-PMP alone, ErrOtherAnswer, ErrMalformed or a *RefusedError.
func ParsePCP(b []byte, asked Mapping, nonce Nonce) (Mapping, error) {
	switch {
	case len(b) >= 4 && b[0] != pcpVersion:
		return Mapping{}, ErrVersion
	case len(b) < pcpLenError || b[1] != pcpMap|answerBit:
		return Mapping{}, ErrMalformed
	case b[3] == 1:
		return Mapping{}, ErrVersion
	case b[3] != 0:
		return Mapping{}, &RefusedError{uint16(b[3])}
	case len(b) < pcpLen:
		return Mapping{}, ErrMalformed
	}
	m := Mapping{
		Protocol: Protocol(b[protocolAt]), Inside: binary.BigEndian.Uint16(b[insideAt:]), Outside: binary.BigEndian.Uint16(b[outsideAt:]),
		Lifetime: duration(b[lifetimeAt:]), Address: netip.AddrFrom16([16]byte(b[addressAt:pcpLen])).Unmap(),
	}
	if Nonce(b[nonceAt:protocolAt]) != nonce || m.Protocol != asked.Protocol || m.Inside != asked.Inside {
		return Mapping{}, ErrOtherAnswer
	}
	return m, nil
}

// NAT-PMP (RFC 6886, 3.2 and 3.3).
const (
	pmpAddress    = 0
	pmpUDP        = 1
	pmpTCP        = 2
	pmpAddressLen = 12
	pmpMapLen     = 16
	pmpResultAt   = 2
)

func pmpOp(p Protocol) byte {
	if p == UDP {
		return pmpUDP
	}
	return pmpTCP
}

// PMPAddressRequest asks for the router's address outside.
func PMPAddressRequest() []byte { return []byte{0, pmpAddress} }

// ParsePMPAddress reads the answer.
func ParsePMPAddress(b []byte) (netip.Addr, error) {
	if err := pmpHead(b, pmpAddress, pmpAddressLen); err != nil {
		return netip.Addr{}, err
	}
	return netip.AddrFrom4([4]byte(b[8:pmpAddressLen])), nil
}

// PMPMapRequest asks for a mapping.
func PMPMapRequest(m Mapping) []byte {
	b := make([]byte, 12)
	b[1] = pmpOp(m.Protocol)
	binary.BigEndian.PutUint16(b[4:], m.Inside)
	binary.BigEndian.PutUint16(b[6:], m.Outside)
	binary.BigEndian.PutUint32(b[8:], seconds(m.Lifetime))
	return b
}

// ParsePMPMap reads the answer.
func ParsePMPMap(b []byte, asked Mapping) (Mapping, error) {
	if err := pmpHead(b, pmpOp(asked.Protocol), pmpMapLen); err != nil {
		return Mapping{}, err
	}
	m := Mapping{Protocol: asked.Protocol, Inside: binary.BigEndian.Uint16(b[8:]), Outside: binary.BigEndian.Uint16(b[10:]), Lifetime: duration(b[12:])}
	if m.Inside != asked.Inside {
		return Mapping{}, ErrOtherAnswer
	}
	return m, nil
}

// pmpHead checks what all answers begin with.
func pmpHead(b []byte, op byte, length int) error {
	switch {
	case len(b) < 4:
		return ErrMalformed
	case b[0] != 0:
		return ErrVersion
	case b[1] != op|answerBit:
		return ErrOtherAnswer
	}
	if code := binary.BigEndian.Uint16(b[pmpResultAt:]); code != 0 {
		return &RefusedError{code}
	}
	if len(b) < length {
		return ErrMalformed
	}
	return nil
}

func seconds(d time.Duration) uint32 { return uint32(max(d, 0) / time.Second) }

func duration(b []byte) time.Duration {
	return time.Duration(binary.BigEndian.Uint32(b)) * time.Second
}
