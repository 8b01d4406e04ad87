// Package fetch reads packages of drivers out of places: folders that a web server shows, with a list of checksums.
package fetch

import (
	"bytes"
	"context"
	"crypto/x509"
	"errors"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"cirque/core/driver"
	"cirque/core/fault"
	"cirque/internal/probe/dial"
)

// A Fetcher reads places.
type Fetcher struct {
	out *dial.Dialer
	// still is how long a place may say nothing in the middle of an answer.
	still time.Duration
}

// How long a list may take, and a place may be still in the middle of an archive.
const (
	sumsWithin    = 20 * time.Second
	archiveWithin = 2 * time.Hour
	still         = 30 * time.Second
)

// errStill is a place that says nothing any more.
var errStill = errors.New("nothing came for a while")

// New makes one whose connections a dialer makes; a nil one goes anywhere.
func New(d *dial.Dialer) *Fetcher { return &Fetcher{d, still} }

// Look reads the list of a place.
func (f *Fetcher) Look(ctx context.Context, v driver.Place) (l driver.Look, err error) {
	ctx, cancel := context.WithTimeout(ctx, sumsWithin)
	defer cancel()
	b, err := f.get(ctx, v, driver.SumsFile, driver.MaxSums, func(int64, int64) {})
	if err == nil {
		l.Offers, l.Others, l.Problems, err = driver.ParseSums(b)
	}
	return l, err
}

// Archive reads an archive of a place, and tells how far it is; total is 0 where the place does not say.
func (f *Fetcher) Archive(ctx context.Context, v driver.Place, file string, reached func(got, total int64)) ([]byte,
	error) {
	ctx, cancel := context.WithTimeout(ctx, archiveWithin)
	defer cancel()
	return f.get(ctx, v, file, driver.MaxArchive, reached)
}

func (f *Fetcher) get(ctx context.Context, v driver.Place, file string, most int64, reached func(got,
	total int64)) ([]byte, error) {
	u, err := url.Parse(v.URL)
	if err != nil {
		return nil, fault.New(fault.Invalid, "place-invalid", "write https://HOST/FOLDER/", "%q is no address", v.URL)
	}
	u = u.JoinPath(strings.Split(file, "/")...)
	var roots *x509.CertPool
	if v.CA != "" {
		roots = x509.NewCertPool()
		roots.AppendCertsFromPEM([]byte(v.CA))
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		return nil, fault.New(fault.Invalid, "place-invalid", "write https://HOST/FOLDER/", "%q is no address", u)
	}
	req.Header.Set("Accept-Encoding", "identity") // the checksum is of what lies there
	client := f.out.ClientTrusting(dial.Drivers, roots)
	defer client.CloseIdleConnections()
	resp, err := client.Do(req)
	if err != nil {
		return nil, explain(u.Host, err)
	}
	defer func() { _ = resp.Body.Close() }()
	if err := refused(u, resp); err != nil {
		return nil, err
	}
	large := fault.New(fault.TooLarge, "place-large", "divide it", "%s of %s has over %d MiB", file, v.Name,
		most>>20)
	if resp.ContentLength > most {
		return nil, large
	}
	watch := time.AfterFunc(f.still, func() { cancel(errStill) })
	defer watch.Stop()
	var b bytes.Buffer
	total := max(0, resp.ContentLength)
	b.Grow(int(min(total, most)))
	reached(0, total)
	came := telling{resp.Body, func(n int) {
		watch.Reset(f.still)
		reached(int64(b.Len()+n), total)
	}}
	switch _, err := io.Copy(&b, io.LimitReader(came, most+1)); {
	case errors.Is(context.Cause(ctx), errStill):
		return nil, fault.New(fault.Unavailable, "silent", "try again", "%s fell silent in the middle of %s", u.Host, file)
	case ctx.Err() != nil: // what looks like the end may be the other side's, which saw that nobody reads on
		return nil, explain(u.Host, ctx.Err())
	case err != nil:
		return nil, explain(u.Host, err)
	case int64(b.Len()) > most:
		return nil, large
	}
	return b.Bytes(), nil
}

// telling tells how much each read brings.
type telling struct {
	io.Reader
	reached func(n int)
}

func (t telling) Read(p []byte) (int, error) {
	n, err := t.Reader.Read(p)
	t.reached(n)
	return n, err
}

// refused says what an answer other than the file means (RFC 9110, section 15), and no more of it: who answers may be
// somebody whom nobody meant.
func refused(u *url.URL, resp *http.Response) error {
	bad := func(code, fix, format string, args ...any) error {
		return fault.New(fault.Unavailable, code, fix, format, args...)
	}
	switch {
	case resp.StatusCode == http.StatusOK:
		return nil
	case resp.StatusCode >= 300 && resp.StatusCode < 400:
		return bad("place-elsewhere", "write the address at which the files are", "%s leads elsewhere, and redirects are "+
			"not followed", u)
	case resp.StatusCode == http.StatusUnauthorized, resp.StatusCode == http.StatusForbidden:
		return bad("place-refuses", "let this machine read the folder", "%s refuses %s", u.Host, u.Path)
	case resp.StatusCode == http.StatusNotFound:
		return bad("place-lacks", "check the folder; the list is made with: sha256sum *.zip > "+driver.SumsFile,
			"%s has no %s", u.Host, u.Path)
	}
	return bad("place-fails", "look at that server's log", "%s answers for %s with status %d", u.Host, u.Path,
		resp.StatusCode)
}

// explain puts a failed exchange into plain words.
func explain(host string, err error) error {
	f := fault.As(dial.Explain(host, err))
	fix := f.Fix
	switch f.Code {
	case "not-ipp":
		return fault.New(f.Kind, "not-web", "check the address and the port", "%s is no web server", host).Because(err)
	case "not-tls":
		fix = "check the port; plain HTTP has to be allowed for a place"
	case "certificate":
		fix = "give its authority with the place, or it a certificate that this machine trusts"
	case "broke-off":
		fix = "try again; if it stays so, look at that server's log"
	case "refused", "silent":
		fix = "check that it is on, and the address"
	}
	return fault.New(f.Kind, f.Code, fix, "%s", f.What).Because(err)
}
