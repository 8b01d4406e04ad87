// Package app is the one place that builds Cirque's parts, joins them, and stops them.
package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/tls"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"
	_ "time/tzdata" // zones wherever it runs

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/app/stores"
	"cirque/internal/ca"
	"cirque/internal/gateway"
	"cirque/internal/httpapi"
	"cirque/internal/postgres"
	"cirque/internal/postgres/cluster"
	"cirque/internal/probe"
	"cirque/internal/probe/dial"
	ldapclient "cirque/internal/probe/ldap"
	mailclient "cirque/internal/probe/mail"
	"cirque/internal/pwg"
	"cirque/internal/service"
	"cirque/internal/service/enrolment"
	"cirque/internal/service/identity"
)

// Version is set when a release is built.
var Version = "0.1.0-dev"

//go:embed all:dist
var dist embed.FS

// Options of the service.
type Options struct {
	Data         string // directory; made when it is not there
	Database     string // URL of a PostgreSQL database; empty runs one of its own in Data
	Listen       string // host:port
	PublicURL    string // the address by which others reach it; where it listens when empty
	TLSCert      string // PEM files; empty takes a certificate of Cirque's own authority
	TLSKey       string
	PlainHTTP    bool   // loopback only
	AddressTable string // file that leads printers' addresses elsewhere
	Log          *slog.Logger
	table        dial.AddressTable
	// Now is the clock by which lineups are answered; time.Now when nil.
	Now func() time.Time
	// ServersEvery and DevicesEvery are how often servers and devices are read; zero takes the usual.
	ServersEvery, DevicesEvery time.Duration
	// NoticesEvery is how often it is looked who is to be told of what; zero takes the usual.
	NoticesEvery time.Duration
	// Health has servers and devices probed also where Throwaway is set.
	Health bool
	// Throwaway runs the own database fast and unsafely, for tests, and reaches nothing but loopback and its address
	// table.
	Throwaway bool
}

const (
	databaseName = "cirque"
	setupFile    = "setup-code"
	secretFile   = "secret-key"
	stopWithin   = 10 * time.Second
)

// A Running service.
type Running struct {
	URL     string // where it listens
	CAFile  string // the authority to trust; empty when it is not Cirque's own
	Service *service.Service
	store   *postgres.Store
	stop    func() error
}

// Stop ends it gracefully: streams and polls end, requests finish, the own database is stopped cleanly.
func (r *Running) Stop() error { return r.stop() }

// closers run in reverse order.
type closers []func() error

func (c *closers) add(f func() error) { *c = append(*c, f) }

func (c *closers) run() error {
	var errs []error
	for i := len(*c) - 1; i >= 0; i-- {
		errs = append(errs, (*c)[i]())
	}
	*c = nil
	return errors.Join(errs...)
}

// Start brings the service up; it listens when Start returns.
func Start(ctx context.Context, o Options) (r *Running, err error) {
	collectOften()
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	if o.AddressTable != "" {
		if o.table, err = dial.ReadAddressTable(o.AddressTable); err != nil {
			return nil, err
		}
	}
	var c closers
	defer func() {
		if err != nil {
			err = errors.Join(err, c.run())
		}
	}()
	// Listen first: a port that is taken is the commonest trouble, and nothing has been touched yet.
	ln, err := listen(o)
	if err != nil {
		return nil, err
	}
	c.add(func() error { return ignoreClosed(ln.Close()) })
	if err := os.MkdirAll(o.Data, 0o755); err != nil {
		return nil, fault.New(fault.Invalid, "data-directory", "name a directory that this account may write",
			"the data directory %s cannot be made", o.Data).Because(err)
	}
	store, err := openStore(ctx, o, &c)
	if err != nil {
		return nil, err
	}
	setup := setupCode{filepath.Join(o.Data, setupFile)}
	key, err := secretKey(filepath.Join(o.Data, secretFile))
	if err != nil {
		return nil, err
	}
	if o.Throwaway && len(o.table) == 0 {
		o.table = dial.AddressTable{"": ""} // nothing but loopback
	}
	authority, err := ca.Open(filepath.Join(o.Data, "ca"), time.Now())
	if err != nil {
		return nil, err
	}
	var certifier enrolment.Authority
	scheme := "http"
	if !o.PlainHTTP {
		scheme = "https"
		certifier = authority // over plain HTTP no certificate could be shown
	}
	leases := store.Leases()
	c.add(func() error { leases.Close(); return nil })
	prober := probe.New(o.table)
	svc, err := service.New(ctx, stores.Of(store), service.Config{Log: o.Log, Printer: prober, Prober: prober,
		Sender: mailclient.NewSender(o.table), NoticesEvery: o.NoticesEvery, Dir: ldapclient.NewDir(o.table),
		Raster:    pwg.TextPage,
		SecretKey: key, Zone: zone, Now: o.Now, DHCP: reservations{}, ReadLDIF: ldapclient.ReadLDIF,
		Health: o.Health || !o.Throwaway, ServersEvery: o.ServersEvery, DevicesEvery: o.DevicesEvery,
		PublicURL: cmp.Or(o.PublicURL, scheme+"://"+ln.Addr().String()), Authority: certifier, SetupCode: setup.read,
		SetupDone: setup.remove, Leases: leases})
	if err != nil {
		return nil, err
	}
	if svc.Identity.NeedsSetUp() {
		if err := setup.make(); err != nil {
			return nil, err
		}
	}
	run, stopRun := context.WithCancel(context.WithoutCancel(ctx))
	var wg sync.WaitGroup
	wg.Go(func() { svc.Run(run) })
	c.add(func() error { stopRun(); wg.Wait(); return nil })
	r = &Running{Service: svc, store: store}
	if err := serve(o, ln, svc, authority, r, &c); err != nil {
		return nil, err
	}
	r.stop = sync.OnceValue(c.run)
	return r, nil
}

