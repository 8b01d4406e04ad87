package estate

import (
	"fmt"
	"net/netip"

	"cirque/core/document"
)

// OutgoingSetting is where Cirque connects to.
const OutgoingSetting = "outgoing"

// OutgoingSettings say which addresses Cirque connects to, whatever an object names.
type OutgoingSettings struct {
	Allow []netip.Prefix `json:"allow,omitempty" yaml:"allow,omitempty" doc:"Only these networks are connected to; any when absent, but for those of the service's own machine."`
	Deny  []netip.Prefix `json:"deny,omitempty" yaml:"deny,omitempty" doc:"These never are."`
	Note  string         `json:"note,omitempty" yaml:"note,omitempty"`
}

// Outgoing gives the setting; an empty one where there is none.
func (d *Document) Outgoing() OutgoingSettings {
	if d.Settings == nil || d.Settings.Outgoing == nil {
		return OutgoingSettings{}
	}
	return *d.Settings.Outgoing
}

func (p *parser) outgoingSetting(n document.Node) *OutgoingSettings {
	v, ok := n.Object([]string{"allow", "deny", "note"})
	if !ok {
		return nil
	}
	p.setting(OutgoingSetting, n)
	s := &OutgoingSettings{Note: v.Text("note")}
	for key, into := range map[string]*[]netip.Prefix{"allow": &s.Allow, "deny": &s.Deny} {
		list, wrote := v.Get(key)
		if !wrote {
			continue
		}
		for _, t := range list.Texts() {
			network, says, fix := ParseNetwork(t.Value)
			if says != "" {
				t.Complain(fix, "%s", says)
				continue
			}
			*into = append(*into, network)
		}
	}
	return s
}

// ParseNetwork reads a network, or an address as a network of one. says what is wrong and fix how to mend it; both are
// "" where nothing is.
func ParseNetwork(text string) (network netip.Prefix, says, fix string) {
	if a, err := netip.ParseAddr(text); err == nil && a.Zone() == "" {
		return netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()), "", ""
	}
	p, err := netip.ParsePrefix(text)
	if err == nil && p.Addr().Is4In6() && p.Bits() >= 96 { // no IPv4 address would be in it (RFC 4291, section 2.5.5.2)
		p = netip.PrefixFrom(p.Addr().Unmap(), p.Bits()-96)
	}
	switch {
	case err != nil:
		return netip.Prefix{}, fmt.Sprintf("%q is no network", text), "write such as 10.40.0.0/16, or an address"
	case p != p.Masked():
		return netip.Prefix{}, fmt.Sprintf("%s has bits beyond its length", p), "write " + p.Masked().String()
	}
	return p, "", ""
}
