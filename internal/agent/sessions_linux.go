package agent

import (
	"bytes"
	"encoding/binary"
	"os"
	"slices"
	"strconv"
)

// The records of who is signed in (utmp(5)): 384 octets each on every Linux that Go runs on in 64 bits.
const (
	signedInFile = "/run/utmp"
	recordSize   = 384
	userProcess  = 7 // ut_type of a session
	pidAt        = 4
	userAt       = 44
	userLength   = 32
)

// signedIn gives the people who have a session on this machine, each once, where the system's own account asks; ok is
// false where another does.
func signedIn() (list []Session, ok bool) {
	if os.Geteuid() != 0 {
		return nil, false
	}
	b, err := os.ReadFile(signedInFile)
	if err != nil {
		return nil, true // the system does not tell
	}
	for _, user := range signedInBy(b, func(pid int) bool {
		_, err := os.Stat("/proc/" + strconv.Itoa(pid))
		return err == nil
	}) {
		list = append(list, Session{User: user})
	}
	return list, true
}

// signedInBy reads records; alive says whether a session's process is still there.
func signedInBy(b []byte, alive func(pid int) bool) []string {
	out := []string{}
	for ; len(b) >= recordSize; b = b[recordSize:] {
		user, _, _ := bytes.Cut(b[userAt:userAt+userLength], []byte{0})
		pid := int(int32(binary.LittleEndian.Uint32(b[pidAt:])))
		if binary.LittleEndian.Uint16(b) == userProcess && len(user) > 0 && !slices.Contains(out, string(user)) &&
			alive(pid) {
			out = append(out, string(user))
		}
	}
	return out
}
