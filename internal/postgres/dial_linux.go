package postgres

import (
	"net"
	"syscall"
	"time"
)

// tcpUserTimeout is TCP_USER_TIMEOUT of tcp(7), which package syscall does not name.
const tcpUserTimeout = 18

// dialer connects so that a server that has gone without a word is noticed within seconds (RFC 5482).
func dialer() *net.Dialer {
	d := plainDialer()
	d.Control = func(network, _ string, c syscall.RawConn) error {
		if network == "unix" {
			return nil
		}
		var failed error
		err := c.Control(func(fd uintptr) {
			failed = syscall.SetsockoptInt(int(fd), syscall.IPPROTO_TCP, tcpUserTimeout, int((10 * time.Second).Milliseconds()))
		})
		if err == nil {
			err = failed
		}
		return err
	}
	return d
}
