package app

import (
	"context"
	"errors"
	"io/fs"
	"net"
	"os"
	"path/filepath"

	"cirque/core/driver"
	"cirque/core/fault"
	"cirque/demo"
	"cirque/internal/sim"
	"cirque/internal/whole"
)

// demoShelf runs the web server with archives of drivers, under the name that where gives it. Its certificate is made
// once.
func demoShelf(data, where, listen string) (*sim.Shelf, error) {
	host, _, err := net.SplitHostPort(where)
	if err != nil {
		return nil, err
	}
	dir := filepath.Join(data, "drivers")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	names := []string{shelfCA(data), filepath.Join(dir, "key.pem")}
	cert, err := os.ReadFile(names[0])
	key, err2 := os.ReadFile(names[1])
	if errors.Join(err, err2) != nil {
		c, k, err := sim.SelfSigned(host)
		if err != nil {
			return nil, err
		}
		if err := errors.Join(whole.Write(names[0], []byte(c), 0o644), whole.Write(names[1], []byte(k), 0o600)); err != nil {
			return nil, err
		}
		cert, key = []byte(c), []byte(k)
	}
	s := &sim.Shelf{}
	for _, folder := range []string{"drivers", "offered"} {
		list, err := fs.ReadDir(demo.Files, folder)
		if err != nil {
			return nil, err
		}
		for _, f := range list {
			if !f.IsDir() {
				continue
			}
			sub, err := fs.Sub(demo.Files, folder+"/"+f.Name())
			if err != nil {
				return nil, err
			}
			b, err := packed(sub)
			if err != nil {
				return nil, err
			}
			s.Put(f.Name()+".zip", b)
		}
	}
	s.Put("release-notes.txt", []byte("Skerrymark Office 3.2: the colour models no longer forget their trays.\n"))
	return s, s.Listen(listen, string(cert), string(key))
}

func shelfCA(data string) string { return filepath.Join(data, "drivers", "ca.pem") }

// place has drivers fetched from the web server with archives, once.
func (d *Demo) place(ctx context.Context, where string) error {
	const called = "head-office"
	if _, _, err := d.Service.Places.Place(ctx, d.owner(), called); !fault.Is(err, fault.Unknown) {
		return err
	}
	host, _, err := net.SplitHostPort(where)
	if err != nil {
		return err
	}
	ca, err := os.ReadFile(shelfCA(d.Data))
	if err != nil {
		return err
	}
	_, _, err = d.Service.Places.KeepPlace(ctx, d.owner(), driver.Place{Name: called, URL: "https://" + host + "/",
		CA: string(ca), Note: "What the makers send, put there by head office"}, false)
	return err
}
