package agent_test

import (
	"fmt"
	"testing"

	"cirque/core/server"
	"cirque/internal/agent"
	"cirque/internal/large"
	"cirque/internal/testkit"
)

// BenchmarkUnixServer is Debian's spooler as a server's with 500 queues: looking at all of them, and changing one.
func BenchmarkUnixServer(b *testing.B) {
	s := testkit.NewUnixSpooler(b, false)
	u, err := agent.NewUnixServer(s.Socket)
	if err != nil {
		b.Fatal(err)
	}
	n := large.Scale(500)
	want := func(i int, comment string) server.Now {
		return server.Now{Want: server.Want{Name: fmt.Sprintf("q-%03d", i), Queue: fmt.Sprintf("q-%03d", i),
			Devices: []string{"ipp://127.0.0.1:9/ipp/print"}, Comment: comment}}
	}
	for i := range n {
		if err := u.Bring(b.Context(), want(i, "first"), false); err != nil {
			b.Fatal(err)
		}
	}
	b.Run("look", func(b *testing.B) {
		for b.Loop() {
			found, err := u.Shared(b.Context())
			if err != nil || len(found) != n {
				b.Fatal(len(found), err)
			}
		}
	})
	b.Run("change", func(b *testing.B) {
		i := 0
		for b.Loop() {
			i++
			if err := u.Bring(b.Context(), want(i%n, fmt.Sprint("change ", i)), false); err != nil {
				b.Fatal(err)
			}
		}
	})
}
