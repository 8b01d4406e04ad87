package sim

import (
	"errors"
	"net/netip"
	"syscall"
)

// hold keeps the port of one that is cut: bound, so that nobody else takes it, while nothing listens there.
func (p *Printer) hold() error {
	at, err := netip.ParseAddrPort(p.Addr())
	if err != nil || p.held != nil {
		return err
	}
	var where syscall.Sockaddr = &syscall.SockaddrInet6{Port: int(at.Port()), Addr: at.Addr().As16()}
	family := syscall.AF_INET6
	if at.Addr().Is4() {
		family, where = syscall.AF_INET, &syscall.SockaddrInet4{Port: int(at.Port()), Addr: at.Addr().As4()}
	}
	fd, err := syscall.Socket(family, syscall.SOCK_STREAM, 0)
	if err != nil {
		return err
	}
	syscall.CloseOnExec(fd)
	// Bound beside connections that end, as listeners are; then kept from whoever would listen beside it.
	reuse := func(on int) error { return syscall.SetsockoptInt(fd, syscall.SOL_SOCKET, syscall.SO_REUSEADDR, on) }
	if err := errors.Join(reuse(1), syscall.Bind(fd, where), reuse(0)); err != nil {
		return errors.Join(err, syscall.Close(fd))
	}
	p.held = func() error { p.held = nil; return syscall.Close(fd) }
	return nil
}

// release lets go of what hold keeps.
func (p *Printer) release() error {
	if p.held == nil {
		return nil
	}
	return p.held()
}
