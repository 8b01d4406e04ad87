package estate_test

import (
	"net/netip"
	"testing"

	"cirque/core/estate"
)

// TestNetworks: an address is a network of one, IPv4 is IPv4 in either notation, and what is wrong is said with how to
// mend it.
func TestNetworks(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"10.40.0.0/16":           "10.40.0.0/16",
		"10.40.8.31":             "10.40.8.31/32",
		"2001:db8::/32":          "2001:db8::/32",
		"::ffff:10.40.8.31":      "10.40.8.31/32",
		"::ffff:10.40.0.0/112":   "10.40.0.0/16",
		"2001:db8::1":            "2001:db8::1/128",
		"::ffff:10.40.8.31/112":  "10.40.8.31/16 has bits beyond its length; write 10.40.0.0/16",
		"10.40.8.31/16":          "10.40.8.31/16 has bits beyond its length; write 10.40.0.0/16",
		"fe80::1%eth0":           `"fe80::1%eth0" is no network; write such as 10.40.0.0/16, or an address`,
		"":                       `"" is no network; write such as 10.40.0.0/16, or an address`,
		"print.ardholm.example.": `"print.ardholm.example." is no network; write such as 10.40.0.0/16, or an address`,
	} {
		p, says, fix := estate.ParseNetwork(text)
		got := p.String()
		if says != "" {
			got = says + "; " + fix
			if p != (netip.Prefix{}) {
				t.Errorf("%q is wrong, and gives %s all the same", text, p)
			}
		}
		if got != want {
			t.Errorf("%q gives %s, want %s", text, got, want)
		}
	}
}
