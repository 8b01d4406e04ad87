package syslog

import (
	"net"
	"strings"
	"testing"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/probe/dial"
)

// TestOpenRefuses: what takes no log, what is in the clear without leave, and what listens nowhere is told in plain
// words that are of log servers.
func TestOpenRefuses(t *testing.T) {
	t.Parallel()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	at := ln.Addr().String()
	_ = ln.Close()
	s := NewSender(dial.New(nil, nil), "https://cirque.example", "1")
	for target, want := range map[string]string{"tcp://" + at: "uri-invalid", "https://" + at: "uri-invalid",
		"tls://":      "uri-invalid",
		"tls://" + at: "refused"} {
		_, err := s.Open(t.Context(), target, "", false)
		f := fault.As(err)
		if f == nil || f.Code != want || strings.Contains(f.Fix, "IPP") {
			t.Errorf("%s: %+v", target, f)
		}
	}
	if _, err := s.Open(t.Context(), "tls://"+at, "no certificate", false); err == nil {
		t.Error("an authority that is none is taken")
	}
}

// TestTaken: what was sent counts as taken once the other machine has it, and the way is over when the other side ends
// it.
func TestTaken(t *testing.T) {
	t.Parallel()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = ln.Close() }()
	s := NewSender(dial.New(nil, nil), "https://cirque.example", "1")
	w, err := s.Open(t.Context(), "tcp://"+ln.Addr().String(), "", true)
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	c, err := ln.Accept()
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Send(event.Event{Kind: event.EmergencyOpened}, "it is used"); err != nil {
		t.Fatal(err)
	}
	b := make([]byte, 4096)
	n, err := c.Read(b)
	if err != nil || !strings.Contains(string(b[:n]), "<105>1 - cirque.example cirque - account.emergency-opened ") ||
		!strings.HasSuffix(string(b[:n]), "it is used") {
		t.Errorf("%q %v", b[:n], err)
	}
	for taken := false; !taken; {
		if taken, err = w.Taken(); err != nil {
			t.Fatal(err)
		}
	}
	_ = c.Close()
	for err == nil {
		_, err = w.Taken()
	}
	if err := w.Send(event.Event{}, "more"); err == nil {
		t.Error("it goes on where nobody is")
	}
}
