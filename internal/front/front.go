// Package front is the side of the service that listens: it finds where connections come from, by the PROXY protocol
// where a balancer tells it, and bounds by address how many are open on which nobody has signed in.
package front

import (
	"net"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/pires/go-proxyproto"
)

// Config of a Listener. Zero values take the usual.
type Config struct {
	// PerAddress is how many connections one address may have on which nobody has signed in; 256 when zero. An IPv6
	// network of 64 bits counts as one address.
	PerAddress int
	// Proxies speak for others: what comes from them is not bounded.
	Proxies []netip.Prefix
	// Protocol has each connection from Proxies begin with a header of the PROXY protocol (version 1 or 2), which names
	// whom it is for; that address is bounded then. One without a header is refused.
	Protocol bool
	// Patience is how long a connection beyond the bound is held until there is room; 10 s when zero.
	Patience time.Duration
}

const (
	usualPerAddress = 256
	usualPatience   = 10 * time.Second
	// heldFor is how many connections are held for each that is served; more are closed.
	heldFor = 8
	// inAll is how many connections are open and held on which nobody has signed in, whatever their addresses.
	inAll = 8192
	// headerWithin is how long a balancer has to say whom a connection is for.
	headerWithin = 5 * time.Second
)

// A Listener accepts connections that are bounded. Any number of goroutines may use it.
type Listener struct {
	net.Listener
	cfg Config

	mu    sync.Mutex
	some  sync.Cond // ready or failed has changed
	ready []*Conn
	fails error
	by    map[netip.Addr]*address
	all   int
}

// address is what one has.
type address struct {
	served int
	held   []*Conn
}

// Listen begins to accept from ln.
func Listen(ln net.Listener, cfg Config) *Listener {
	if cfg.PerAddress == 0 {
		cfg.PerAddress = usualPerAddress
	}
	if cfg.Patience == 0 {
		cfg.Patience = usualPatience
	}
	l := &Listener{Listener: ln, cfg: cfg, by: map[netip.Addr]*address{}}
	l.some.L = &l.mu
	go l.accept()
	return l
}

// accept takes connections in until the listener is closed.
func (l *Listener) accept() {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			l.mu.Lock()
			l.fails = err
			l.some.Broadcast()
			l.mu.Unlock()
			if t, ok := err.(interface{ Temporary() bool }); ok && t.Temporary() { //nolint:errorlint // as net/http asks
				time.Sleep(5 * time.Millisecond) // such as too many open files
				continue
			}
			return
		}
		peer := key(c.RemoteAddr())
		trusted := slices.ContainsFunc(l.cfg.Proxies, func(p netip.Prefix) bool { return p.Contains(peer) })
		switch {
		case trusted && l.cfg.Protocol:
			go l.told(c)
		case trusted:
			l.admit(&Conn{Conn: c, from: l, known: true})
		default:
			l.admit(&Conn{Conn: c, from: l, address: wide(peer)})
		}
	}
}

// told admits a connection of a balancer for whom its header names.
func (l *Listener) told(c net.Conn) {
	p := proxyproto.NewConn(c, proxyproto.SetReadHeaderTimeout(headerWithin),
		func(p *proxyproto.Conn) { p.ProxyHeaderPolicy = proxyproto.REQUIRE })
	h := p.ProxyHeader()
	if h == nil {
		_ = c.Close()
		return
	}
	if h.Command.IsLocal() { // the balancer itself, such as to see whether we live
		l.admit(&Conn{Conn: p, from: l, known: true})
		return
	}
	l.admit(&Conn{Conn: p, from: l, address: wide(key(p.RemoteAddr()))})
}

