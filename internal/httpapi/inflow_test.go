package httpapi

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"cirque/core/access"
	"cirque/core/event"
)

// guarded is a server whose routes are: /known for whoever is known, /open for anybody, /own which reads its body
// itself, and /ipp/ which knows people by a header of their own. X-Who says who is known.
func guarded(tb testing.TB) (*server, http.Handler) {
	tb.Helper()
	switches()
	s := &server{cfg: Config{Stopping: context.Background()}, log: slog.New(slog.DiscardHandler)}
	s.door.bodies.unknown = map[string]int64{}
	body := &huma.Schema{Type: huma.TypeArray, Items: &huma.Schema{Type: huma.TypeInteger}}
	s.door.registry = huma.NewMapRegistry("#/", huma.DefaultSchemaNamer)
	s.door.entries = map[string]entry{
		"POST /known": {most: medium.most, schema: body}, "POST /open": {open: true, most: small.most, schema: body},
		"POST /large":      {most: large.most, needs: access.Publish},
		"POST /own":        {own: true, most: small.most},
		"POST /ipp/*queue": {own: true, open: true},
	}
	r := gin.New()
	r.Use(func(c *gin.Context) {
		if who := c.GetHeader("X-Who"); who != "" {
			p := &access.Principal{Name: who, Role: access.Role(who)}
			c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), principalKey, p))
		}
	}, s.open)
	read := func(c *gin.Context) {
		b, err := io.ReadAll(c.Request.Body)
		if err != nil {
			unread(err).write(c.Writer)
			return
		}
		c.String(http.StatusOK, "%d bytes", len(b))
	}
	for _, path := range []string{"/known", "/open", "/own", "/large"} {
		r.POST(path, read)
	}
	r.POST("/ipp/*queue", func(c *gin.Context) {
		if c.GetHeader("X-Printer") == "" {
			c.Status(http.StatusUnauthorized)
			return
		}
		c.Request.Body.(*inflow).Admit()
		read(c)
	})
	r.NoRoute(func(c *gin.Context) { c.Status(http.StatusNotFound) })
	return s, s.arrive(r)
}

// piped serves a handler on connections in memory, whose deadlines are of the bubble's clock.
func piped(t *testing.T, h http.Handler) (dial func() net.Conn) {
	t.Helper()
	conns := make(chan net.Conn)
	ln := &pipes{conns: conns, done: make(chan struct{})}
	srv := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
	go func() { _ = srv.Serve(ln) }()
	t.Cleanup(func() { _ = srv.Close() })
	return func() net.Conn {
		client, served := net.Pipe()
		conns <- served
		return client
	}
}

type pipes struct {
	conns chan net.Conn
	done  chan struct{}
}

func (p *pipes) Accept() (net.Conn, error) {
	select {
	case c := <-p.conns:
		return c, nil
	case <-p.done:
		return nil, net.ErrClosed
	}
}
func (p *pipes) Close() error { close(p.done); return nil }
func (*pipes) Addr() net.Addr { return &net.TCPAddr{} }

// TestTrickles: a body that trickles ends its connection, on every path, whoever sends it; one that flows does not.
func TestTrickles(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		path, headers string
		within        time.Duration
		status        int
	}{
		{"/known", "", time.Second, http.StatusUnauthorized},
		{"/known", "X-Who: owner\r\n", patience + time.Second, http.StatusRequestTimeout},
		{"/open", "", patience + time.Second, http.StatusRequestTimeout},
		{"/own", "", time.Second, http.StatusUnauthorized},
		{"/own", "X-Who: owner\r\n", patience + time.Second, http.StatusRequestTimeout},
		{"/nowhere", "", time.Second, http.StatusNotFound},
		{"/ipp/queues/x", "", time.Second, http.StatusUnauthorized},
		{"/ipp/queues/x", "X-Printer: mira\r\n", jobPatience + time.Second, http.StatusRequestTimeout},
	} {
		for _, every := range []time.Duration{time.Hour, time.Second} {
			synctest.Test(t, func(t *testing.T) {
				_, h := guarded(t)
				conn := piped(t, h)()
				var writer sync.WaitGroup
				defer writer.Wait()
				defer conn.Close()
				begin := time.Now()
				fmt.Fprintf(conn, "POST %s HTTP/1.1\r\nHost: x\r\n%sContent-Length: 1000000\r\n\r\n", c.path, c.headers)
				writer.Go(func() {
					for {
						if _, err := conn.Write([]byte("[")); err != nil {
							return
						}
						time.Sleep(every)
					}
				})
				resp, err := http.ReadResponse(bufio.NewReader(conn), nil)
				if err != nil || resp.StatusCode != c.status {
					t.Errorf("%s: %v %v, want %d", c.path, resp, err, c.status)
					return
				}
				_, _ = io.Copy(io.Discard, resp.Body)
				if took := time.Since(begin); took > c.within {
					t.Errorf("%s with %q, a byte in %v: answered after %v", c.path, c.headers, every, took)
				}
				_, err = conn.Read(make([]byte, 1))
				if took := time.Since(begin); err == nil || took > c.within+time.Second {
					t.Errorf("%s: open after %v", c.path, took)
				}
			})
		}
	}
	synctest.Test(t, func(t *testing.T) { // at twice the pace that is asked for it takes longer than patience
		_, h := guarded(t)
		conn := piped(t, h)()
		const size = 512 << 10
		var writer sync.WaitGroup
		defer writer.Wait()
		writer.Go(func() {
			fmt.Fprintf(conn, "POST /ipp/queues/x HTTP/1.1\r\nHost: x\r\nX-Printer: mira\r\nContent-Length: %d\r\n\r\n", size)
			for range size / (2 * pace) {
				_, _ = conn.Write(make([]byte, 2*pace))
				time.Sleep(time.Second)
			}
		})
		resp, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil || resp.StatusCode != http.StatusOK {
			t.Errorf("a job that flows: %v %v", resp, err)
		}
		_ = conn.Close()
	})
}

