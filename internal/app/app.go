// Package app is the one place that builds Cirque's parts, joins them, and stops them.
package app

import (
	"cmp"
	"context"
	"crypto/rand"
	"embed"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"sync"
	"time"
	_ "time/tzdata" // zones wherever it runs

	"cirque/core/fault"
	"cirque/internal/app/stores"
	"cirque/internal/ca"
	"cirque/internal/convert"
	"cirque/internal/postgres"
	"cirque/internal/postgres/cluster"
	"cirque/internal/probe"
	"cirque/internal/probe/dial"
	ldapclient "cirque/internal/probe/ldap"
	mailclient "cirque/internal/probe/mail"
	syslogclient "cirque/internal/probe/syslog"
	"cirque/internal/pwg"
	"cirque/internal/service"
	"cirque/internal/service/audit"
	"cirque/internal/service/enrolment"
)

// Version is set when a release is built.
var Version = "0.2.0-dev"

//go:embed all:dist
var dist embed.FS

// Options of the service.
type Options struct {
	Data      string // directory; made when it is not there
	Database  string // URL of a PostgreSQL database; empty runs one of its own in Data
	Listen    string // host:port
	PublicURL string // the address by which others reach it; where it listens when empty
	TLSCert   string // PEM files; empty takes a certificate of Cirque's own authority
	TLSKey    string
	PlainHTTP bool // loopback only
	// Proxies are balancers and proxies in front: what their Forwarded headers tell is believed, or with ProxyProtocol
	// what stands before each of their connections.
	Proxies       []netip.Prefix
	ProxyProtocol bool
	// PerAddress is how many connections one address may have on which nobody has signed in; the usual when zero.
	PerAddress int
	// Spool is the directory in which documents of jobs are kept, or SpoolInDatabase; empty keeps them in Data where the
	// database is its own, else in the database.
	Spool        string
	AddressTable string // file that leads printers' addresses elsewhere
	Log          *slog.Logger
	table        dial.AddressTable
	asItIs       bool         // the schema of what is kept stays
	second       net.Listener // where TLS is spoken, beside plain HTTP at Listen; whoever opened it closes it
	// AllowOutgoing are networks that are connected to though they are this machine's own or link-local.
	AllowOutgoing []netip.Prefix
	// Now is the clock by which lineups are answered; time.Now when nil.
	Now func() time.Time
	// ServersEvery and DevicesEvery are how often servers and devices are read; zero takes the usual.
	ServersEvery, DevicesEvery time.Duration
	// NoticesEvery is how often it is looked who is to be told of what; zero takes the usual.
	NoticesEvery time.Duration
	// Health has servers and devices probed also where Throwaway is set.
	Health bool
	// Around stands around all that is answered over HTTP, for tests.
	Around func(http.Handler) http.Handler
	// Throwaway runs the own database fast and unsafely, for tests, and reaches nothing but loopback and its address
	// table.
	Throwaway bool
}

const (
	databaseName = "cirque"
	setupFile    = "setup-code"
	secretFile   = "secret-key"
	// stopWithin is how long requests may take to end once the service stops, and stopAll how long all of it.
	stopWithin = 1500 * time.Millisecond
	stopAll    = 4500 * time.Millisecond
)

// A Running service.
type Running struct {
	URL    string // where it listens
	CAFile string // the authority to trust; empty when it is not Cirque's own
	// SecureURL is where it listens with TLS beside plain HTTP; empty when it does not.
	SecureURL string
	Service   *service.Service
	store     *postgres.Store
	stop      func() error
	reload    []func() // what is read again; each tells by itself what came of it
	follow    func()   // trusts and shows what follows from the authority; nil over plain HTTP
}

