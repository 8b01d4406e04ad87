package stock

import (
	"net/netip"
	"net/url"
	"slices"
	"strings"
)

// ForMail is the mail server of the settings, as what a key is for; ForNotice stands before a notice's name.
const (
	ForMail   = "mail"
	ForNotice = "notice"
)

// For names what a key is for: KIND:NAME, or the kind alone where it has no names.
func For(kind, name string) string {
	if kind == ForMail {
		return kind
	}
	return kind + ":" + name
}

// ParseFor takes what a key is for apart; ok is false where it names no object.
func ParseFor(text string) (kind, name string, ok bool) {
	if text == ForMail {
		return ForMail, "", true
	}
	kind, name, found := strings.Cut(text, ":")
	return kind, name, found && name != "" && slices.Contains([]string{KindServer, KindDevice, ForNotice}, kind)
}

// schemes are those of what keys are for, with their usual ports, and which of them is the same over TLS.
var schemes = map[string]struct{ port, secure string }{"ipp": {"631", "ipps"}, "ipps": {"631", ""}, "http": {"80",
	"https"},
	"https": {"443", ""}, "socket": {"9100", ""}, "lpd": {"515", ""}, "smtp": {"25", "smtps"}, "smtps": {"465", ""}}

// Origin gives the scheme, host and port of a URI; "" where it has none of them that a key could go to.
func Origin(uri string) string {
	u, err := url.Parse(uri)
	if err != nil || u.Hostname() == "" {
		return ""
	}
	scheme := strings.ToLower(u.Scheme)
	usual, ok := schemes[scheme]
	if !ok {
		return ""
	}
	port := u.Port()
	if port == "" {
		port = usual.port
	}
	host := strings.ToLower(u.Hostname())
	if strings.Contains(host, ":") {
		host = "[" + host + "]"
	}
	return scheme + "://" + host + ":" + port
}

// sameOrigin says whether a key that was entered for one origin may go to another: the same, or the same over TLS.
func sameOrigin(entered, now string) bool {
	if entered == now {
		return entered != ""
	}
	was, at, ok := strings.Cut(entered, "://")
	is, where, _ := strings.Cut(now, "://")
	return ok && is == schemes[was].secure && hostOf(at) == hostOf(where)
}

func hostOf(at string) string { return at[:max(strings.LastIndexByte(at, ':'), 0)] }

// Named gives the credential that a watched server or device names, unless its address is another now than when that
// was said: who may change an address may not say where keys go.
func (w Watch) Named() string {
	if !sameOrigin(Origin(w.Entered), Origin(w.URI)) {
		return ""
	}
	return w.Credential
}

// GoesTo says whether a key may go to a server, device, mail server or hook at its present address.
func (c Credential) GoesTo(w Watch) bool {
	if w.Credential != "" && w.Named() == c.Name {
		return true
	}
	if w.Credential != "" && c.Kind == SignIn && w.Named() != "" {
		return false // it names another
	}
	if slices.Contains(c.For, For(w.Kind, w.Name)) && sameOrigin(c.Bound[For(w.Kind, w.Name)], Origin(w.URI)) {
		return true
	}
	return c.Kind == SNMP && w.Kind == KindDevice && c.scans(Host(w.URI))
}

// scans says whether a community is for a range that holds an address.
func (c Credential) scans(host string) bool {
	addr, err := netip.ParseAddr(host)
	if err != nil {
		return false
	}
	return slices.ContainsFunc(c.For, func(f string) bool {
		p, ok := Range(f)
		return ok && p.Contains(addr.Unmap())
	})
}

// Range reads an address or network.
func Range(text string) (netip.Prefix, bool) {
	if a, err := netip.ParseAddr(text); err == nil && a.Zone() == "" {
		return netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()), true
	}
	p, err := netip.ParsePrefix(text)
	return p, err == nil
}
