package agent

import (
	"encoding/binary"
	"reflect"
	"slices"
	"testing"

	"cirque/internal/winspool"
)

// TestLoginsBy: who is at the screen, who came from elsewhere, each once; what ended, and what is cut short, is nobody.
func TestLoginsBy(t *testing.T) {
	t.Parallel()
	record := func(kind uint16, pid uint32, user, line, host string) []byte {
		b := make([]byte, loginSize)
		binary.LittleEndian.PutUint16(b[loginKind:], kind)
		binary.LittleEndian.PutUint32(b[loginPid:], pid)
		copy(b[loginUser:], user)
		copy(b[loginLine:], line)
		copy(b[loginHost:], host)
		return b
	}
	b := slices.Concat(record(10, 0, "utmpx-1.00", "", ""), record(7, 10, "mira", "console", ""),
		record(7, 11, "mira", "ttys000", ""), record(7, 12, "gone", "ttys001", ""), record(8, 13, "ended", "ttys002", ""),
		record(7, 14, "jonas", "ttys003", "192.0.2.7"), record(7, 15, "jonas", "ttys004", "192.0.2.7"),
		record(7, 16, "jonas", "ttys005", "desk-9"), []byte("cut short"))
	alive := func(pid int) bool { return pid != 12 }
	want := []Session{{User: "mira"}, {User: "jonas", Kind: "remote", Machine: "192.0.2.7", Addresses: []string{"192.0.2.7"}},
		{User: "jonas", Kind: "remote", Machine: "desk-9"}}
	if got := loginsBy(b, "mira", alive); !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if got := loginsBy(nil, "", nil); len(got) != 0 {
		t.Error(got)
	}
	if got := loginsBy(nil, "mira", nil); len(got) != 1 {
		t.Error(got)
	}
}

// TestSessionsBy: sessions of Windows' terminal services, at the machine and from elsewhere, each place once.
func TestSessionsBy(t *testing.T) {
	t.Parallel()
	list := []winspool.Session{{ID: 0}, {ID: 1, User: "mira", Domain: "SKERRY"},
		{ID: 2, User: "jonas", Client: "TILL-07", Address: "10.40.8.31", Protocol: winspool.ProtocolRDP},
		{ID: 3, User: "Jonas", Client: "till-07", Address: "10.40.8.31", Protocol: winspool.ProtocolRDP},
		{ID: 4, User: "ida", Client: "HOME", Protocol: winspool.ProtocolRDP, State: winspool.SessionDisconnected}}
	want := []Session{{User: "mira"}, {User: "jonas", Kind: "remote", Machine: "TILL-07", Addresses: []string{"10.40.8.31"}},
		{User: "ida", Kind: "remote", Machine: "HOME"}}
	if got := sessionsBy(list, true); !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
	if got := sessionsBy(list[2:3], false); got[0].Kind != "virtual" {
		t.Errorf("%+v", got)
	}
}
