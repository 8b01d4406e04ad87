package testkit

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"regexp"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// A Wire is what stands between a client and a database: it passes everything on until it is told otherwise.
type Wire struct {
	ln     net.Listener
	socket string

	mu    sync.Mutex
	pairs map[*pair]bool // guarded by mu
	all   atomic.Bool    // new connections are swallowed too
	lose  atomic.Pointer[[2]string]
	delay atomic.Int64 // of everything, in each direction
	mute  atomic.Bool  // no notices come through, and all else does
}

// pair is one connection through a Wire.
type pair struct {
	near, far net.Conn
	notices   notices     // of what the database sends
	marked    bool        // the first word of Lose has come by
	silent    atomic.Bool // both sides go on sending, and neither hears of it
}

// NewWire puts a wire in front of a database, and gives the URL through it.
func NewWire(t testing.TB, database string) (url string, w *Wire) {
	t.Helper()
	part := regexp.MustCompile(`host='([^']*)' port=(\d+)`).FindStringSubmatch(database)
	if part == nil {
		t.Fatalf("%q is no URL of a test's database", database)
	}
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	w = &Wire{ln: ln, socket: part[1] + "/.s.PGSQL." + part[2], pairs: map[*pair]bool{}}
	go w.accept()
	t.Cleanup(func() { _ = ln.Close(); w.Cut() })
	at := ln.Addr().(*net.TCPAddr)
	return fmt.Sprintf("host=127.0.0.1 port=%d", at.Port) + database[len(part[0]):], w
}

func (w *Wire) accept() {
	for {
		near, err := w.ln.Accept()
		if err != nil {
			return
		}
		far, err := net.Dial("unix", w.socket)
		if err != nil {
			_ = near.Close()
			continue
		}
		p := &pair{near: near, far: far}
		p.silent.Store(w.all.Load())
		w.mu.Lock()
		w.pairs[p] = true
		w.mu.Unlock()
		go w.pass(p, near, far)
		go w.pass(p, far, near)
	}
}

// pass carries what one side sends to the other.
func (w *Wire) pass(p *pair, from, to net.Conn) {
	b := make([]byte, 32<<10)
	for {
		n, err := from.Read(b)
		if d := w.delay.Load(); d > 0 && n > 0 {
			time.Sleep(time.Duration(d))
		}
		if n > 0 && !p.silent.Load() {
			out := b[:n]
			if from == p.far {
				out = p.notices.without(out, w.mute.Load())
			}
			lost := from == p.near && w.loses(p, b[:n])
			if lost {
				p.silent.Store(true) // the database goes on, and nobody hears of it, however soon it answers
			}
			if _, e := to.Write(out); e != nil {
				err = e
			}
			if lost {
				_ = p.near.Close()
			}
		}
		if err == nil {
			continue
		}
		if p.silent.Load() && err == io.EOF {
			return // the other side hears nothing of it
		}
		_, _ = p.near.Close(), p.far.Close()
		w.mu.Lock()
		delete(w.pairs, p)
		w.mu.Unlock()
		return
	}
}

// Swallow has all connections that there are go silent; new ones work.
func (w *Wire) Swallow() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for p := range w.pairs {
		p.silent.Store(true)
	}
}

// SwallowAll is Swallow of new connections too, until Heal.
func (w *Wire) SwallowAll() { w.all.Store(true); w.Swallow() }

// Lose has a connection break once the database has heard of one word, and then of another, before anything is answered
// to the second.
func (w *Wire) Lose(first, second string) { w.lose.Store(&[2]string{first, second}) }

func (w *Wire) loses(p *pair, b []byte) bool {
	words := w.lose.Load()
	if words == nil {
		return false
	}
	p.marked = p.marked || bytes.Contains(b, []byte(words[0]))
	return p.marked && bytes.Contains(b, []byte(words[1])) && w.lose.CompareAndSwap(words, nil)
}

// Slow has everything take so much longer, in each direction, until it is told another time.
func (w *Wire) Slow(d time.Duration) { w.delay.Store(int64(d)) }

// Mute has notices not come through from now on, as behind what shares connections among clients; all else does.
func (w *Wire) Mute() { w.mute.Store(true) }

// notices finds the notices among the messages of a database (PostgreSQL's documentation, section "Message Formats").
type notices struct {
	head []byte // of the message that has begun, until its length is known
	left int    // octets of it that are still to come
	drop bool
}

// without gives what is left of some octets once the notices are taken out, where they are to be.
func (n *notices) without(b []byte, drop bool) []byte {
	out := make([]byte, 0, len(b)+5)
	for len(b) > 0 {
		if n.left == 0 {
			take := min(5-len(n.head), len(b))
			n.head, b = append(n.head, b[:take]...), b[take:]
			if len(n.head) < 5 {
				return out
			}
			n.left = int(binary.BigEndian.Uint32(n.head[1:])) - 4
			if n.drop = drop && n.head[0] == 'A'; !n.drop {
				out = append(out, n.head...)
			}
			n.head = n.head[:0]
		}
		take := min(n.left, len(b))
		if !n.drop {
			out = append(out, b[:take]...)
		}
		n.left, b = n.left-take, b[take:]
	}
	return out
}

// Heal has new connections work again.
func (w *Wire) Heal() { w.all.Store(false) }

// Cut ends all connections that there are.
func (w *Wire) Cut() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for p := range w.pairs {
		_, _ = p.near.Close(), p.far.Close()
	}
}
