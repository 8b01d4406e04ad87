package front

import (
	"errors"
	"io"
	"net"
	"net/netip"
	"testing"
	"testing/synctest"
	"time"

	"github.com/pires/go-proxyproto"
)

// peers is a listener whose connections tests make.
type peers struct {
	conns chan net.Conn
	done  chan struct{}
}

func newPeers() *peers { return &peers{make(chan net.Conn), make(chan struct{})} }

func (p *peers) Accept() (net.Conn, error) {
	select {
	case c := <-p.conns:
		return c, nil
	case <-p.done:
		return nil, net.ErrClosed
	}
}

func (p *peers) Close() error   { close(p.done); return nil }
func (p *peers) Addr() net.Addr { return &net.TCPAddr{} }

// from is a connection that says where it comes from.
type from struct {
	net.Conn
	addr string
}

func (f from) RemoteAddr() net.Addr { return net.TCPAddrFromAddrPort(netip.MustParseAddrPort(f.addr)) }

// dial connects from an address, and gives the client's end.
func (p *peers) dial(addr string) net.Conn {
	client, server := net.Pipe()
	p.conns <- from{server, addr}
	return client
}

// accepting gives the connections that a listener hands out.
func accepting(l *Listener) chan *Conn {
	out := make(chan *Conn, 100)
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				close(out)
				return
			}
			out <- c.(*Conn)
		}
	}()
	return out
}

// isClosed says whether the other end has hung up.
func isClosed(c net.Conn) bool {
	_ = c.SetReadDeadline(time.Now().Add(time.Millisecond))
	_, err := c.Read(make([]byte, 1))
	return errors.Is(err, io.EOF)
}

// TestBound: of one address so many are served; others wait until one ends or signs in, and in the end are closed.
// Other addresses notice nothing.
func TestBound(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		p := newPeers()
		l := Listen(p, Config{PerAddress: 2})
		served := accepting(l)
		var mine []net.Conn
		for range 5 {
			mine = append(mine, p.dial("192.0.2.1:1000"))
		}
		p.dial("192.0.2.2:1000")
		synctest.Wait()
		if len(served) != 3 {
			t.Fatalf("%d are served, want two of one and one of another", len(served))
		}
		first, second := <-served, <-served
		<-served
		first.SignedIn()
		synctest.Wait()
		if len(served) != 1 {
			t.Fatalf("%d more are served after one signed in", len(served))
		}
		<-served
		first.SignedIn() // again changes nothing
		_ = first.Close()
		synctest.Wait()
		if len(served) != 0 {
			t.Fatal("one made room twice")
		}
		second.Idle()
		synctest.Wait()
		if len(served) != 1 || !isClosed(mine[1]) {
			t.Fatal("an idle one made no room for one that waits")
		}
		<-served
		time.Sleep(usualPatience + time.Second)
		synctest.Wait()
		if !isClosed(mine[4]) || isClosed(mine[3]) {
			t.Error("the one that waited was not closed")
		}
		for range 2 * heldFor * 2 {
			mine = append(mine, p.dial("192.0.2.1:1000"))
		}
		synctest.Wait()
		if !isClosed(mine[len(mine)-1]) {
			t.Error("one beyond those that are held was not closed at once")
		}
		if err := l.Close(); err != nil {
			t.Fatal(err)
		}
		synctest.Wait()
		if _, ok := <-served; ok {
			t.Error("a connection after the end")
		}
		for i, c := range mine[5:] {
			if !isClosed(c) {
				t.Errorf("%d that was held is still open", i)
			}
		}
	})
}

// TestNetwork: an IPv6 network of 64 bits is one address.
func TestNetwork(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		p := newPeers()
		l := Listen(p, Config{PerAddress: 1})
		served := accepting(l)
		p.dial("[2001:db8::1]:1")
		p.dial("[2001:db8::2]:1")
		p.dial("[2001:db8:0:1::1]:1")
		synctest.Wait()
		if len(served) != 2 {
			t.Errorf("%d are served, want one of each network", len(served))
		}
		_ = l.Close()
	})
}

// TestProxies: what a balancer passes on counts for whom its header names; whoever is no balancer cannot say so, and a
// balancer that says nothing is refused.
func TestProxies(t *testing.T) {
	t.Parallel()
	trusted := []netip.Prefix{netip.MustParsePrefix("10.0.0.5/32")}
	header := func(source string, version byte) *proxyproto.Header {
		return proxyproto.HeaderProxyFromAddrs(version, net.TCPAddrFromAddrPort(netip.MustParseAddrPort(source)),
			net.TCPAddrFromAddrPort(netip.MustParseAddrPort("10.0.0.9:8631")))
	}
	synctest.Test(t, func(t *testing.T) {
		p := newPeers()
		l := Listen(p, Config{PerAddress: 1, Proxies: trusted, Protocol: true})
		served := accepting(l)
		for i, source := range []string{"192.0.2.1:7", "192.0.2.2:7", "192.0.2.2:8"} {
			c := p.dial("10.0.0.5:999")
			go func() {
				_, _ = header(source, byte(1+i%2)).WriteTo(c)
				_, _ = c.Write([]byte("hello"))
			}()
			synctest.Wait()
		}
		if len(served) != 2 {
			t.Fatalf("%d are served, want one for each address", len(served))
		}
		for _, want := range []string{"192.0.2.1:7", "192.0.2.2:7"} {
			c := <-served
			b := make([]byte, 5)
			_, err := io.ReadFull(c, b)
			if got := c.RemoteAddr().String(); got != want || string(b) != "hello" || err != nil {
				t.Errorf("from %s came %q, %v; want %s", got, b, err, want)
			}
		}
		mute := p.dial("10.0.0.5:999")
		other := p.dial("10.0.0.5:999")
		go func() { _, _ = other.Write([]byte("GET / HTTP/1.1\r\n\r\n")) }()
		liar := p.dial("192.0.2.66:1")
		go func() { _, _ = header("192.0.2.9:1", 1).WriteTo(liar) }()
		time.Sleep(headerWithin + time.Second)
		synctest.Wait()
		if !isClosed(mute) || !isClosed(other) {
			t.Error("a balancer's connection without a header is open")
		}
		if c := <-served; c.RemoteAddr().String() != "192.0.2.66:1" {
			t.Errorf("somebody else was believed to be %s", c.RemoteAddr())
		}
		_ = liar.Close()
		_ = l.Close()
	})
	synctest.Test(t, func(t *testing.T) { // without the protocol a proxy speaks for many
		p := newPeers()
		l := Listen(p, Config{PerAddress: 1, Proxies: trusted})
		served := accepting(l)
		for range 5 {
			p.dial("10.0.0.5:999")
		}
		synctest.Wait()
		if len(served) != 5 {
			t.Errorf("%d of a proxy's are served", len(served))
		}
		_ = l.Close()
	})
}
