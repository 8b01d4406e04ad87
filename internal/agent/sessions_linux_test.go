package agent

import (
	"encoding/binary"
	"slices"
	"testing"
)

func TestSignedIn(t *testing.T) {
	t.Parallel()
	record := func(kind uint16, pid uint32, user string) []byte {
		b := make([]byte, recordSize)
		binary.LittleEndian.PutUint16(b, kind)
		binary.LittleEndian.PutUint32(b[pidAt:], pid)
		copy(b[userAt:], user)
		return b
	}
	long := "a-name-of-exactly-32-octets-long"
	b := slices.Concat(record(2, 1, "reboot"), record(userProcess, 10, "mira"), record(userProcess, 11, "mira"),
		record(userProcess, 12, "gone"), record(8, 13, "dead"), record(userProcess, 14, long), []byte("cut short"))
	if got := signedInBy(b, func(pid int) bool { return pid != 12 }); !slices.Equal(got, []string{"mira", long}) {
		t.Error(got)
	}
	if got := signedInBy(nil, nil); len(got) != 0 {
		t.Error(got)
	}
}
