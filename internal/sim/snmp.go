package sim

import (
	"encoding/hex"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"
)

// listenSNMP answers SNMP (v2c) beside IPP, at the same host.
func (p *Printer) listenSNMP() error {
	host, port, err := net.SplitHostPort(p.Addr())
	if err != nil {
		return err
	}
	// The port after the one for IPP, so that it is the same in every run; any other where that is taken.
	n, err := strconv.Atoi(port)
	if err != nil {
		return err
	}
	if p.udp, err = net.ListenPacket("udp", net.JoinHostPort(host, strconv.Itoa(n+1))); err != nil {
		if p.udp, err = net.ListenPacket("udp", net.JoinHostPort(host, "0")); err != nil {
			return err
		}
	}
	go p.serveSNMP(p.udp) // ends with Close
	return nil
}

func (p *Printer) serveSNMP(conn net.PacketConn) {
	b := make([]byte, 64<<10)
	for {
		n, from, err := conn.ReadFrom(b)
		if err != nil {
			return
		}
		if p.Habit == "garbage" {
			_, _ = conn.WriteTo([]byte("0\x84\xff\xff\xff\xff\x02\x01\x01"), from)
			continue
		}
		if out := p.answerSNMP(b[:n]); out != nil {
			_, _ = conn.WriteTo(out, from) // whoever asks asks again
		}
	}
}

// answerSNMP answers GET, GETNEXT and GETBULK; a wrong community hears nothing.
func (p *Printer) answerSNMP(b []byte) []byte {
	req, err := (&gosnmp.GoSNMP{Version: gosnmp.Version2c}).SnmpDecodePacket(b)
	if err != nil || req.Community != p.SNMP {
		return nil
	}
	tree := p.variables()
	at := func(oid string) int {
		i, _ := slices.BinarySearchFunc(tree, oid, func(v gosnmp.SnmpPDU, oid string) int { return compareOID(v.Name, oid) })
		return i
	}
	var out []gosnmp.SnmpPDU
	next := func(oid string, count int) {
		i := at(oid)
		if i < len(tree) && tree[i].Name == oid {
			i++
		}
		for range count {
			if i >= len(tree) {
				out = append(out, gosnmp.SnmpPDU{Name: oid, Type: gosnmp.EndOfMibView})
				return
			}
			out = append(out, tree[i])
			i++
		}
	}
	for k, v := range req.Variables {
		oid := strings.TrimPrefix(v.Name, ".")
		switch req.PDUType {
		case gosnmp.GetRequest:
			if i := at(oid); i < len(tree) && tree[i].Name == oid {
				out = append(out, tree[i])
			} else {
				out = append(out, gosnmp.SnmpPDU{Name: oid, Type: gosnmp.NoSuchInstance})
			}
		case gosnmp.GetNextRequest:
			next(oid, 1)
		case gosnmp.GetBulkRequest:
			if k < int(req.NonRepeaters) {
				next(oid, 1)
			} else {
				next(oid, min(int(req.MaxRepetitions), 64))
			}
		default:
			return nil
		}
	}
	answer := &gosnmp.SnmpPacket{Version: req.Version, Community: req.Community, PDUType: gosnmp.GetResponse,
		RequestID: req.RequestID, Variables: out}
	bytes, err := answer.MarshalMsg()
	if err != nil {
		return nil
	}
	return bytes
}

// variables are what it tells, in the order of their numbers.
func (p *Printer) variables() []gosnmp.SnmpPDU {
	p.mu.Lock()
	broken, pages := p.state, p.pages
	p.mu.Unlock()
	text := func(oid, s string) gosnmp.SnmpPDU {
		return gosnmp.SnmpPDU{Name: oid, Type: gosnmp.OctetString, Value: s}
	}
	number := func(oid string, n int) gosnmp.SnmpPDU {
		return gosnmp.SnmpPDU{Name: oid, Type: gosnmp.Integer, Value: n}
	}
	status, errors := 3, "\x00"
	switch broken {
	case "":
	case "media-jam":
		status, errors = 1, "\x04"
	default:
		status, errors = 1, "\x01"
	}
	mac, _ := hex.DecodeString(strings.ReplaceAll(p.MAC, ":", "")) // none where it has none
	out := []gosnmp.SnmpPDU{
		text("1.3.6.1.2.1.1.1.0", p.Model), {Name: "1.3.6.1.2.1.1.3.0", Type: gosnmp.TimeTicks,
			Value: uint32(time.Since(p.begun) / (10 * time.Millisecond))},
		text("1.3.6.1.2.1.1.5.0", p.Name), text("1.3.6.1.2.1.1.6.0", p.Location),
		text("1.3.6.1.2.1.2.2.1.6.1", ""), text("1.3.6.1.2.1.2.2.1.6.2", string(mac)),
		text("1.3.6.1.2.1.25.3.2.1.3.1", p.Model), number("1.3.6.1.2.1.25.3.5.1.1.1", status),
		text("1.3.6.1.2.1.25.3.5.1.2.1", errors),
		text("1.3.6.1.2.1.43.5.1.1.17.1", p.Serial), {Name: "1.3.6.1.2.1.43.10.2.1.4.1.1", Type: gosnmp.Counter32,
			Value: uint32(pages)},
		number("1.3.6.1.2.1.43.15.1.1.2.1.1", 47), number("1.3.6.1.2.1.43.15.1.1.2.1.2", 54),
		text("1.3.6.1.2.1.43.16.5.1.2.1.1", broken),
	}
	for i, s := range p.Supplies {
		row := strconv.Itoa(i + 1)
		out = append(out, text("1.3.6.1.2.1.43.11.1.1.6.1."+row, s.Name), number("1.3.6.1.2.1.43.11.1.1.8.1."+row, 100),
			number("1.3.6.1.2.1.43.11.1.1.9.1."+row, max(s.Level, -2)))
	}
	slices.SortFunc(out, func(a, b gosnmp.SnmpPDU) int { return compareOID(a.Name, b.Name) })
	return out
}

// compareOID compares as numbers: .10 comes after .9.
func compareOID(a, b string) int {
	x, y := strings.Split(a, "."), strings.Split(b, ".")
	return slices.CompareFunc(x, y, func(s, t string) int {
		m, _ := strconv.Atoi(s) // all are numbers
		n, _ := strconv.Atoi(t)
		return m - n
	})
}
