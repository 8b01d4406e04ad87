package windows

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"cirque/core/fault"
	"cirque/internal/winspool"
)

// A port is what the system's monitors make of a URI.
type port struct {
	Name    string
	Monitor string
	TCP     winspool.TCPPort // of winspool.MonitorTCP
}

// Ports of the protocols (RFC 8011, section 4.4.9; RFC 1179, section 3.1).
const (
	portIPP = "631"
	portLPD = 515
	portRaw = 9100
)

// portFor gives the port for a URI.
func portFor(uri string) (port, error) {
	u, err := url.Parse(uri)
	if err != nil || u.Host == "" {
		return port{}, fault.New(fault.Invalid, "device-uri", "set it up by hand; Cirque leaves it as it is",
			"no port can be made for %q on this system", uri)
	}
	host := u.Hostname()
	number, _ := strconv.Atoi(u.Port())
	switch u.Scheme {
	case "ipp", "ipps":
		u.Scheme = map[string]string{"ipp": "http", "ipps": "https"}[u.Scheme]
		if u.Port() == "" {
			u.Host += ":" + portIPP
		}
		return port{Name: u.String(), Monitor: winspool.MonitorInternet}, nil
	case "socket":
		if number == 0 {
			number = portRaw
		}
		return tcp(host, number, ""), nil
	case "lpd":
		if number == 0 {
			number = portLPD
		}
		return tcp(host, number, strings.Trim(u.Path, "/")), nil
	}
	return port{}, fault.New(fault.Invalid, "device-uri", "lead it there by ipp:, ipps:, socket: or lpd:",
		"no port can be made for %q on this system", uri)
}

func tcp(host string, number int, lpr string) port {
	called := fmt.Sprintf("cirque-%s-%d", host, number)
	if lpr != "" {
		called += "-" + lpr
	}
	called = strings.Map(func(r rune) rune {
		if r <= ' ' || strings.ContainsRune(`\/,:"`, r) {
			return '_'
		}
		return r
	}, called)
	return port{called, winspool.MonitorTCP, winspool.TCPPort{Name: called, Host: host, Number: uint32(number),
		Queue: lpr}}
}

// uriOf gives the URI to which a port of a monitor leads; empty where its name does not tell, as of a local one.
func uriOf(p winspool.Port, tcp *winspool.TCPPort) string {
	if tcp != nil {
		host := tcp.Host
		if strings.Contains(host, ":") {
			host = "[" + host + "]"
		}
		if tcp.Queue != "" {
			uri := url.URL{Scheme: "lpd", Host: host, Path: "/" + tcp.Queue}
			if tcp.Number != portLPD {
				uri.Host += ":" + strconv.Itoa(int(tcp.Number))
			}
			return uri.String()
		}
		return fmt.Sprintf("socket://%s:%d", host, tcp.Number)
	}
	for web, ipp := range map[string]string{"http://": "ipp://", "https://": "ipps://"} {
		if rest, ok := strings.CutPrefix(p.Name, web); ok {
			return ipp + rest
		}
	}
	return ""
}

// same says whether two URIs lead to the same port.
func same(a, b string) bool {
	x, errX := portFor(a)
	y, errY := portFor(b)
	return errX == nil && errY == nil && x == y
}

// sharedPath is how the path of a queue ends that a Windows machine shares over IPP.
const sharedPath = "/.printer"

// connects says whether a person's queue is a connection to one that another Windows machine shares, and to what.
func connects(w mark) (to string, yes bool) {
	u, err := url.Parse(w.URI)
	if err != nil || w.User == "" || w.Exact != "" || !strings.HasSuffix(u.Path, sharedPath) {
		return "", false
	}
	p, err := portFor(w.URI)
	return p.Name, err == nil && p.Monitor == winspool.MonitorInternet
}

// PortName gives the name of the port for a URI.
func PortName(uri string) (string, error) {
	p, err := portFor(uri)
	return p.Name, err
}
