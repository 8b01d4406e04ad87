package syslog

import (
	"net"

	"golang.org/x/sys/unix"
)

// unacknowledged is how many bytes the other machine has not acknowledged (tcp(7), SIOCOUTQ).
func unacknowledged(c *net.TCPConn) int {
	raw, err := c.SyscallConn()
	if err != nil {
		return 0
	}
	n := 0
	if err := raw.Control(func(fd uintptr) {
		if v, err := unix.IoctlGetInt(int(fd), unix.SIOCOUTQ); err == nil {
			n = v
		}
	}); err != nil {
		return 0
	}
	return n
}
