package ipp

import (
	"context"
	"io"
	"net"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
)

// TestDrip: a device that sends a byte now and then, or takes one, holds nobody for longer than a conversation lasts.
func TestDrip(t *testing.T) {
	t.Parallel()
	for name, talk := range map[string]func(c net.Conn){
		"answers byte by byte": func(c net.Conn) {
			go func() { _, _ = io.Copy(io.Discard, c) }()
			_, _ = io.WriteString(c, "HTTP/1.1 200 OK\r\nContent-Type: application/ipp\r\nContent-Length: 100000\r\n\r\n")
			for {
				if _, err := c.Write([]byte{1}); err != nil {
					return
				}
				time.Sleep(10 * time.Millisecond)
			}
		},
		"reads byte by byte": func(c net.Conn) {
			for b := make([]byte, 1); ; time.Sleep(10 * time.Millisecond) {
				if _, err := c.Read(b); err != nil {
					return
				}
			}
		},
	} {
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
				go func() { talk(c); _ = c.Close() }()
			}
		}()
		c := New(nil)
		c.limit = 200 * time.Millisecond
		begun := time.Now()
		_, err = c.Print(context.Background(), "ipp://"+ln.Addr().String()+"/ipp/print", job.Document{Name: "n", Owner: "o",
			Format: "application/pdf"}, strings.NewReader(strings.Repeat("x", 1<<20)))
		if f := fault.As(err); f == nil || f.Kind != fault.Unavailable {
			t.Errorf("%s: %v", name, err)
		}
		if took := time.Since(begun); took > 10*time.Second {
			t.Errorf("%s: it took %v", name, took)
		}
	}
}
