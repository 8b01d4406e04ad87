package cli

import (
	"fmt"
	"net/netip"
	"strings"

	"cirque/core/estate"
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
		v, says, fix := estate.ParseNetwork(strings.TrimSpace(part))
		if says != "" {
			return fmt.Errorf("%s; %s", says, fix)
		}
		*p = append(*p, v)
	}
	return nil
}