// Reload reads again what lies in files: the certificate, and the key that seals what is secret. What cannot be read
// stays as it is, and the log says why.
func (r *Running) Reload() {
	for _, f := range r.reload {
		f()
	}
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

// together runs them all at once, for what ends by itself in a time of its own.
func (c *closers) together() error {
	var wg sync.WaitGroup
	errs := make([]error, len(*c))
	for i, f := range *c {
		wg.Go(func() { errs[i] = f() })
	}
	wg.Wait()
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
	ln, err := listen(o, &c)
	if err != nil {
		return nil, err
	}
	o.PublicURL = cmp.Or(o.PublicURL, byName(ln.Addr(), o.PlainHTTP))
	if err := os.MkdirAll(o.Data, 0o755); err != nil {
		return nil, fault.New(fault.Invalid, "data-directory", "name a directory that this account may write",
			"the data directory %s cannot be made", o.Data).Because(err)
	}
	store, err := openStore(ctx, o, &c)
	if err != nil {
		return nil, err
	}
	if o.Throwaway && len(o.table) == 0 {
		o.table = dial.AddressTable{"": ""} // nothing but loopback
	}
	key, authority, err := keysFor(ctx, o, store)
	if err != nil {
		return nil, err
	}
	var certifier enrolment.Authority
	scheme := "http"
	if !o.PlainHTTP {
		scheme = "https"
	}
	if !o.PlainHTTP || o.second != nil {
		certifier = authority // over plain HTTP no certificate could be shown
	}
	setup := setupCode{filepath.Join(o.Data, setupFile)}
	leases := store.Leases()
	c.add(func() error { leases.Close(); return nil })
	rules := &dial.Rules{Allow: o.AllowOutgoing}
	out := dial.New(o.table, rules)
	doc := &doctor{store: store, data: o.Data, process: rand.Text(), started: time.Now()}
	public := cmp.Or(o.PublicURL, scheme+"://"+ln.Addr().String())
	cfg, err := reaching(o, out, store)
	if err != nil {
		return nil, err
	}
	cfg.Auditors, cfg.Authority = auditors{syslogclient.NewSender(out, public, Version)}, certifier
	cfg.SecretKeys, cfg.PublicURL, cfg.AgentsURL = key, public, agentsURL(public, o.second)
	cfg.SetupCode, cfg.SetupDone, cfg.Leases, cfg.Doctor, cfg.Process = setup.read, setup.remove, leases, doc, doc.process
	svc, err := service.New(ctx, stores.Of(store), cfg)
	if err != nil {
		return nil, err
	}
	rules.Lists = func() (allow, deny []netip.Prefix) {
		set := svc.Present.View().Document().Outgoing()
		return set.Allow, set.Deny
	}
	if svc.Identity.NeedsSetUp() {
		if err := setup.make(); err != nil {
			return nil, err
		}
	}
	work(ctx, svc, authority, doc, &c)
	r = &Running{Service: svc, store: store}
	if err := serve(o, ln, svc, authority, r, &c); err != nil {
		return nil, err
	}
	followKeys(o, svc, authority, r, &c)
	r.stop = sync.OnceValue(func() error { return within(stopAll, c.run) })
	return r, nil
}

// reaching is what a service is told of by its options, with the clients by which it reaches out.
func reaching(o Options, out *dial.Dialer, store *postgres.Store) (service.Config, error) {
	kept, swept, err := openSpool(o, store)
	prober := probe.New(out)
	cfg := service.Config{Log: o.Log, Throwaway: o.Throwaway, Printer: prober, Prober: prober, Devices: prober,
		Spool: kept, Swept: swept, Sender: mailclient.NewSender(out), NoticesEvery: o.NoticesEvery,
		Dir: ldapclient.NewDir(out), Places: probe.NewPlaces(out), Raster: pwg.TextPage, Zone: zone, Now: o.Now,
		DHCP: reservations{}, ReadLDIF: ldapclient.ReadLDIF, Health: o.Health || !o.Throwaway,
		ServersEvery: o.ServersEvery, DevicesEvery: o.DevicesEvery}
	if c := convert.Find(); c != nil {
		cfg.Converter = c
		if !convert.Alone() {
			o.Log.Warn("what makes pixels of PDF has the network of the service: no other can be made here")
		}
	}
	return cfg, err
}

// auditors give the room of the audit its ways.
type auditors struct{ *syslogclient.Sender }

func (a auditors) Open(ctx context.Context, target, ca string, clear bool) (audit.Way, error) {
	return a.Sender.Open(ctx, target, ca, clear)
}

// within gives up waiting for something that stops: what is left then ends with the process, and the next start goes on
// from there.
func within(d time.Duration, stop func() error) error {
	done := make(chan error, 1)
	go func() { done <- stop() }()
	select {
	case err := <-done:
		return err
	case <-time.After(d):
		return fault.New(fault.Unavailable, "stop-slow", "nothing is to be done: the next start goes on from there",
			"not all of the service had ended after %s", d)
	}
}

// work runs the service's workers, until it is stopped.
func work(ctx context.Context, svc *service.Service, authority *ca.Authority, doc *doctor, c *closers) {
	leased, keys := svc.Runner.Leased, func() []string { return keyNames(svc.Secrets.KeyIDs(), authority) }
	doc.leased.Store(&leased)
	doc.keys.Store(&keys)
	run, stop := context.WithCancel(context.WithoutCancel(ctx))
	var wg sync.WaitGroup
	wg.Go(func() { svc.Run(run) })
	c.add(func() error {
		stop()
		wg.Wait()
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		_ = doc.store.Gone(ctx, doc.process) // it is forgotten by itself
		return nil
	})
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
	} else {
		c.add(showRunning(o.Data))
	}
	store, err := postgres.Open(ctx, url)
	if err != nil {
		return nil, err
	}
	c.add(func() error { closeWithin(store, o.Log); return nil })
	store.TellSlow(o.Log)
	if o.asItIs {
		return store, nil
	}
	return store, store.Migrate(ctx)
}

// closeWithin ends the connections. One that is still in use after a while, such as one to a server that says nothing
// any more, ends with the process.
func closeWithin(store *postgres.Store, log *slog.Logger) {
	if within(time.Second, func() error { store.Close(); return nil }) != nil {
		log.Warn("connections to the database were still in use")
	}
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
