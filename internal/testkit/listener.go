package testkit

import (
	"net"
	"testing"
)

// Listener answers each connection to a port of its own with f, and gives its address.
func Listener(t testing.TB, f func(net.Conn)) string {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = ln.Close() })
	go func() {
		for {
			c, err := ln.Accept()
			if err != nil {
				return
			}
			go func() { f(c); _ = c.Close() }()
		}
	}()
	return ln.Addr().String()
}
