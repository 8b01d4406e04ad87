package cli

import (
	"fmt"
	"net/netip"
	"strings"
)

// prefixes is a flag of addresses and networks, separated by commas or given several times.
type prefixes []netip.Prefix

func (p *prefixes) String() string {
	var out []string
	for _, v := range *p {
		out = append(out, v.String())
	}
	return strings.Join(out, ",")
}

func (*prefixes) Type() string { return "networks" }

func (p *prefixes) Set(text string) error {
	for part := range strings.SplitSeq(text, ",") {
		part = strings.TrimSpace(part)
		v, err := netip.ParsePrefix(part)
		if err != nil {
			a, failed := netip.ParseAddr(part)
			if failed != nil || a.Zone() != "" {
				return fmt.Errorf("%q is neither an address nor a network, such as 10.0.0.5 or 10.0.1.0/24", part)
			}
			v = netip.PrefixFrom(a, a.BitLen())
		}
		if v != v.Masked() {
			return fmt.Errorf("%s has bits beyond its length; write %s", v, v.Masked())
		}
		*p = append(*p, v)
	}
	return nil
}
