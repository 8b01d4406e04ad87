package postgres

import (
	"net"
	"time"
)

// plainDialer has the system ask every few seconds whether the other side is still there (RFC 1122, section 4.2.3.6).
func plainDialer() *net.Dialer {
	return &net.Dialer{KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: 5 * time.Second, Interval: 2 * time.Second,
		Count: 3}}
}
