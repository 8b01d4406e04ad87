package probe

import (
	"archive/zip"
	"bytes"
	"context"

	"cirque/core/driver"
	"cirque/core/fault"
	"cirque/internal/probe/dial"
	"cirque/internal/probe/fetch"
	ippclient "cirque/internal/probe/ipp"
)

// Places reads where packages of drivers are fetched from: folders on web servers, and spoolers.
type Places struct {
	web     *fetch.Fetcher
	spooler *ippclient.Client
}

// NewPlaces makes one whose connections a dialer makes; a nil one goes anywhere.
func NewPlaces(d *dial.Dialer) *Places { return &Places{fetch.New(d), ippclient.New(d)} }

// Look lists what a place offers.
func (p *Places) Look(ctx context.Context, v driver.Place) (l driver.Look, err error) {
	if !v.BuiltIn() {
		return p.web.Look(ctx, v)
	}
	if l.Offers, err = p.spooler.Collection(ctx, v.URL); err == nil && len(l.Offers) == 0 {
		err = fault.New(fault.Invalid, "place-empty", "name another", "the spooler at %s brings no driver along", v.URL)
	}
	return l, err
}

// Archive reads an archive of a place, and tells how far it is. Of what a spooler brings along it makes one.
func (p *Places) Archive(ctx context.Context, v driver.Place, file string, reached func(got, total int64)) ([]byte,
	error) {
	if !v.BuiltIn() {
		return p.web.Archive(ctx, v, file, reached)
	}
	text, err := p.spooler.Description(ctx, v.URL, file)
	if err != nil {
		return nil, err
	}
	reached(int64(len(text)), int64(len(text)))
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, err := z.Create("driver.ppd")
	if err == nil {
		_, err = w.Write(text)
	}
	if err == nil {
		err = z.Close()
	}
	return b.Bytes(), err
}
