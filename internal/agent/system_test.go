package agent

import (
	"net/netip"
	"os"
	"testing"

	"cirque/core/estate"
)

func TestSystem(t *testing.T) {
	t.Parallel()
	f, err := System{}.Facts(t.Context())
	host, _ := os.Hostname()
	if err != nil || f.Machine != host || os.Geteuid() != 0 && (len(f.Sessions) != 1 || f.Sessions[0].User == "") {
		t.Errorf("%+v %v", f, err)
	}
	for _, a := range f.Addresses {
		if ip, err := netip.ParseAddr(a); err != nil || ip.IsLoopback() {
			t.Errorf("address %q", a)
		}
	}
	for _, c := range [][3]string{{"linux", "amd64", "linux/x64"}, {"darwin", "arm64", "macos/arm64"}, {"windows", "386",
		"windows/x86"}, {"plan9", "amd64", ""}, {"linux", "riscv64", ""}} {
		got := platformOf(c[0], c[1])
		if got != c[2] || got != "" && !estate.ValidPlatform(got, false) {
			t.Errorf("%s/%s is %q, want %q", c[0], c[1], got, c[2])
		}
	}
}

// TestStandInWithoutMachineFile: it is then the machine that it runs on.
func TestStandInWithoutMachineFile(t *testing.T) {
	t.Parallel()
	s, err := NewStandIn(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	got, err := s.Facts(t.Context())
	want, _ := System{}.Facts(t.Context())
	if err != nil || got.Machine != want.Machine || len(got.contexts()) != len(want.contexts()) {
		t.Errorf("%+v %v", got, err)
	}
}
