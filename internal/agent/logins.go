package agent

import (
	"bytes"
	"encoding/binary"
	"net/netip"
	"slices"

	"cirque/core/name"
)

// The records of who is signed in on macOS (utmpx(5)): 628 octets each, the first of which says what the file is.
const (
	loginsFile  = "/var/run/utmpx"
	loginSize   = 628
	loginUser   = 0
	loginLine   = 260
	loginPid    = 292
	loginKind   = 296
	loginHost   = 308
	loginText   = 256
	lineLength  = 32
	kindOfUsers = 7
)

// loginsBy reads records, beside who owns the console; alive says whether a session's process is still there. A session
// from elsewhere is remote, and knows from which computer it is.
func loginsBy(b []byte, console string, alive func(pid int) bool) []Session {
	out := []Session{}
	add := func(s Session) {
		if s.User != "" && !slices.ContainsFunc(out, func(o Session) bool {
			return name.Fold(o.User) == name.Fold(s.User) && o.Machine == s.Machine
		}) {
			out = append(out, s)
		}
	}
	add(Session{User: console})
	text := func(b []byte) string {
		s, _, _ := bytes.Cut(b, []byte{0})
		return string(s)
	}
	for ; len(b) >= loginSize; b = b[loginSize:] {
		if binary.LittleEndian.Uint16(b[loginKind:]) != kindOfUsers ||
			!alive(int(int32(binary.LittleEndian.Uint32(b[loginPid:])))) {
			continue
		}
		s := Session{User: text(b[loginUser : loginUser+loginText])}
		line, from := text(b[loginLine:loginLine+lineLength]), text(b[loginHost:loginHost+loginText])
		if from != "" && line != "console" {
			s.Kind, s.Machine = "remote", from
			if ip, err := netip.ParseAddr(from); err == nil {
				s.Addresses = []string{ip.Unmap().String()}
			}
		}
		add(s)
	}
	return out
}