// counting counts what is read of a body.
type counting struct {
	io.Reader
	n int
}

func (c *counting) Read(b []byte) (int, error) {
	n, err := c.Reader.Read(b)
	c.n += n
	return n, err
}

// TestDoor: of a body of whoever is not known, or may not send one, hardly anything is read; what is too much, or not
// what the description says, is refused.
func TestDoor(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		path, who string
		size      int
		status    int
		most      int // bytes that may be read
	}{
		{"/known", "", 20 << 20, http.StatusUnauthorized, 0},
		{"/large", "", 20 << 20, http.StatusUnauthorized, 0},
		{"/large", "person", 20 << 20, http.StatusForbidden, 0},
		{"/large", "owner", 20 << 20, http.StatusOK, 20 << 20},
		{"/large", "owner", 65 << 20, http.StatusRequestEntityTooLarge, 64<<20 + 1},
		{"/known", "person", 5 << 20, http.StatusRequestEntityTooLarge, 4<<20 + 1},
		{"/known", "person", 1000, http.StatusUnprocessableEntity, 1000},
		{"/open", "", 20 << 20, http.StatusRequestEntityTooLarge, unsignedBody + 1},
		{"/open", "person", 1000, http.StatusUnprocessableEntity, 1000},
		{"/own", "", 20 << 20, http.StatusUnauthorized, 0},
		{"/own", "person", 20 << 20, http.StatusRequestEntityTooLarge, 64<<10 + 1},
		{"/nowhere", "", 20 << 20, http.StatusNotFound, 0},
		{"/ipp/queues/x", "", 20 << 20, http.StatusUnauthorized, 0},
	} {
		s, h := guarded(t)
		body := &counting{Reader: strings.NewReader("[" + strings.Repeat(`"",`, c.size/3) + "1]")}
		r := httptest.NewRequest(http.MethodPost, c.path, body)
		r.ContentLength = int64(c.size)
		r.Header.Set("X-Who", c.who)
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		if w.Code != c.status {
			t.Errorf("%s as %q with %d bytes: %d %s", c.path, c.who, c.size, w.Code, w.Body)
		}
		if body.n > c.most+3 {
			t.Errorf("%s as %q: %d bytes were read, %d may be", c.path, c.who, body.n, c.most)
		}
		if unread := body.n < c.size && c.size > unsignedBody; unread && w.Header().Get("Connection") != "close" {
			t.Errorf("%s as %q: the connection stays with a body that nobody reads", c.path, c.who)
		}
		if s.door.bodies.all != 0 || len(s.door.bodies.unknown) != 0 {
			t.Errorf("%s as %q: %d bytes are still counted, %v", c.path, c.who, s.door.bodies.all, s.door.bodies.unknown)
		}
	}
}

