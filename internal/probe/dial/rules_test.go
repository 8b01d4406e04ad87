package dial_test

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/internal/probe/dial"
	"cirque/internal/testkit"
)

func networks(list ...string) []netip.Prefix {
	var out []netip.Prefix
	for _, p := range list {
		out = append(out, netip.MustParsePrefix(p))
	}
	return out
}

// TestRules: what a connection may go to, by address, port and use. The addresses are judged as the dialer does right
// before it connects; none is connected.
func TestRules(t *testing.T) {
	t.Parallel()
	own := "192.0.2.1" // any that this machine has
	if list, err := net.InterfaceAddrs(); err == nil {
		for _, a := range list {
			if p, err := netip.ParsePrefix(a.String()); err == nil && p.Addr().Is4() && !p.Addr().IsLoopback() {
				own = p.Addr().String()
			}
		}
	}
	usual := &dial.Rules{}
	for _, c := range []struct {
		rules   *dial.Rules
		address string
		want    string // "" goes out
	}{
		{usual, "10.40.8.31", ""}, {usual, "198.51.100.7", ""}, {usual, "2001:db8::1", ""},
		{usual, "127.0.0.1", "this machine itself"}, {usual, "127.9.9.9", "this machine itself"},
		{usual, "::1", "this machine itself"}, {usual, "0.0.0.0", "this machine itself"},
		{usual, "::", "this machine itself"},
		{usual, "::ffff:127.0.0.1", "this machine itself"}, {usual, "64:ff9b::7f00:1", "this machine itself"},
		{usual, "2002:7f00:1::", "this machine itself"}, {usual, "::127.0.0.1", "this machine itself"},
		{usual, "169.254.169.254", "link-local"}, {usual, "fe80::1", "link-local"},
		{usual, "64:ff9b::a9fe:a9fe", "link-local"},
		{usual, "224.0.0.251", "nobody's address"}, {usual, "255.255.255.255", "nobody's address"},
		{usual, "ff02::fb", "nobody's address"},
		{&dial.Rules{Allow: networks("127.0.0.0/8")}, "127.0.0.1", ""},
		{&dial.Rules{Allow: networks("127.0.0.0/8")}, "::1", "this machine itself"},
		{&dial.Rules{Local: true}, "127.0.0.1", ""}, {&dial.Rules{Local: true}, "169.254.169.254", "link-local"},
		{listed("10.0.0.0/8", "10.66.0.0/16"), "10.40.8.31", ""}, {listed("10.0.0.0/8", "10.66.0.0/16"), "10.66.1.1", "deny"},
		{listed("10.0.0.0/8", "10.66.0.0/16"), "198.51.100.7", "do not allow"},
		{listed("127.0.0.0/8", "10.66.0.0/16"), "127.0.0.1", "this machine itself"}, // settings let nobody in here
		{listed("10.0.0.0/8", "10.66.0.0/16"), "::ffff:10.66.1.1", "deny"},
	} {
		_, control, err := dial.New(nil, c.rules).Lead(dial.IPP, net.JoinHostPort("printer.example", "631"))
		if err != nil {
			t.Fatal(err)
		}
		err = control("tcp", net.JoinHostPort(c.address, "631"), nil)
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.address, err, c.want)
		}
	}
	if own != "192.0.2.1" {
		_, control, _ := dial.New(nil, usual).Lead(dial.IPP, own+":631") // the address is good
		if err := control("tcp", own+":631", nil); err == nil || !strings.Contains(err.Error(), "this machine itself") {
			t.Errorf("its own address %s: %v", own, err)
		}
	}
	for _, c := range []struct {
		use  dial.Use
		port string
		ok   bool
	}{
		{dial.IPP, "631", true}, {dial.IPP, "443", true}, {dial.IPP, "8631", true}, {dial.IPP, "22", false},
		{dial.IPP, "25", false},
		{dial.IPP, "6000", false}, {dial.Raw, "9100", true}, {dial.Raw, "515", true}, {dial.Raw, "23", false},
		{dial.Mail, "587", true}, {dial.Mail, "80", false}, {dial.LDAP, "636", true}, {dial.LDAP, "80", false},
		{dial.SNMP, "161", true}, {dial.SNMP, "53", false}, {dial.Post, "443", true}, {dial.Post, "631", false},
		{dial.IPP, "0", false}, {dial.IPP, "ipp", false}, {dial.IPP, "70000", false},
	} {
		_, control, err := dial.New(nil, usual).Lead(c.use, "printer.example:"+c.port)
		if err == nil {
			err = control("tcp", "10.40.8.31:"+c.port, nil)
		}
		if (err == nil) != c.ok {
			t.Errorf("port %s for %s: %v", c.port, c.use, err)
		}
		if _, control, err = dial.New(nil, &dial.Rules{Allow: networks("10.40.0.0/16")}).Lead(c.use, "x:1"); err == nil {
			err = control("tcp", "10.40.8.31:22", nil)
		}
		if err != nil {
			t.Error("what the operator lets through:", err)
		}
	}
}

func listed(allow, deny string) *dial.Rules {
	return &dial.Rules{Lists: func() ([]netip.Prefix, []netip.Prefix) { return networks(allow), networks(deny) }}
}

// TestWayOut: whatever a name leads to is judged, for every client; a table is the word of whoever starts the process.
func TestWayOut(t *testing.T) {
	t.Parallel()
	reached := make(chan struct{}, 10)
	addr := testkit.Listener(t, func(c net.Conn) {
		reached <- struct{}{}
		_, _ = c.Write([]byte("HTTP/1.1 302 Found\r\nLocation: http://127.0.0.1:1/\r\nContent-Length: 0\r\n\r\n"))
		_ = c.Close()
	})
	_, port, _ := net.SplitHostPort(addr) // of a listener
	kept := dial.New(nil, &dial.Rules{})
	for _, host := range []string{"127.0.0.1", "localhost", "[::ffff:127.0.0.1]"} {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, "http://"+host+":"+port+"/", nil)
		if err != nil {
			t.Fatal(err)
		}
		resp, err := kept.Client(dial.Post).Do(r)
		if err == nil {
			_ = resp.Body.Close()
			t.Errorf("%s was reached", host)
			continue
		}
		if f := fault.As(dial.Explain(host, err)); f.Code != "outgoing-refused" ||
			!strings.Contains(f.Fix, "--allow-outgoing") {
			t.Errorf("%s: %v", host, f)
		}
	}
	if _, err := kept.Dial(context.Background(), dial.Raw, "tcp", addr, time.Second); err == nil {
		t.Error("dialled itself")
	}
	if len(reached) > 0 {
		t.Error("something arrived")
	}
	table := dial.New(dial.AddressTable{"printer.example:631": addr}, &dial.Rules{})
	r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, "http://printer.example:631/", nil)
	if err != nil {
		t.Fatal(err)
	}
	resp, err := table.Client(dial.IPP).Do(r)
	if err != nil {
		t.Fatal("by the table:", err)
	}
	_ = resp.Body.Close()
	if resp.StatusCode != http.StatusFound {
		t.Errorf("a redirect is followed: %d", resp.StatusCode)
	}
}
