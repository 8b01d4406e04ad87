package app

import (
	"fmt"
	"os"
	"sync"

	"cirque/core/fault"
)

// A LogFile is what the service tells, in a file that others move away from time to time.
type LogFile struct {
	name string

	mu sync.Mutex
	f  *os.File // guarded by mu
}

// OpenLog opens a log's file, to write at its end.
func OpenLog(name string) (*LogFile, error) {
	f, err := open(name)
	return &LogFile{name: name, f: f}, err
}

func open(name string) (*os.File, error) {
	f, err := os.OpenFile(name, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o640)
	if err != nil {
		return nil, fault.New(fault.Invalid, "log-file", "name a file that this account may write",
			"the log's file %s cannot be written", name).Because(err)
	}
	return f, nil
}

// Write writes one line. What the file does not take, such as on a full disk, goes to standard error.
func (l *LogFile) Write(b []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if n, err := l.f.Write(b); err == nil {
		return n, nil
	}
	return os.Stderr.Write(b)
}

// Reopen goes on in the file that is at the name's place now. Where it cannot be opened the old one goes on.
func (l *LogFile) Reopen() {
	f, err := open(l.name)
	if err != nil {
		_, _ = fmt.Fprintln(l, err)
		return
	}
	l.mu.Lock()
	old := l.f
	l.f = f
	l.mu.Unlock()
	_ = old.Close()
}
