package app

import (
	"bufio"
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"go.yaml.in/yaml/v3"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/demo"
	"cirque/internal/service/sources"
	"cirque/internal/sim"
	"cirque/internal/whole"
)

// A Demo is a running service with Skerry Line in it.
type Demo struct {
	*Running
	Name, Password, Token, Data string
	Printers                    *sim.Set
	Directory                   *sim.Slapd // nil where the directory server is not installed
	agents                      int
	stop                        func() error
}

// Stop ends the agents, the stand-ins and the service.
func (d *Demo) Stop() error { return d.stop() }

// standIns is demo/stand-ins.yaml.
type standIns struct {
	Mail      standIn        `yaml:"mail"`
	Directory standIn        `yaml:"directory"`
	Drivers   standIn        `yaml:"drivers"`
	Printers  []sim.Spec     `yaml:"printers"`
	Keepers   []sim.Keeper   `yaml:"keepers"`
	Endpoints []sim.Endpoint `yaml:"endpoints"`
}

// A standIn is one that listens somewhere for an address.
type standIn struct {
	For    string `yaml:"for"`
	Listen string `yaml:"listen"`
}

// StandInsFile says where the demo takes what is to be done to its stand-ins; it lies in its data directory.
const StandInsFile = "stand-ins.control"

const demoAccount = "harbour-master"

