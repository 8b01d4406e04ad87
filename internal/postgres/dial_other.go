//go:build !linux

package postgres

import "net"

func dialer() *net.Dialer { return plainDialer() }
