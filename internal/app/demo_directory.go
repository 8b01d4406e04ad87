package app

import (
	"net"
	"path/filepath"
	"strconv"

	"cirque/core/directory"
	"cirque/internal/sim"
	"cirque/internal/whole"
)

// directory runs the directory server with the demo's people, under the name that at gives it. Where it is not
// installed there is none.
func (d *Demo) directory(at standIn, c *closers) error {
	if !sim.HasSlapd() {
		return nil
	}
	unlock, err := lockData(d.Data) // its folder is made anew: not below a demo that runs
	if err != nil {
		return err
	}
	if err := unlock(); err != nil {
		return err
	}
	files, err := demoFiles("directory.yaml")
	if err != nil {
		return err
	}
	records, err := directory.Parse(files)
	if err != nil {
		return err
	}
	host, _, err := net.SplitHostPort(at.For)
	if err != nil {
		return err
	}
	dir := &sim.Slapd{Dir: filepath.Join(d.Data, "directory"), Password: d.Password, Secure: at.Listen}
	ip, _, _ := net.SplitHostPort(dir.Secure)
	if err := dir.Make(sim.LDIF(records, d.Password), host, ip); err != nil {
		return err
	}
	word := filepath.Join(d.Data, "directory", "word")
	if err := whole.Write(word, []byte(d.Password+"\n"), 0o600); err != nil {
		return err
	}
	if err := dir.StartNear(func() { dir.Secure = freeNear(at.Listen) }); err != nil {
		return err
	}
	d.Directory = dir
	c.add(dir.Stop)
	return nil
}

// following is the address one port further on; port 0 stays.
func following(addr string) string {
	host, port, _ := net.SplitHostPort(addr)
	if n, err := strconv.Atoi(port); err == nil && n > 0 {
		port = strconv.Itoa(n + 1)
	}
	return net.JoinHostPort(host, port)
}

// listenNear listens at the address, or at another port there where something listens at it already.
func listenNear(addr string) (net.Listener, error) {
	ln, err := net.Listen("tcp", addr)
	if err != nil {
		host, _, _ := net.SplitHostPort(addr)
		ln, err = net.Listen("tcp", net.JoinHostPort(host, "0"))
	}
	return ln, err
}

// freeNear is an address as listenNear finds it, for another program to listen at.
func freeNear(addr string) string {
	ln, err := listenNear(addr)
	if err != nil {
		return addr // whoever listens there says what is wrong
	}
	defer func() { _ = ln.Close() }()
	return ln.Addr().String()
}