// StartDemo starts stand-ins, service and agents, and loads what is not there yet: a later start goes on where the last
// one stopped.
func StartDemo(ctx context.Context, o Options) (d *Demo, err error) {
	var c closers
	defer func() {
		if err != nil {
			err = errors.Join(err, c.run())
		}
	}()
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	var sims standIns
	if err := readDemo("stand-ins.yaml", &sims); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(o.Data, 0o700); err != nil {
		return nil, err
	}
	for _, k := range sims.Keepers {
		sims.Printers = append(sims.Printers, k.Spec())
	}
	printers, err := sim.Start(sims.Printers)
	if err != nil {
		return nil, err
	}
	c.add(printers.Close)
	kept, err := demoKeepers(filepath.Join(o.Data, "agents"), sims.Keepers, printers)
	if err != nil {
		return nil, err
	}
	control, err := printers.Control(filepath.Join(o.Data, StandInsFile))
	if err != nil {
		return nil, err
	}
	c.add(control)
	o.table = printers.Table
	// Its printers are stand-ins on loopback, whatever addresses they go by.
	o.AllowOutgoing = append(o.AllowOutgoing, netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128"))
	relay := &sim.Relay{Dir: filepath.Join(o.Data, "mail")}
	mail, err := listenNear(sims.Mail.Listen)
	if err != nil {
		return nil, err
	}
	relay.Serve(mail)
	c.add(relay.Close)
	o.table[sims.Mail.For] = relay.Addr()
	shelf, err := demoShelf(o.Data, sims.Drivers.For, sims.Drivers.Listen)
	if err != nil {
		return nil, err
	}
	c.add(shelf.Close)
	o.table[sims.Drivers.For] = shelf.Addr()
	d = &Demo{Printers: printers, Data: o.Data, agents: len(sims.Endpoints)}
	d.recall()
	if err := d.directory(sims.Directory, &c); err != nil {
		return nil, err
	}
	if d.Directory != nil {
		o.table[sims.Directory.For] = d.Directory.Secure
	}
	if o.PlainHTTP {
		if o.second, err = listenNear(following(o.Listen)); err != nil {
			return nil, err
		}
		c.add(func() error { return ignoreClosed(o.second.Close()) })
	}
	if d.Running, err = Start(ctx, o); err != nil {
		return nil, err
	}
	c.add(d.Running.Stop)
	if err := d.account(ctx); err != nil {
		return nil, err
	}
	if err := d.load(ctx); err != nil {
		return nil, err
	}
	if err := d.place(ctx, sims.Drivers.For); err != nil {
		return nil, err
	}
	c.add(d.crew(context.WithoutCancel(ctx), o, sims, kept))
	d.stop = sync.OnceValue(c.run)
	return d, nil
}

func readDemo(name string, into any) error {
	b, err := demo.Files.ReadFile(name)
	if err != nil {
		return err
	}
	return yaml.Unmarshal(b, into)
}

// DemoEnv gives what a demo wrote for scripts into its data directory: its address, a token and the console's sign-in;
// empty where none was started there.
func DemoEnv(data string) map[string]string { return readEnv(filepath.Join(data, "demo.env")) }

// owner is who loads the demo: whoever starts it has the data in hand.
func (d *Demo) owner() *access.Principal {
	return &access.Principal{Name: d.Name, Role: access.Owner}
}

// recall takes over the sign-in of an earlier start from demo.env, or makes one up.
func (d *Demo) recall() {
	env := DemoEnv(d.Data)
	d.Name, d.Token = cmp.Or(env["CIRQUE_NAME"], demoAccount), env["CIRQUE_TOKEN"]
	d.Password = cmp.Or(env["CIRQUE_PASSWORD"], strings.ToLower(rand.Text()[:16]))
}

// account makes the sign-in where there is none yet, and writes what scripts need.
func (d *Demo) account(ctx context.Context) error {
	if d.Service.Identity.NeedsSetUp() {
		b, err := os.ReadFile(filepath.Join(d.Data, setupFile))
		if err != nil {
			return err
		}
		if _, _, err := d.Service.Identity.SetUp(ctx, "demo", string(b), d.Name, d.Password); err != nil {
			return err
		}
	}
	if p := d.Service.Identity.ByToken(d.Token); d.Token == "" || p == nil || p.Account == "" {
		var err error
		if d.Token, err = d.freshToken(ctx); err != nil {
			return err
		}
	}
	text := fmt.Sprintf("CIRQUE_URL=%s\nCIRQUE_TOKEN=%s\nCIRQUE_NAME=%s\nCIRQUE_PASSWORD=%s\nCIRQUE_SECURE_URL=%s\n",
		d.URL, d.Token, d.Name, d.Password, cmp.Or(d.SecureURL, d.URL))
	// Whole or not at all: a script may be waiting for it.
	file := filepath.Join(d.Data, "demo.env")
	return whole.Write(file, []byte(text), 0o600)
}

// freshToken makes a token of the account's own, so that what is drafted with it is at the console, too; in place of a
// lost one.
func (d *Demo) freshToken(ctx context.Context) (string, error) {
	const called = "demo"
	if err := d.Service.Identity.RevokeToken(ctx, d.owner(), called); err != nil && !fault.Is(err, fault.Unknown) {
		return "", err
	}
	p := d.owner()
	p.Account = name.Fold(d.Name)
	_, secret, err := d.Service.Identity.MakeOwnToken(ctx, p, called, nil)
	return secret, err
}

// invitation makes an enrolment token for the demo's agents.
func (d *Demo) invitation(ctx context.Context, uses int) (string, error) {
	const name = "demo"
	if err := d.Service.Enrolment.RevokeEnrolToken(ctx, d.owner(), name); err != nil && !fault.Is(err, fault.Unknown) {
		return "", err
	}
	_, secret, err := d.Service.Enrolment.MakeEnrolToken(ctx, d.owner(), access.EnrolToken{Name: name, Uses: uses})
	return secret, err
}

// load imports the directory and publishes the estate, once.
func (d *Demo) load(ctx context.Context) error {
	snap := d.Service.Present.View()
	if snap.DirectoryVersion == 0 {
		files, err := demoFiles("directory.yaml")
		if err != nil {
			return err
		}
		if _, err := d.Service.Sources.Import(ctx, d.owner(), sources.Intake{Source: "skerry", Files: files}); err != nil {
			return err
		}
		if files, err = demoFiles("payroll.yaml"); err != nil {
			return err
		}
		if _, err := d.Service.Sources.Import(ctx, d.owner(), sources.Intake{Source: "payroll", Files: files}); err != nil {
			return err
		}
		// Both sources know some of them.
		if _, err := d.Service.Links.Link(ctx, d.owner(), "skerry/mira.solvang", "payroll/msolvang", false,
			"the payroll office says so"); err != nil {
			return err
		}
		if _, err := d.Service.Links.SetLinkRule(ctx, d.owner(), "address", true, false); err != nil {
			return err
		}
		if _, err := d.Service.Links.SetPrimary(ctx, d.owner(), "skerry"); err != nil {
			return err
		}
	}
	if err := d.drivers(ctx); err != nil {
		return err
	}
	if snap.Revision.Number > 0 {
		return nil
	}
	names, err := fs.Glob(demo.Files, "estate/*.yaml")
	if err != nil {
		return err
	}
	files, err := demoFiles(names...)
	if err != nil {
		return err
	}
	if _, _, err = d.Service.Drafts.Publish(ctx, d.owner(), files, "Skerry Line as it stands"); err != nil {
		return err
	}
	return d.people(ctx)
}

// demoRoles are who else signs in, with the same password.
var demoRoles = []struct {
	name string
	access.Holding
}{
	{"yngve.kvam", access.Holding{Role: access.Administrator}}, {"bjorn.hauge", access.Holding{Role: access.SiteAdmin,
		Sites: []string{"brannoy"}}}, {"liv.orre", access.Holding{Role: access.HelpDesk}},
	{"stein.aune", access.Holding{Role: access.Auditor}}, {"mira.solvang", access.Holding{Role: access.Person}},
}

// people makes an account in each role, and a request that waits for an answer.
func (d *Demo) people(ctx context.Context) error {
	for _, r := range demoRoles {
		if _, err := d.Service.Identity.AddAccount(ctx, d.owner(), r.name, d.Password, r.Holding); err != nil {
			return err
		}
	}
	_, err := d.Service.People.RequestQueue(ctx, &access.Principal{Name: "kari.foss", User: "kari.foss",
		Role: access.Person},
		"hall-colour", "lane maps for the summer")
	return err
}

// drivers keeps the invented driver packages, where none is kept yet.
func (d *Demo) drivers(ctx context.Context) error {
	kept, err := d.Service.Drivers.Packages(ctx, d.owner())
	if err != nil || len(kept) > 0 {
		return err
	}
	return archives("drivers", func(name string, b []byte) error {
		if _, _, err := d.Service.Drivers.AddPackage(ctx, d.owner(), name, "", b, false); err != nil {
			return fmt.Errorf("the driver package %s: %w", name, err)
		}
		return nil
	})
}

func demoFiles(names ...string) ([]document.File, error) {
	var out []document.File
	for _, n := range names {
		b, err := demo.Files.ReadFile(n)
		if err != nil {
			return nil, err
		}
		out = append(out, document.File{Name: "demo/" + n, Text: string(b)})
	}
	return out, nil
}

// readEnv reads lines of KEY=VALUE; a file that is not there has none.
func readEnv(file string) map[string]string {
	out := map[string]string{}
	f, err := os.Open(file)
	if err != nil {
		return out
	}
	defer func() { _ = f.Close() }()
	for s := bufio.NewScanner(f); s.Scan(); {
		if k, v, ok := strings.Cut(s.Text(), "="); ok {
			out[k] = v
		}
	}
	return out
}

// Greeting says where the console is, how to sign in, and what to try first.
func (d *Demo) Greeting() string {
	directory := ""
	if d.Directory != nil {
		directory = fmt.Sprintf(`
A directory server has the same people, with the same password; to read it as a source:

  bin/cirque directory source add head-office --directory ldaps://directory.skerry.example \
    --directory-ca %s --base %s \
    --bind %s --password-file %s/directory/word
`, d.Directory.CAFile(), sim.DirectoryBase, sim.DirectoryReader, d.Data)
	}
	return fmt.Sprintf(`
Skerry Line is running: %d stand-in printers and %d agents.

  Console    %s
  With TLS   %s   for agents; its authority is %s
  Sign in    %s   password %s
             the same password signs in yngve.kvam (administrator), bjorn.hauge (of brannoy alone),
             liv.orre (help desk), stein.aune (auditor) and mira.solvang (herself)
  Script     set -a; . %s/demo.env; set +a
%s
A morning with it, step by step, with what to look at:

  bin/cirque demo story --data %s

Then, for a start:

  bin/cirque lineup --user mira.solvang --machine till-07 --platform windows/x64
  bin/cirque why hall-mono --user mira.solvang --machine till-07 --platform windows/x64
  bin/cirque test-page hall-mono --user mira.solvang --machine till-07 --platform windows/x64
  bin/cirque endpoint list

Taking stock:

  bin/cirque server list
  bin/cirque server add ps-pier.skerry.example       a server that nobody has listed
  bin/cirque adopt --server ps-pier --dry-run        its queues, as they would enter the estate
  bin/cirque device scan 10.40.16.32/27              printers that nobody has listed
  bin/cirque driver report

The agents' spoolers are directories under %s/agents. The next start goes on from here.
`, len(d.Printers.Printers), d.agents, d.URL, cmp.Or(d.SecureURL, d.URL), d.CAFile, d.Name, d.Password, d.Data,
		directory, d.Data, d.Data)
}
