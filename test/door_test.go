package test

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
)

// dialRaw connects to the service without anything that would send more than it is told to.
func (s *aService) dialRaw(t *testing.T) net.Conn {
	t.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = conn.Close() })
	_ = conn.SetDeadline(time.Now().Add(30 * time.Second))
	return conn
}

// TestNobodyCostsNothing: whoever has not signed in and sends a large body is answered after hardly any of it, on every
// route there is; the connection ends, so that nothing is waited for.
func TestNobodyCostsNothing(t *testing.T) {
	t.Parallel()
	s := startService(t)
	routes := []string{"POST /ipp/queues/hall", "POST /ipp/", "POST /nowhere", "PUT /", "POST /api/v1/nowhere",
		"POST /api/v1/exercises/1/stop", "POST /metrics", "GET /", "GET /metrics", "GET /readyz", "GET /profile/heap",
		"PATCH /api/v1/lineups"}
	for path, methods := range describedPaths(t) {
		for method := range methods {
			routes = append(routes, strings.ToUpper(method)+" "+strings.NewReplacer("{number}", "1", "{id}", "1", "{",
				"", "}", "").Replace(path))
		}
	}
	const all, most = 20 << 20, 16 << 10
	for _, route := range routes {
		method, path, _ := strings.Cut(route, " ")
		conn := s.dialRaw(t)
		kind := "application/json"
		if strings.HasPrefix(path, "/ipp/") {
			kind = "application/ipp"
		}
		// The deadline is what fails: an answer that waits for the rest of the body never comes.
		fmt.Fprintf(conn, "%s %s HTTP/1.1\r\nHost: localhost\r\nContent-Type: %s\r\nContent-Length: %d\r\n\r\n%s", method,
			path, kind,
			all, "["+strings.Repeat("0,", most/2))
		resp, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil {
			t.Errorf("%s: %v", route, err)
			continue
		}
		n, _ := io.Copy(io.Discard, resp.Body)
		if method != http.MethodGet && method != http.MethodDelete && resp.StatusCode < 400 {
			t.Errorf("%s: %d", route, resp.StatusCode)
		}
		if n > 64<<10 {
			t.Errorf("%s: an answer of %d bytes", route, n)
		}
		if !resp.Close {
			t.Errorf("%s: the connection is kept with a body that nobody reads", route)
		}
		_ = conn.Close()
	}
	if len(routes) < 180 {
		t.Errorf("only %d routes", len(routes))
	}
}

// TestSilentConnections: an address has so many connections on which nobody signs in; a further one is served as soon
// as one of them ends or somebody signs in on it.
func TestSilentConnections(t *testing.T) {
	t.Parallel()
	s := startService(t, func(o *app.Options) { o.PerAddress = 2 })
	// The client's own connection is known, and counts no more.
	if _, err := apiclient.Get[api.Me](t.Context(), s.c, "/api/v1/session", nil); err != nil {
		t.Fatal(err)
	}
	silent := []net.Conn{s.dialRaw(t), s.dialRaw(t)}
	third := s.dialRaw(t)
	fmt.Fprint(third, "GET /healthz HTTP/1.1\r\nHost: localhost\r\n\r\n")
	_ = third.SetReadDeadline(time.Now().Add(300 * time.Millisecond))
	if b, err := bufio.NewReader(third).Peek(1); err == nil {
		t.Fatalf("a third connection is answered: %q", b)
	}
	_ = silent[0].Close()
	_ = third.SetReadDeadline(time.Now().Add(20 * time.Second))
	if resp, err := http.ReadResponse(bufio.NewReader(third), nil); err != nil || resp.StatusCode != http.StatusOK {
		t.Fatalf("with room again: %v %v", resp, err)
	}
	fourth := s.dialRaw(t)
	fmt.Fprint(fourth, "GET /healthz HTTP/1.1\r\nHost: localhost\r\n\r\n")
	fmt.Fprintf(silent[1], "GET /api/v1/session HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer %s\r\n\r\n", s.token)
	if resp, err := http.ReadResponse(bufio.NewReader(fourth), nil); err != nil || resp.StatusCode != http.StatusOK {
		t.Fatalf("after somebody signed in on one: %v %v", resp, err)
	}
}

// TestStreamsOfOne: one account holds so many streams of signals; another notices nothing.
func TestStreamsOfOne(t *testing.T) {
	t.Parallel()
	s := startService(t)
	watch := func(token string) int {
		conn := s.dialRaw(t)
		fmt.Fprintf(conn, "GET /api/v1/watch HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer %s\r\n\r\n", token)
		resp, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil {
			t.Fatal(err)
		}
		return resp.StatusCode
	}
	for i := range 101 {
		want := http.StatusOK
		if i == 100 {
			want = http.StatusTooManyRequests
		}
		if got := watch(s.token); got != want {
			t.Fatalf("stream %d: %d, want %d", i, got, want)
		}
	}
	if got := watch(s.tokenFor("another", "auditor", "")); got != http.StatusOK {
		t.Errorf("another account: %d", got)
	}
}
