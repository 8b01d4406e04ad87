//go:build unix

package whole

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"syscall"
)

// Lock makes sure that one process alone has a file, whose place says who that is. It ends with the process, however
// that ends. ErrLocked says that another one has it; holder is its number, where that is known.
func Lock(file string) (unlock func() error, holder string, err error) {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, "", err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		b, _ := io.ReadAll(io.LimitReader(f, 20))
		return nil, strings.TrimSpace(string(b)), errors.Join(ErrLocked, f.Close())
	}
	// Who has it is told to whoever comes later; on a full disk it is not, and locked all the same.
	if f.Truncate(0) == nil {
		_, _ = fmt.Fprintln(f, os.Getpid())
	}
	return f.Close, "", nil
}
