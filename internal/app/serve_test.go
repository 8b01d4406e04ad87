package app

import (
	"net"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/internal/ca"
)

// TestByName: a service that listens everywhere is reached by its machine's name, one that listens at one address by
// that; its own certificate is for every name by which it is reached.
func TestByName(t *testing.T) {
	t.Parallel()
	host, err := os.Hostname()
	if err != nil {
		t.Fatal(err)
	}
	host = strings.ToLower(host)
	at := func(ip string) net.Addr { return &net.TCPAddr{IP: net.ParseIP(ip), Port: 8631} }
	for _, c := range []struct {
		ip    string
		plain bool
		want  string
	}{{"::", false, "https://" + host + ":8631"}, {"0.0.0.0", true, "http://" + host + ":8631"}, {"127.0.0.1", false, ""},
		{"10.0.0.5", false, ""}} {
		if got := byName(at(c.ip), c.plain); got != c.want {
			t.Errorf("%s: %q, not %q", c.ip, got, c.want)
		}
	}
	authority, err := ca.Open(t.TempDir(), time.Now())
	if err != nil {
		t.Fatal(err)
	}
	cert, _, err := certificate(Options{PublicURL: "https://Print.skerry.example:8631"}, authority, at("10.0.0.5"))
	if err != nil {
		t.Fatal(err)
	}
	leaf := cert.Leaf
	for _, name := range []string{"print.skerry.example", "localhost", host} {
		if leaf.VerifyHostname(name) != nil {
			t.Errorf("it is not for %s, but for %v", name, leaf.DNSNames)
		}
	}
	if !slices.ContainsFunc(leaf.IPAddresses, func(ip net.IP) bool { return ip.String() == "10.0.0.5" }) {
		t.Error(leaf.IPAddresses)
	}
}
