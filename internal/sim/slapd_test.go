package sim

import (
	"net"
	"testing"
)

// TestSlapdTaken: where something listens already, a directory server does not come up; whoever answers there is not
// taken for it.
func TestSlapdTaken(t *testing.T) {
	t.Parallel()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	for name, s := range map[string]*Slapd{"plain": {Plain: ln.Addr().String()}, "secure": {Secure: ln.Addr().String()}} {
		s.Dir, s.Password = t.TempDir()+"/slapd", "word"
		if err := s.Make("", "127.0.0.1"); err != nil {
			t.Fatal(name, err)
		}
		if err := s.Start(); err == nil {
			t.Errorf("%s: it has come up where another listens", name)
			_ = s.Stop()
		}
	}
	if err := ln.Close(); err != nil {
		t.Fatal(err)
	}
	s := &Slapd{Dir: t.TempDir() + "/slapd", Password: "word", Secure: ln.Addr().String()}
	if err := s.Make("", "127.0.0.1"); err != nil {
		t.Fatal(err)
	}
	if err := s.Start(); err != nil {
		t.Fatal(err)
	}
	if err := s.Stop(); err != nil {
		t.Fatal(err)
	}
}
