package dial_test

import (
	"context"
	"net"
	"net/http"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/lease"
	"cirque/internal/probe/dial"
	"cirque/internal/testkit"
)

// TestNothingLeavesAfterTheLease: under a lease that has ended nothing is dialled, and nothing is sent over a
// connection that is there already.
func TestNothingLeavesAfterTheLease(t *testing.T) {
	t.Parallel()
	var met atomic.Int32
	addr := testkit.Listener(t, func(c net.Conn) {
		met.Add(1)
		b := make([]byte, 4096)
		for {
			if _, err := c.Read(b); err != nil {
				return
			}
			_, _ = c.Write([]byte("HTTP/1.1 204 No Content\r\n\r\n"))
		}
	})
	valid := true
	ctx := context.WithValue(t.Context(), lease.Key{}, lease.Held{Name: "health", Number: 1,
		Valid: func() bool { return valid }})
	client := dial.New(nil, nil).Client(dial.IPP)
	ask := func() error {
		r, err := http.NewRequestWithContext(ctx, http.MethodPost, "http://"+addr, nil)
		if err != nil {
			t.Fatal(err)
		}
		a, err := client.Do(r)
		if err == nil {
			_ = a.Body.Close()
		}
		return err
	}
	if err := ask(); err != nil || met.Load() != 1 {
		t.Fatal("its holder cannot ask:", err)
	}
	valid = false
	if err := ask(); err == nil {
		t.Error("a former holder asks over the connection that is there")
	}
	if _, err := dial.New(nil, nil).Dial(ctx, dial.IPP, "tcp", addr, time.Second); err == nil || met.Load() != 1 {
		t.Error("a former holder dials:", err)
	}
}
