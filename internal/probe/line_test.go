package probe_test

import (
	"context"
	"errors"
	"net"
	"strconv"
	"testing"

	"cirque/core/stock"
	"cirque/internal/probe"
	"cirque/internal/probe/dial"
)

// TestLine: what listens is open, what does not is refused, and a name that leads nowhere is said to.
func TestLine(t *testing.T) {
	t.Parallel()
	l, err := net.Listen("tcp", "127.79.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = l.Close() })
	open := l.Addr().(*net.TCPAddr).Port
	c := probe.New(dial.New(dial.AddressTable{"hall.example:631": l.Addr().String(), "hall.example:9100": "127.79.0.1:1"},
		&dial.Rules{Local: true}))
	try := func(uri string) stock.Line {
		return c.TestLine(t.Context(), stock.NewLine(stock.KindDevice, "x", uri))
	}
	got := try("ipp://hall.example/ipp/print")
	states := map[int]string{}
	for _, p := range got.Ports {
		states[p.Port] = p.State
	}
	if got.Resolved != "table" || states[631] != "open" || states[9100] != "refused" || states[443] != "not-tried" ||
		!got.Works() {
		t.Errorf("%+v", got)
	}
	if got := try("ipp://127.79.0.1:" + strconv.Itoa(open) + "/"); got.Resolved != "address" ||
		got.Ports[0].State != "open" {
		t.Errorf("%+v", got)
	}
	if got := try("ipp://elsewhere.example/"); got.Resolved != "no" || got.Says == "" ||
		got.Ports[0].State != "not-tried" || got.Works() {
		t.Errorf("%+v", got)
	}
	free := dial.New(nil, nil)
	if addresses, how, err := free.Resolve(t.Context(), "localhost"); err != nil || how != "yes" || len(addresses) == 0 {
		t.Errorf("%v %s %v", addresses, how, err)
	}
	stopped, stop := context.WithCancel(t.Context())
	stop()
	if _, how, err := free.Resolve(stopped, "hall.example"); err == nil || how != "no" &&
		!errors.Is(err, context.Canceled) {
		t.Errorf("%s %v", how, err)
	}
}