func listen(o Options) (net.Listener, error) {
	host, _, err := net.SplitHostPort(o.Listen)
	if err != nil {
		return nil, fault.New(fault.Invalid, "listen-address", "write HOST:PORT, such as 127.0.0.1:8631",
			"%q is no address to listen at", o.Listen)
	}
	if o.PlainHTTP && !name.Loopback(host) {
		return nil, fault.New(fault.Invalid, "plain-http", "leave --plain-http out, or listen at 127.0.0.1",
			"plain HTTP is for loopback only, and %s is not", o.Listen)
	}
	ln, err := net.Listen("tcp", o.Listen)
	if err != nil {
		return nil, fault.New(fault.Unavailable, "listen", "stop what listens there, or name another address with --listen",
			"%s cannot be listened at", o.Listen).Because(err)
	}
	return ln, nil
}

func ignoreClosed(err error) error {
	if errors.Is(err, net.ErrClosed) {
		return nil
	}
	return err
}

// openStore runs or reaches the database and brings its schema up to date.
func openStore(ctx context.Context, o Options, c *closers) (*postgres.Store, error) {
	url := o.Database
	if url == "" {
		unlock, err := lockData(o.Data)
		if err != nil {
			return nil, err
		}
		c.add(unlock)
		db, err := cluster.Start(ctx, o.Data, cluster.Config{Log: o.Log, Throwaway: o.Throwaway})
		if err != nil {
			return nil, err
		}
		c.add(db.Stop)
		keep, stop := context.WithCancel(context.WithoutCancel(ctx))
		var wg sync.WaitGroup
		wg.Go(func() { db.Keep(keep) })
		c.add(func() error { stop(); wg.Wait(); return nil })
		if err := postgres.Create(ctx, db.URL("postgres"), databaseName); err != nil {
			return nil, err
		}
		url = db.URL(databaseName)
	}
	store, err := postgres.Open(ctx, url)
	if err != nil {
		return nil, err
	}
	c.add(func() error { store.Close(); return nil })
	store.TellSlow(o.Log)
	return store, store.Migrate(ctx)
}

func zone(name string) *time.Location {
	if name == "" || name == "Local" {
		return nil
	}
	z, err := time.LoadLocation(name)
	if err != nil {
		return nil
	}
	return z
}

// serve puts the handler on the listener.
func serve(o Options, ln net.Listener, svc *service.Service, authority *ca.Authority, r *Running, c *closers) error {
	console, err := fs.Sub(dist, "dist")
	if err != nil {
		return err
	}
	if _, err := fs.Stat(console, "index.html"); err != nil { // built without the console
		console = nil
	}
	stopping, stop := context.WithCancel(context.Background())
	h, err := httpapi.New(svc, httpapi.Config{Log: o.Log, Version: Version, Secure: !o.PlainHTTP, Console: console,
		Gateway: gateway.New(svc, o.Log), Stopping: stopping, Queries: r.store.Queries})
	if err != nil {
		stop()
		return err
	}
	server := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(o.Log.Handler(), slog.LevelDebug)}
	r.URL = "http://" + ln.Addr().String()
	if !o.PlainHTTP {
		cert, caFile, err := certificate(o, authority, ln.Addr())
		if err != nil {
			stop()
			return err
		}
		r.URL, r.CAFile = "https://"+ln.Addr().String(), caFile
		server.TLSConfig = &tls.Config{MinVersion: tls.VersionTLS12, Certificates: []tls.Certificate{cert},
			ClientAuth: tls.VerifyClientCertIfGiven, ClientCAs: authority.Pool()}
	}
	done := make(chan error, 1)
	go func() {
		if o.PlainHTTP {
			done <- server.Serve(ln)
		} else {
			done <- server.ServeTLS(ln, "", "")
		}
	}()
	c.add(func() error {
		stop()
		ctx, cancel := context.WithTimeout(context.Background(), stopWithin)
		defer cancel()
		err := server.Shutdown(ctx)
		if errors.Is(err, context.DeadlineExceeded) {
			err = server.Close()
		}
		if served := <-done; !errors.Is(served, http.ErrServerClosed) {
			err = errors.Join(err, served)
		}
		return err
	})
	return nil
}

