package stock_test

import (
	"fmt"
	"strings"
	"testing"

	"cirque/core/stock"
)

// TestGoesTo: a key goes to what it is for, at the address that this had when it was entered, and nowhere else.
func TestGoesTo(t *testing.T) {
	t.Parallel()
	const ps = "ipp://ps.skerry.example:631"
	named := stock.Credential{Name: "k", Kind: stock.SignIn, For: []string{"server:ps", "mail", "notice:desk"},
		Bound: map[string]string{"server:ps": ps, "mail": "smtps://mail.example:465",
			"notice:desk": "https://hook.example:443"}}
	ranged := stock.Credential{Name: "c", Kind: stock.SNMP, For: []string{"10.5.0.0/24", "10.6.0.1", "device:d"},
		Bound: map[string]string{"device:d": "ipp://d.example:631"}}
	server := func(name, uri, credential, entered string) stock.Watch {
		return stock.Watch{Kind: stock.KindServer, Name: name, URI: uri, Credential: credential, Entered: entered}
	}
	device := func(name, uri string) stock.Watch { return stock.Watch{Kind: stock.KindDevice, Name: name, URI: uri} }
	for _, c := range []struct {
		what string
		key  stock.Credential
		to   stock.Watch
		goes bool
	}{
		{"where it was entered for", named, server("ps", "ipp://ps.skerry.example/", "", ""), true},
		{"another path there", named, server("ps", "ipp://PS.skerry.example:631/other", "", ""), true},
		{"the same over TLS", named, server("ps", "ipps://ps.skerry.example/", "", ""), true},
		{"another port", named, server("ps", "ipp://ps.skerry.example:9995/", "", ""), false},
		{"another host", named, server("ps", "ipp://127.0.0.1/", "", ""), false},
		{"another scheme", named, server("ps", "http://ps.skerry.example:631/", "", ""), false},
		{"another object at that address", named, server("evil", "ipp://ps.skerry.example/", "", ""), false},
		{"a device of that name", named, device("ps", "ipp://ps.skerry.example/"), false},
		{"no address", named, server("ps", "", "", ""), false},
		{"the mail server", named, stock.Watch{Kind: stock.ForMail, URI: "smtps://mail.example"}, true},
		{"another mail server", named, stock.Watch{Kind: stock.ForMail, URI: "smtps://elsewhere.example"}, false},
		{"a hook", named, stock.Watch{Kind: stock.ForNotice, Name: "desk", URI: "https://hook.example/x"}, true},
		{"another hook", named, stock.Watch{Kind: stock.ForNotice, Name: "leak", URI: "https://hook.example/x"}, false},
		{"what names it", named, server("new", "ipp://new.example/", "k", "ipp://new.example/"), true},
		{"what names it, elsewhere now", named, server("new", "ipp://evil.example/", "k", "ipp://new.example/"), false},
		{"what names another", named, server("ps", "ipp://ps.skerry.example/", "other", "ipp://ps.skerry.example/"), false},
		{"what named another, elsewhere", named, server("ps", "ipp://ps.skerry.example/", "other", "ipp://x.example/"), true},
		{"a range of a community", ranged, device("", "ipp://10.5.0.77/ipp/print"), true},
		{"an address of a community", ranged, device("any", "socket://10.6.0.1"), true},
		{"outside", ranged, device("", "ipp://10.5.1.77/ipp/print"), false},
		{"a name that may lead there", ranged, device("", "ipp://ten-five.example/"), false},
		{"its device", ranged, device("d", "ipp://d.example/ipp"), true},
		{"a server in the range", ranged, server("x", "ipp://10.5.0.77/", "", ""), false},
		{"a sign-in for a range", stock.Credential{Name: "k", Kind: stock.SignIn, For: []string{"10.5.0.0/24"}},
			device("", "ipp://10.5.0.77/"), false},
		{"an SNMP user for a range", stock.Credential{Name: "k", Kind: stock.SNMP3, For: []string{"10.5.0.0/24"}},
			device("", "ipp://10.5.0.77/"), false},
	} {
		if got := c.key.GoesTo(c.to); got != c.goes {
			t.Errorf("%s: %v", c.what, got)
		}
	}
	k := stock.Key{Name: "n", Kind: "sign-in", Secret: "hush", Privacy: "hush"}
	if s := fmt.Sprintf("%v %+v %#v %s", k, k, k, k); strings.Contains(s, "hush") {
		t.Error("a key prints its secret:", s)
	}
}
