package stock

import (
	"cmp"
	"net/url"
	"slices"
	"strconv"
	"time"
)

// A Line is what came of trying the way from here to a server or device: its name, and the ports that printing needs.
type Line struct {
	Name      string    `json:"name"`
	Kind      string    `json:"kind" enum:"server,device"`
	Host      string    `json:"host"`
	Resolved  string    `json:"resolved" enum:"yes,no,address,table" doc:"address: it is one itself. table: a table of stand-ins leads there instead of the DNS."`
	Addresses []string  `json:"addresses"`
	Says      string    `json:"says,omitempty" doc:"Why the name leads nowhere."`
	Ports     []Port    `json:"ports"`
	At        time.Time `json:"at"`
}

// A Port is what came of trying one.
type Port struct {
	Port   int    `json:"port"`
	For    string `json:"for"`
	Needed bool   `json:"needed" doc:"The estate leads there; the others are the usual ones besides."`
	State  string `json:"state" enum:"open,refused,silent,not-tried" doc:"refused: the host answers, and nothing listens there. silent: nothing comes back, as with a firewall that drops it."`
	Says   string `json:"says,omitempty"`
}

// usual are the ports that printing usually needs, by kind.
var usual = map[string][]Port{
	KindServer: {{Port: 631, For: "IPP"}, {Port: 443, For: "IPP over TLS"}},
	KindDevice: {{Port: 631, For: "IPP"}, {Port: 443, For: "IPP over TLS"}, {Port: 9100, For: "raw printing"},
		{Port: 515, For: "LPD"}},
}

// defaultPort is the port of each scheme (RFC 3510, RFC 7472, RFC 1179; that of raw printing is a custom).
var defaultPort = map[string]int{"ipp": 631, "ipps": 631, "http": 80, "https": 443, "socket": 9100, "lpd": 515}

// NewLine is the line to where a URI leads, with the ports to try: the one that is led to first.
func NewLine(kind, name, uri string) Line {
	l := Line{Name: name, Kind: kind, Host: Host(uri), Addresses: []string{}, Ports: []Port{}}
	u, err := url.Parse(uri)
	if err != nil {
		return l
	}
	port, err := strconv.Atoi(u.Port())
	if err != nil {
		port = defaultPort[u.Scheme]
	}
	needed := Port{Port: port, For: map[string]string{"socket": "raw printing", "lpd": "LPD"}[u.Scheme], Needed: true}
	needed.For = cmp.Or(needed.For, "IPP")
	l.Ports = append(l.Ports, needed)
	for _, p := range usual[kind] {
		if !slices.ContainsFunc(l.Ports, func(o Port) bool { return o.Port == p.Port }) {
			l.Ports = append(l.Ports, p)
		}
	}
	return l
}

// Works says whether the name leads somewhere, and what is needed is open.
func (l Line) Works() bool {
	return l.Resolved != "no" && !slices.ContainsFunc(l.Ports, func(p Port) bool { return p.Needed && p.State != "open" })
}
