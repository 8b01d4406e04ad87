package probe

import (
	"context"
	"errors"
	"net"
	"strconv"
	"sync"
	"syscall"
	"time"

	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/probe/dial"
)

// portWithin bounds the trial of a port.
const portWithin = 3 * time.Second

// TestLine looks a host's name up and tries its ports, all at once. Nothing is sent.
func (c *Prober) TestLine(ctx context.Context, l stock.Line) stock.Line {
	l.At = time.Now().UTC()
	addresses, how, err := c.out.Resolve(ctx, l.Host)
	l.Resolved = how
	for _, a := range addresses {
		l.Addresses = append(l.Addresses, a.String())
	}
	if err != nil {
		l.Says = fault.As(dial.Explain(l.Host, err)).What
		for i := range l.Ports {
			l.Ports[i].State = "not-tried"
		}
		return l
	}
	var all sync.WaitGroup
	for i := range l.Ports {
		all.Go(func() { c.tryPort(ctx, l.Host, &l.Ports[i]) })
	}
	all.Wait()
	return l
}

func (c *Prober) tryPort(ctx context.Context, host string, p *stock.Port) {
	use := dial.IPP
	if p.For != "IPP" && p.For != "IPP over TLS" {
		use = dial.Raw
	}
	conn, err := c.out.Dial(ctx, use, "tcp", net.JoinHostPort(host, strconv.Itoa(p.Port)), portWithin)
	var timeout interface{ Timeout() bool }
	switch {
	case err == nil:
		p.State = "open"
		_ = conn.Close() // nothing was sent
	case errors.Is(err, syscall.ECONNREFUSED), errors.Is(err, syscall.ECONNRESET):
		p.State = "refused"
	case errors.As(err, &timeout) && timeout.Timeout():
		p.State = "silent"
	default:
		p.State, p.Says = "not-tried", fault.As(dial.Explain(host, err)).What
	}
}
