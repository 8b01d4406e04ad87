// Package path answers what a way to a queue leads through, where it ends, and whether it can be used just now.
package path

import (
	"strings"

	"cirque/core/estate"
)

// A Through is the kind of a path.
type Through string

// The kinds of path.
const (
	Device  Through = "device"
	Server  Through = "server"
	Set     Through = "set"
	Gateway Through = "gateway"
)

// A Way is one path of a queue with all that follows from the estate alone.
type Way struct {
	Through Through
	Device  string
	Server  string
	Set     string
	Remote  string // the queue's name on servers
	URI     string // absolute; of the gateway, relative to the service; of a set, see Members
	Style   estate.Style
	Members []Member // of a set, in its order
}

// A Member is one server of a set with where the queue is on it.
type Member struct {
	Server string
	URI    string
}

// defaultRoot stands between a server's URI and a queue's name.
const defaultRoot = "printers/"

// A Book holds what paths lead through, by name.
type Book struct {
	Servers map[string]estate.Server
	Sets    map[string]estate.ServerSet
	Devices map[string]estate.Device
}

// NewBook reads a document's book.
func NewBook(d *estate.Document) Book {
	b := Book{make(map[string]estate.Server, len(d.Servers)), make(map[string]estate.ServerSet, len(d.ServerSets)),
		make(map[string]estate.Device, len(d.Devices))}
	for _, s := range d.Servers {
		b.Servers[s.Name] = s
	}
	for _, s := range d.ServerSets {
		b.Sets[s.Name] = s
	}
	for _, v := range d.Devices {
		b.Devices[v.Name] = v
	}
	return b
}

// Of works out where a path of a queue leads. The book must hold what the path names.
func Of(p estate.Path, queue string, b Book) Way {
	remote := p.RemoteName
	if remote == "" {
		remote = queue
	}
	switch {
	case p.Device != "":
		return Way{Through: Device, Device: p.Device, URI: b.Devices[p.Device].URI}
	case p.Server != "":
		return Way{Through: Server, Server: p.Server, Remote: remote, URI: ServerURI(b.Servers[p.Server], remote)}
	case p.Set != "":
		set := b.Sets[p.Set]
		w := Way{Through: Set, Set: p.Set, Remote: remote, Style: set.Style}
		for _, m := range set.Members {
			w.Members = append(w.Members, Member{m, ServerURI(b.Servers[m], remote)})
		}
		return w
	}
	return Way{Through: Gateway, URI: "/ipp/queues/" + queue}
}

// ServerURI is where a queue is on a server, by its name there.
func ServerURI(s estate.Server, remote string) string {
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
