package app

import (
	"archive/zip"
	"bytes"
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
		if err := errors.Join(whole.Write(names[0], []byte(c), 0o644), whole.Write(names[1], []byte(k),
			0o600)); err != nil {
			return nil, err
		}
		cert, key = []byte(c), []byte(k)
	}
	s := &sim.Shelf{}
	for _, below := range []string{"drivers", "offered"} {
		if err := archives(below, func(name string, b []byte) error { s.Put(name+".zip", b); return nil }); err != nil {
			return nil, err
		}
	}
	s.Put("release-notes.txt", []byte("Skerrymark Office 3.2: the colour models no longer forget their trays.\n"))
	ln, err := listenNear(listen)
	if err != nil {
		return nil, err
	}
	return s, s.Serve(ln, string(cert), string(key))
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

// archives makes a zip archive of each folder below one of the demo's, the same from the same files.
func archives(below string, take func(name string, b []byte) error) error {
	folders, err := fs.ReadDir(demo.Files, below)
	if err != nil {
		return err
	}
	for _, f := range folders {
		if !f.IsDir() {
			continue
		}
		sub, err := fs.Sub(demo.Files, below+"/"+f.Name())
		if err != nil {
			return err
		}
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		if err := errors.Join(z.AddFS(sub), z.Close()); err != nil {
			return err
		}
		if err := take(f.Name(), b.Bytes()); err != nil {
			return err
		}
	}
	return nil
}