// certificate is the one that was named, or one by Cirque's own authority for every name of this machine.
func certificate(o Options, a *ca.Authority, addr net.Addr) (tls.Certificate, string, error) {
	if o.TLSCert != "" || o.TLSKey != "" {
		cert, err := tls.LoadX509KeyPair(o.TLSCert, o.TLSKey)
		if err != nil {
			return cert, "", fault.New(fault.Invalid, "tls-files", "name both --tls-cert and --tls-key, as PEM",
				"the certificate and key cannot be used").Because(err)
		}
		return cert, "", nil
	}
	hosts := []string{"localhost", "127.0.0.1", "::1"}
	if name, err := os.Hostname(); err == nil && name != "" {
		hosts = append(hosts, name)
	}
	if tcp, ok := addr.(*net.TCPAddr); ok && !tcp.IP.IsUnspecified() && !tcp.IP.IsLoopback() {
		hosts = append(hosts, tcp.IP.String())
	}
	cert, err := a.Server(hosts, time.Now())
	return cert, a.CertFile(), err
}

// secretKey reads the key that seals what is secret, and makes it the first time.
func secretKey(file string) ([]byte, error) {
	b, err := os.ReadFile(file)
	if err == nil {
		if key, e := hex.DecodeString(strings.TrimSpace(string(b))); e == nil && len(key) == 32 {
			return key, nil
		}
		return nil, fault.New(fault.Invalid, "secret-key", "put back the file that was made with the data; without it "+
			"stored keys must be entered anew", "%s is no secret key", file)
	}
	if !errors.Is(err, fs.ErrNotExist) {
		return nil, fault.New(fault.Invalid, "secret-key", "let the service's account read it", "%s cannot be read",
			file).Because(err)
	}
	key := make([]byte, 32)
	_, _ = rand.Read(key) // it never fails
	f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = fmt.Fprintln(f, hex.EncodeToString(key))
	return key, errors.Join(err, f.Sync(), f.Close())
}

// setupCode is the file with the one-time code of the first run.
type setupCode struct{ file string }

func (s setupCode) read() (string, bool) {
	b, err := os.ReadFile(s.file)
	code := strings.TrimSpace(string(b))
	return code, err == nil && code != ""
}

func (s setupCode) make() error {
	if _, ok := s.read(); ok {
		return nil
	}
	f, err := os.OpenFile(s.file, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintln(f, rand.Text())
	return errors.Join(err, f.Close())
}

func (s setupCode) remove() { _ = os.Remove(s.file) }

// MakeToken makes a token straight in the data directory or database, while the service runs or not.
func MakeToken(ctx context.Context, o Options, want access.Token) (secret string, err error) {
	want.Author = "local"
	err = beside(ctx, o, func(store *postgres.Store) (err error) {
		_, doc, err := store.Estates.Current(ctx)
		if err != nil {
			return err
		}
		_, secret, err = identity.AddToken(ctx, store.Tokens, want, time.Now(), doc.HasSite)
		return err
	})
	return secret, err
}

// ResetAccount gives an account a new password straight in the data directory or database, while the service runs or
// not. It gives the account's name as it was made.
func ResetAccount(ctx context.Context, o Options, called, password string) (made string, err error) {
	err = beside(ctx, o, func(store *postgres.Store) (err error) {
		made, err = identity.ResetPassword(ctx, store.Accounts, called, password)
		return err
	})
	return made, err
}

// beside opens the store of a data directory or database, while the service runs or not.
func beside(ctx context.Context, o Options, f func(*postgres.Store) error) (err error) {
	var c closers
	defer func() { err = errors.Join(err, c.run()) }()
	if _, err := os.Stat(o.Data); o.Database == "" && err != nil {
		return fault.New(fault.Invalid, "data-directory", "name the directory that cirque serve was given",
			"there is no data directory %s", o.Data)
	}
	store, err := openStore(ctx, o, &c)
	if fault.Is(err, fault.Conflict) { // a service has the data: its database is up
		_ = c.run()
		db, err := cluster.Attach(ctx, o.Data)
		if err != nil {
			return err
		}
		if store, err = postgres.Open(ctx, db.URL(databaseName)); err != nil {
			return err
		}
		c.add(func() error { store.Close(); return nil })
	} else if err != nil {
		return err
	}
	return f(store)
}