// TestInFlight: the process, and each address that nobody has signed in from, hold so many bytes of bodies and no more.
func TestInFlight(t *testing.T) {
	t.Parallel()
	s, h := guarded(t)
	send := func(path, who, from, body string) int {
		r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(body))
		r.Header.Set("X-Who", who)
		r.RemoteAddr = from
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Code
	}
	if !s.door.bodies.take("192.0.2.1", unsignedAddress-1) {
		t.Fatal("there is no room at the beginning")
	}
	if got := send("/open", "", "192.0.2.1:9", "[1]"); got != http.StatusTooManyRequests {
		t.Errorf("an address that holds much: %d", got)
	}
	if got := send("/open", "", "192.0.2.2:9", "[1]"); got != http.StatusOK {
		t.Errorf("another address: %d", got)
	}
	if got := send("/known", "person", "192.0.2.1:9", "[1]"); got != http.StatusOK {
		t.Errorf("somebody who is known, at the same address: %d", got)
	}
	s.door.bodies.give("192.0.2.1", unsignedAddress-1)
	if got := send("/open", "", "192.0.2.1:9", "[1]"); got != http.StatusOK {
		t.Errorf("the address, with room again: %d", got)
	}
	if !s.door.bodies.take("", inFlight-1) {
		t.Fatal("there is no room")
	}
	if got := send("/known", "person", "192.0.2.1:9", "[1]"); got != http.StatusTooManyRequests {
		t.Errorf("a full process: %d", got)
	}
}

// TestOrigin: proxies are believed as far as they are trusted.
func TestOrigin(t *testing.T) {
	t.Parallel()
	trusted := []netip.Prefix{netip.MustParsePrefix("10.0.0.0/24"), netip.MustParsePrefix("2001:db8::/64")}
	for _, c := range []struct{ peer, name, told, want string }{
		{"192.0.2.1:5", "Forwarded", "for=198.51.100.7", "192.0.2.1"},
		{"10.0.0.5:5", "Forwarded", "for=198.51.100.7;proto=https", "198.51.100.7"},
		{"10.0.0.5:5", "Forwarded", `for=203.0.113.9, for="198.51.100.7:4711"`, "198.51.100.7"},
		{"10.0.0.5:5", "Forwarded", `For=203.0.113.9, for=10.0.0.6`, "203.0.113.9"},
		{"10.0.0.5:5", "Forwarded", `for="[2001:db8:1::7]:4711"`, "2001:db8:1::7"},
		{"10.0.0.5:5", "Forwarded", `for=203.0.113.9, for=_hidden`, "10.0.0.5"},
		{"10.0.0.5:5", "Forwarded", `for=unknown`, "10.0.0.5"},
		{"10.0.0.5:5", "Forwarded", ";;,=,", "10.0.0.5"},
		{"10.0.0.5:5", "X-Forwarded-For", "203.0.113.9, 198.51.100.7", "198.51.100.7"},
		{"10.0.0.5:5", "X-Forwarded-For", "203.0.113.9, 10.0.0.7 ", "203.0.113.9"},
		{"10.0.0.5:5", "X-Other", "203.0.113.9", "10.0.0.5"},
		{"[2001:db8::1]:5", "X-Forwarded-For", "203.0.113.9", "203.0.113.9"},
		{"[::ffff:10.0.0.5]:5", "X-Forwarded-For", "203.0.113.9", "203.0.113.9"},
		{"@", "X-Forwarded-For", "203.0.113.9", "@"},
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = c.peer
		r.Header.Set(c.name, c.told)
		if got := origin(r, trusted); got != c.want {
			t.Errorf("from %s, %s: %s: %s, want %s", c.peer, c.name, c.told, got, c.want)
		}
	}
	var got any
	s := &server{cfg: Config{Proxies: trusted}}
	s.arrive(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		got = r.Context().Value(event.OriginKey{})
	})).ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "/", nil))
	if got != "192.0.2.1" { // what httptest sends from
		t.Errorf("the origin is %v", got)
	}
}

// TestHolds: each account holds so many requests open; others notice nothing.
func TestHolds(t *testing.T) {
	t.Parallel()
	var h holds
	mira := &access.Principal{Name: "mira", Account: "mira", Role: access.Person}
	token := &access.Principal{Name: "mira's token", Account: "mira", Role: access.Person, Token: true}
	agent := &access.Principal{Name: "desk-1", Machine: "desk-1", Role: access.Agent}
	var free []func()
	for _, p := range []*access.Principal{mira, token} {
		f, err := h.take("streams", p, 2)
		if err != nil {
			t.Fatal(err)
		}
		free = append(free, f)
	}
	if _, err := h.take("streams", token, 2); err == nil {
		t.Error("a third stream of one account")
	}
	if _, err := h.take("waits", token, 2); err != nil {
		t.Error("another kind:", err)
	}
	for i := range agentWaits + 1 {
		if _, err := h.take("streams", agent, 100); (err != nil) != (i == agentWaits) {
			t.Errorf("an agent's request %d: %v", i, err)
		}
	}
	free[0]()
	if _, err := h.take("streams", mira, 2); err != nil {
		t.Error("after one has ended:", err)
	}
}
