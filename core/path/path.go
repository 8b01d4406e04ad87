// Package path answers what a way to a queue leads through, where it ends, and whether it can be used just now.
package path

import (
	"strings"

	"cirque/core/estate"
	"cirque/core/live"
)

// A Through is the kind of a path.
type Through string

// The kinds of path.
const (
	Device  Through = "device"
	Server  Through = "server"
	Gateway Through = "gateway"
)

// A Way is one path of a queue with all that follows from the estate alone.
type Way struct {
	Through Through
	Device  string
	Server  string
	URI     string // absolute; of the gateway, relative to the service
}

// defaultRoot stands between a server's URI and a queue's name.
const defaultRoot = "printers/"

// Of works out where a path of a queue leads. Servers and devices are given by name and must hold the path's.
func Of(p estate.Path, queue string, servers map[string]estate.Server, devices map[string]estate.Device) Way {
	switch {
	case p.Device != "":
		return Way{Through: Device, Device: p.Device, URI: devices[p.Device].URI}
	case p.Server != "":
		remote := p.RemoteName
		if remote == "" {
			remote = queue
		}
		return Way{Through: Server, Server: p.Server, URI: serverURI(servers[p.Server], remote)}
	}
	return Way{Through: Gateway, URI: "/ipp/queues/" + queue}
}

func serverURI(s estate.Server, remote string) string {
	root := defaultRoot
	if s.QueueRoot != nil {
		root = *s.QueueRoot
	}
	return join(join(s.URI, root), Encode(remote))
}

// join puts exactly one slash between two parts, unless the second is empty.
func join(a, b string) string {
	if b == "" {
		return a
	}
	return strings.TrimSuffix(a, "/") + "/" + strings.TrimPrefix(b, "/")
}

const upperHex = "0123456789ABCDEF"

// Encode percent-encodes all but the unreserved characters (RFC 3986, sections 2.1 and 2.3).
func Encode(s string) string {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		c := s[i]
		if 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || '0' <= c && c <= '9' || strings.IndexByte("-._~", c) >= 0 {
			b.WriteByte(c)
		} else {
			b.WriteByte('%')
			b.WriteByte(upperHex[c>>4])
			b.WriteByte(upperHex[c&15])
		}
	}
	return b.String()
}

// Usable says whether a way can be used in a live state. A server must serve; a drained device still takes jobs, one
// that is down does not; the gateway always can.
func Usable(w Way, s live.State) bool {
	switch w.Through {
	case Device:
		return s.Device(w.Device) != live.Down
	case Server:
		return s.Server(w.Server) == live.Serving
	}
	return true
}
