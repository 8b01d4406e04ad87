package estate

import (
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
			if network, ok := network(t); ok {
				*into = append(*into, network)
			}
		}
	}
	return s
}

// network reads a network, or an address as a network of one.
func network(t document.Text) (netip.Prefix, bool) {
	if a, err := netip.ParseAddr(t.Value); err == nil && a.Zone() == "" {
		return netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()), true
	}
	p, err := netip.ParsePrefix(t.Value)
	switch {
	case err != nil:
		t.Complain("write such as 10.40.0.0/16, or an address", "%q is no network", t.Value)
	case p != p.Masked():
		t.Complain("write "+p.Masked().String(), "%s has bits beyond its length", p)
	default:
		return p, true
	}
	return netip.Prefix{}, false
}
