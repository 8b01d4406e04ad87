package estate

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/name"
)

// Schemes of what prints, as URIs have them: IPP (RFC 3510, RFC 7472), what it is carried by, raw data and LPD (RFC
// 1179). Besides these, printers are led to that are plugged into a machine: see Attached. Nothing else is: not here,
// and not by agents.
var (
	serverSchemes = []string{"ipp", "ipps", "http", "https"}
	deviceSchemes = append(slices.Clone(serverSchemes), "socket", "lpd")
	// writtenSchemes are those with which an estate may write a device.
	writtenSchemes = append(slices.Clone(deviceSchemes), "usb", "parallel", "serial")
)

// PrintsTo says whether a URI leads to something that prints: over a network, or plugged into the machine that asks.
func PrintsTo(uri string) bool {
	if Attached(uri) {
		return true
	}
	u, err := url.Parse(uri)
	return err == nil && u.Host != "" && slices.Contains(deviceSchemes, u.Scheme)
}

// uri reads an absolute URI with a host, of one of some schemes.
func (p *parser) uri(o document.Object, schemes []string) string {
	o.Need("uri")
	n, ok := o.Get("uri")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if !ok {
		return ""
	}
	u, err := url.Parse(s)
	switch {
	case err == nil && u.Scheme != "" && !slices.Contains(schemes, u.Scheme):
		n.Complain("write one of "+strings.Join(schemes, ", "), "%s: leads to nothing that prints", u.Scheme)
	case err != nil || u.Scheme == "" || u.Host == "":
		n.Complain("write SCHEME://HOST, such as ipp://10.40.8.31/ipp/print", "%q is no absolute URI", s)
	case len(s) > mostURI:
		n.Complain(fmt.Sprintf("write at most %d bytes", mostURI), "the URI has %d bytes", len(s))
	case u.User != nil:
		n.Complain("leave the sign-in out of the URI", "%q carries a sign-in", u.Redacted())
	}
	return s
}

func (p *parser) server(o document.Object) {
	s := Server{Name: p.name(o, "server"), Title: o.Text("title"), URI: p.uri(o, serverSchemes), Note: o.Text("note")}
	s.Location = p.place(o, "server "+s.Name)
	s.Kept, s.Platform = o.Bool("kept"), p.platform(o, false)
	s.Others = p.oneOf(o, "others", LeaveOthers, ReportOthers)
	if n, ok := o.Get("machine"); ok {
		if t, ok := n.Text(); ok {
			if s.Machine = t; !name.Valid(t) {
				n.Complain("write the machine's name as the directory has it", "%q is no name of a machine", t)
			}
		}
	}
	if n, ok := o.Get("queue_root"); ok {
		if t, ok := n.Text(); ok {
			s.QueueRoot = &t
		}
	}
	p.doc.Servers = append(p.doc.Servers, s)
}

func (p *parser) serverSet(o document.Object) {
	o.Need("style", "members")
	s := ServerSet{Name: p.name(o, "server set"), Title: o.Text("title"), Style: Style(p.oneOf(o, "style", string(Standby),
		string(Spread))), Note: o.Text("note")}
	s.Members = p.names(o, "members", "server", "server set "+s.Name)
	for i, m := range o.Texts("members") {
		if slices.Contains(s.Members[:i], m.Value) {
			m.Complain("leave one of the two out", "the server %q is a member twice", m.Value)
		}
	}
	p.doc.ServerSets = append(p.doc.ServerSets, s)
}

// mostURI is the longest URI of IPP, in bytes (RFC 8011, section 5.1.6).
const mostURI = 1023

var macRE = regexp.MustCompile(`^[0-9a-f]{12}$`)

// NormalMAC brings a hardware address in any usual notation to six pairs divided by colons.
func NormalMAC(s string) (string, bool) {
	hex := strings.ToLower(strings.NewReplacer(":", "", "-", "", ".", "", " ", "").Replace(s))
	if !macRE.MatchString(hex) {
		return "", false
	}
	var pairs []string
	for i := 0; i < 12; i += 2 {
		pairs = append(pairs, hex[i:i+2])
	}
	return strings.Join(pairs, ":"), true
}

func (p *parser) device(o document.Object) {
	d := Device{Name: p.name(o, "device"), Title: o.Text("title"), AddressKeptBy: p.oneOf(o, "address_kept_by",
		"reservation", "static", "unknown"), Note: o.Text("note")}
	d.URI, d.Machine = p.deviceURI(o)
	d.Location = p.place(o, "device "+d.Name)
	if n, ok := o.Get("mac"); ok {
		if t, ok := n.Text(); ok {
			if d.MAC, ok = NormalMAC(t); !ok {
				n.Complain("write twelve hex digits, such as 02:00:5e:10:00:31", "%q is no hardware address", t)
			}
		}
	}
	p.doc.Devices = append(p.doc.Devices, d)
}