// admit has a connection served, held, or closed.
func (l *Listener) admit(c *Conn) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if c.known {
		l.serve(c)
		return
	}
	a := l.by[c.address]
	if a == nil {
		a = &address{}
		l.by[c.address] = a
	}
	switch {
	case l.all >= inAll || len(a.held) >= heldFor*l.cfg.PerAddress:
		go func() { _ = c.Conn.Close() }() // which may wait for what was not sent
	case a.served < l.cfg.PerAddress:
		l.all++
		a.served++
		l.serve(c)
	default:
		l.all++
		a.held = append(a.held, c)
		c.wait = time.AfterFunc(l.cfg.Patience, func() { l.giveUp(c) })
	}
}

// serve hands a connection to whoever accepts. The caller has mu.
func (l *Listener) serve(c *Conn) {
	l.ready = append(l.ready, c)
	l.some.Signal()
}

// giveUp closes a connection that was held for too long.
func (l *Listener) giveUp(c *Conn) {
	l.mu.Lock()
	a := l.by[c.address]
	i := -1
	if a != nil {
		i = slices.Index(a.held, c)
	}
	if i >= 0 {
		a.held = slices.Delete(a.held, i, i+1)
		l.all--
		l.clear(c.address, a)
	}
	l.mu.Unlock()
	if i >= 0 {
		_ = c.Conn.Close()
	}
}

// leave takes a served connection out of the count, and serves one that was held. The caller has mu.
func (l *Listener) leave(c *Conn) {
	a := l.by[c.address]
	l.all--
	a.served--
	if len(a.held) > 0 {
		next := a.held[0]
		a.held = slices.Delete(a.held, 0, 1)
		next.wait.Stop()
		a.served++
		l.serve(next)
	}
	l.clear(c.address, a)
}

func (l *Listener) clear(of netip.Addr, a *address) {
	if a.served == 0 && len(a.held) == 0 {
		delete(l.by, of)
	}
}

// Accept gives the next connection.
func (l *Listener) Accept() (net.Conn, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for len(l.ready) == 0 {
		if err := l.fails; err != nil {
			if t, ok := err.(interface{ Temporary() bool }); ok && t.Temporary() { //nolint:errorlint // as net/http asks
				l.fails = nil
			}
			return nil, err
		}
		l.some.Wait()
	}
	c := l.ready[0]
	l.ready[0] = nil
	l.ready = l.ready[1:]
	return c, nil
}

// Close ends listening, and every connection that was not served.
func (l *Listener) Close() error {
	err := l.Listener.Close()
	l.mu.Lock()
	var held []*Conn
	for _, a := range l.by {
		held = append(held, a.held...)
	}
	l.mu.Unlock()
	for _, c := range held {
		c.wait.Stop()
		l.giveUp(c)
	}
	return err
}

// A Conn is a connection that counts for its address until somebody has signed in on it.
type Conn struct {
	net.Conn
	from    *Listener
	address netip.Addr
	wait    *time.Timer

	known bool // counts no more; guarded by from.mu
}

// SignedIn says that it is known who is on the connection.
func (c *Conn) SignedIn() {
	c.from.mu.Lock()
	defer c.from.mu.Unlock()
	if !c.known {
		c.known = true
		c.from.leave(c)
	}
}

// Idle is called between two requests. A connection on which nobody has signed in makes room where others wait.
func (c *Conn) Idle() {
	c.from.mu.Lock()
	a := c.from.by[c.address]
	wanted := !c.known && a != nil && len(a.held) > 0
	c.from.mu.Unlock()
	if wanted {
		_ = c.Close()
	}
}

// Close ends the connection.
func (c *Conn) Close() error {
	c.SignedIn() // it counts no more
	return c.Conn.Close()
}

// key gives the address of a peer; the zero one where it has none.
func key(a net.Addr) netip.Addr {
	if tcp, ok := a.(*net.TCPAddr); ok {
		return tcp.AddrPort().Addr().Unmap().WithZone("")
	}
	return netip.Addr{}
}

// wide takes what one host may have many of as one: the 64 bits of an IPv6 network (RFC 4291, section 2.5.4).
func wide(a netip.Addr) netip.Addr {
	if a.Is6() {
		p, _ := a.Prefix(64) // fails only beyond 128
		return p.Addr()
	}
	return a
}
