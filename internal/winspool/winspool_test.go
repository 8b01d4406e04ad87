package winspool

import (
	"bytes"
	"encoding/binary"
	"testing"
)

// TestMode: the members that a Mode has come back; all else in a DEVMODE stays, the driver's own part too.
func TestMode(t *testing.T) {
	t.Parallel()
	private := bytes.Repeat([]byte{0xa5}, 40)
	base := append(Fresh("Printer, the one with the far too long name"), private...)
	m := Mode{Has: HasDuplex | HasCollate | HasForm | HasPaper, Duplex: 3, Collate: 1, Form: "A4 é", Paper: 9, Copies: 7}
	b := m.Put(base)
	got := ReadMode(b)
	if got.Duplex != 3 || got.Collate != 1 || got.Form != "A4 é" || got.Paper != 9 || got.Copies != 0 || got.Has != m.Has {
		t.Errorf("%+v", got)
	}
	if !bytes.Equal(b[modeSize:], private) || !bytes.Equal(b[:fieldsAt], base[:fieldsAt]) {
		t.Error("what is not set was altered")
	}
	if again := (Mode{Has: HasCopies, Copies: 2}).Put(b); ReadMode(again).Has != m.Has|HasCopies || ReadMode(again).Duplex != 3 {
		t.Errorf("%+v", ReadMode(again))
	}
	for n := range minimumModes {
		if ReadMode(base[:n]) != (Mode{}) || len(m.Put(base[:n])) != n {
			t.Fatalf("%d octets say something", n)
		}
	}
}

// TestTCPPort: a port's settings come back as they were encoded, in the older form as long as its names fit.
func TestTCPPort(t *testing.T) {
	t.Parallel()
	long := "printer-with-a-long-name.building-four.floor-three.skerry.example"
	for _, p := range []TCPPort{{Name: "cirque-10.40.8.31-9100", Host: "10.40.8.31", Number: 9100},
		{Name: "p", Host: "p.example", Number: 515, Queue: "hall"}, {Name: "long", Host: long, Number: 9101}} {
		b, err := p.Encode()
		if err != nil {
			t.Fatal(err)
		}
		want := map[bool]int{true: 1068, false: 964}[p.Host == long]
		if got, err := ReadTCPPort(b); err != nil || got != p || len(b) != want ||
			binary.LittleEndian.Uint32(b[tcpSizeAt:]) != uint32(want) {
			t.Errorf("%+v, %d octets, %v", got, len(b), err)
		}
		for n := range len(b) {
			if _, err := ReadTCPPort(b[:n]); err == nil {
				t.Fatalf("%d octets are a port", n)
			}
		}
	}
	for _, p := range []TCPPort{{Host: string(make([]byte, 200))}, {Name: string(bytes.Repeat([]byte{'a'}, 64))},
		{Queue: string(bytes.Repeat([]byte{'a'}, 33))}} {
		if _, err := p.Encode(); err == nil {
			t.Error("it has no room")
		}
	}
}

// TestClientAddress: addresses of both families, in each way in which they are described.
func TestClientAddress(t *testing.T) {
	t.Parallel()
	octets := func(family uint32, rest ...byte) []byte {
		b := binary.LittleEndian.AppendUint32(nil, family)
		b = append(b, rest...)
		return append(b, make([]byte, 24-min(24, len(b)))...)
	}
	six := []byte{0x20, 0x01, 0x0d, 0xb8, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 7}
	for want, b := range map[string][]byte{
		"10.40.8.31":  octets(familyIPv4, 0, 0, 10, 40, 8, 31),
		"192.0.2.7":   octets(familyIPv4, []byte("192.0.2.7")...),
		"2001:db8::7": octets(familyIPv6, append([]byte{0, 0}, six...)...),
		"2001:db8::8": octets(familyIPv6, append(append([]byte{}, six[:15]...), 8)...),
		"":            octets(17, 1, 2, 3, 4, 5, 6),
	} {
		if got := ReadClientAddress(b); got != want {
			t.Errorf("%q, not %q", got, want)
		}
	}
	for _, none := range [][]byte{nil, octets(familyIPv4), octets(familyIPv6)[:20]} {
		if got := ReadClientAddress(none); got != "" {
			t.Error(got)
		}
	}
}

func TestInWords(t *testing.T) {
	t.Parallel()
	for want, j := range map[string]Job{"waits": {}, "waits: the printer is out of paper, is being sent": {Status: JobPaperOut |
		JobPrinting}, "Load A4": {Status: JobError, Text: "Load A4"}, "failed": {Status: JobError}} {
		if got := JobInWords(j); got != want {
			t.Errorf("%q, not %q", got, want)
		}
	}
	if Version(0) != "" || Version(3<<48|1<<32|70000>>16<<16|4) != "3.1.1.4" {
		t.Error(Version(3<<48 | 1<<32 | 4))
	}
	if !(Port{Monitor: "TCPMON.DLL"}).TCP() || !(Port{Description: MonitorTCP}).TCP() || (Port{Monitor: "Local Monitor"}).TCP() {
		t.Error("which ports are of the network")
	}
}
