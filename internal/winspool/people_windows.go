package winspool

import (
	"unsafe"

	"golang.org/x/sys/windows"
)

// Default gives the default queue of the account that asks; empty where it has none.
func Default() (string, error) {
	size := uint32(1024)
	buf := make([]uint16, size)
	err := call(getDefault, "", uintptr(ptr(&buf[0])), uintptr(ptr(&size)))
	if e, ok := err.(*Error); ok && e.Err == windows.ERROR_FILE_NOT_FOUND {
		return "", nil
	}
	return windows.UTF16ToString(buf), err
}

// SetDefault makes a queue the default of the account that asks.
func SetDefault(name string) error { return call(setDefault, name, uintptr(ptr(wide(name)))) }

// Connect makes a connection to another machine's queue for the account that asks.
func Connect(name string) error { return call(addConnection, name, uintptr(ptr(wide(name)))) }

// Disconnect takes a connection of the account that asks away.
func Disconnect(name string) error { return call(deleteConnection, name, uintptr(ptr(wide(name)))) }

var (
	wtsapi       = windows.NewLazySystemDLL("wtsapi32.dll")
	querySession = wtsapi.NewProc("WTSQuerySessionInformationW")
)

// What is asked of a session (WTS_INFO_CLASS).
const (
	wtsUserName   = 5
	wtsDomainName = 7
	wtsClientName = 10
	wtsClientAddr = 14
	wtsProtocol   = 16
)

// Sessions lists those of the terminal services in which somebody is signed in.
func Sessions() ([]Session, error) {
	var first *windows.WTS_SESSION_INFO
	var count uint32
	if err := windows.WTSEnumerateSessions(0, 0, 1, &first, &count); err != nil {
		return nil, err
	}
	defer windows.WTSFreeMemory(uintptr(ptr(first)))
	var out []Session
	for _, s := range unsafe.Slice(first, count) {
		one := Session{ID: s.SessionID, State: s.State, User: SessionText(s.SessionID, wtsUserName)}
		if one.User == "" {
			continue
		}
		one.Domain, one.Client = SessionText(s.SessionID, wtsDomainName), SessionText(s.SessionID, wtsClientName)
		if b := sessionInfo(s.SessionID, wtsProtocol); len(b) >= 2 {
			one.Protocol = uint16(b[0]) | uint16(b[1])<<8
		}
		one.Address = ReadClientAddress(sessionInfo(s.SessionID, wtsClientAddr))
		out = append(out, one)
	}
	return out, nil
}

// SessionText asks one text of a session; empty where it is not told.
func SessionText(id uint32, what uintptr) string {
	b := sessionInfo(id, what)
	if len(b) < 2 {
		return ""
	}
	return text(b, len(b)/2)
}

func sessionInfo(id uint32, what uintptr) []byte {
	var at *byte
	var size uint32
	if call(querySession, "", 0, uintptr(id), what, uintptr(ptr(&at)), uintptr(ptr(&size))) != nil || at == nil {
		return nil
	}
	b := append([]byte{}, unsafe.Slice(at, size)...)
	windows.WTSFreeMemory(uintptr(ptr(at)))
	return b
}
