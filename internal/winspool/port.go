package winspool

import (
	"encoding/binary"
	"fmt"
	"slices"
	"unicode/utf16"
)

// The system's monitors of ports, by their names.
const (
	MonitorTCP      = "Standard TCP/IP Port"
	MonitorInternet = "Internet Port" // of the Internet Printing Client
	MonitorLocal    = "Local Port"
)

// A TCPPort is a port of the monitor MonitorTCP.
type TCPPort struct {
	Name   string
	Host   string // a name or an address
	Number uint32
	Queue  string // with which it speaks LPR (RFC 1179); raw where empty
}

// A tcpLayout says where the members of PORT_DATA_1 or PORT_DATA_2 stand (tcpxcv.h), in octets, and how many characters
// each text has room for, its end included.
type tcpLayout struct {
	version, size, hostRoom, double, queue, number int
}

const (
	tcpVersionAt, tcpProtocolAt, tcpSizeAt, tcpHostAt = 128, 132, 136, 144
	tcpNameRoom, tcpQueueRoom                         = 64, 33
	tcpRaw, tcpLPR                                    = 1, 2
)

var tcpLayouts = []tcpLayout{
	{version: 1, size: 964, hostRoom: 49, double: 308, queue: 312, number: 952},
	{version: 2, size: 1068, hostRoom: 128, double: 468, queue: 472, number: 1052},
}

// Encode gives what AddPort and ConfigPort of the monitor take: a PORT_DATA_1, or a PORT_DATA_2 where the host's name
// is too long for it.
func (p TCPPort) Encode() ([]byte, error) {
	for _, l := range tcpLayouts {
		if len(utf16.Encode([]rune(p.Host))) >= l.hostRoom {
			continue
		}
		b := make([]byte, l.size)
		protocol := uint32(tcpRaw)
		if p.Queue != "" {
			protocol = tcpLPR
			binary.LittleEndian.PutUint32(b[l.double:], 1) // a job's length goes before it in LPR
		}
		if !putText(b, tcpNameRoom, p.Name) || !putText(b[l.queue:], tcpQueueRoom, p.Queue) {
			return nil, fmt.Errorf("the port's name %q or its queue %q is too long for this system", p.Name, p.Queue)
		}
		putText(b[tcpHostAt:], l.hostRoom, p.Host)
		binary.LittleEndian.PutUint32(b[tcpVersionAt:], uint32(l.version))
		binary.LittleEndian.PutUint32(b[tcpProtocolAt:], protocol)
		binary.LittleEndian.PutUint32(b[tcpSizeAt:], uint32(l.size))
		binary.LittleEndian.PutUint32(b[l.number:], p.Number)
		return b, nil
	}
	return nil, fmt.Errorf("the host's name %q is too long for this system", p.Host)
}

// ReadTCPPort reads what GetConfigInfo of the monitor gives.
func ReadTCPPort(b []byte) (p TCPPort, err error) {
	if len(b) < tcpHostAt {
		return p, fmt.Errorf("the port's settings have %d octets only", len(b))
	}
	version := int(binary.LittleEndian.Uint32(b[tcpVersionAt:]))
	i := slices.IndexFunc(tcpLayouts, func(l tcpLayout) bool { return l.version == version && len(b) >= l.size })
	if i < 0 {
		return p, fmt.Errorf("the port's settings are of the version %d, with %d octets", version, len(b))
	}
	l := tcpLayouts[i]
	p = TCPPort{Name: text(b, tcpNameRoom), Host: text(b[tcpHostAt:], l.hostRoom),
		Number: binary.LittleEndian.Uint32(b[l.number:])}
	if binary.LittleEndian.Uint32(b[tcpProtocolAt:]) == tcpLPR {
		p.Queue = text(b[l.queue:], tcpQueueRoom)
	}
	return p, nil
}

// putText writes a text of at most room characters, its end included.
func putText(b []byte, room int, s string) bool {
	u := utf16.Encode([]rune(s))
	if len(u) >= room {
		return false
	}
	for i, c := range u {
		binary.LittleEndian.PutUint16(b[2*i:], c)
	}
	return true
}

func text(b []byte, room int) string {
	var u []uint16
	for i := range room {
		c := binary.LittleEndian.Uint16(b[2*i:])
		if c == 0 {
			break
		}
		u = append(u, c)
	}
	return string(utf16.Decode(u))
}
