package agent

import (
	"os"
	"os/user"
	"strconv"
	"syscall"
)

// signedIn gives the people who have a session on this machine where the system's own account asks; ok is false where
// another does. The one at the screen owns the console.
func signedIn() (list []Session, ok bool) {
	if os.Geteuid() != 0 {
		return nil, false
	}
	console := ""
	if info, err := os.Stat("/dev/console"); err == nil {
		if at, is := info.Sys().(*syscall.Stat_t); is && at.Uid != 0 {
			if u, err := user.LookupId(strconv.Itoa(int(at.Uid))); err == nil {
				console = u.Username
			}
		}
	}
	b, _ := os.ReadFile(loginsFile) // without it the console alone tells
	return loginsBy(b, console, func(pid int) bool { return syscall.Kill(pid, 0) != syscall.ESRCH }), true
}
