//go:build !linux

package syslog

import "net"

// unacknowledged is not known here.
func unacknowledged(*net.TCPConn) int { return 0 }
