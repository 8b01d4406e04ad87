package agent

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"log/slog"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/agentproto"
	"cirque/internal/probe/dial"
	"cirque/internal/whole"
)

// Config of an agent.
type Config struct {
	Service string // the service's address; empty for that with which the machine is enrolled
	Token   string // empty for a machine that is enrolled
	CA      []byte // PEM; nil trusts the system's
	State   string // directory in which it keeps its lineups and memory; empty keeps nothing
	Version string
	Spooler Spooler
	Machine Machine
	// Reach leads to other addresses what the agent asks by itself, in a checkup; nil reaches everything.
	Reach dial.AddressTable
	Log   *slog.Logger  // nil discards
	Wait  time.Duration // instead of the pace's, for tests
	// Look is how often the machine is looked at for sessions that came or went; a second when zero.
	Look time.Duration
	// Remember is for how long a print server's completed jobs stay at least, for whoever follows one; a minute when zero.
	Remember time.Duration
	// Spread is over how long machines renew their certificates where another authority issues them; the pace's interval
	// of reports when zero.
	Spread time.Duration
	// Consent has it change nothing on a machine where it has nothing yet, before somebody has agreed: Agree.
	Consent bool
	// Installer brings the agent to other versions; the zero one does not.
	Installer Installer
}

// An Agent keeps one endpoint in line.
type Agent struct {
	cfg    Config
	client *client
	kept   kept
	failed map[endpoint.Key]failure

	identity *Identity // of an enrolled machine
	renewAt  time.Time // not before then
	moveAt   time.Time // when it renews since another authority issues; zero where none does
	logins   []endpoint.Login
	whoAt    time.Time // when the service last said how people are known
	waited   []string  // logins of whom it was said that they are asked

	toldSum [32]byte // of the last report that arrived
	toldAt  time.Time
	told    []lineup.Query // the contexts in it

	upgrades upgrades

	attached look      // the last that came out
	looking  chan look // of one that is under way
	lookedAt time.Time // when the last began
}

// kept is what survives a restart.
type kept struct {
	Contexts []lineup.Query              `json:"contexts"`
	Tag      string                      `json:"tag"`
	Lineups  []lineup.Lineup             `json:"lineups"`
	Memory   endpoint.Memory             `json:"memory"`
	Who      endpoint.Who                `json:"who"`
	Asked    []string                    `json:"asked"`            // the names to which it is the answer
	Places   map[string]string           `json:"places,omitempty"` // where queues are, in words
	Units    map[string]agentproto.Units `json:"units"`            // what is fitted; nil until the service told
	Placed   []string                    `json:"placed,omitempty"` // the queues that were asked about, in PlacedAt, a revision
	PlacedAt int                         `json:"placed_at,omitempty"`
	// Closed are the queues that take no jobs, as the service said of those in Shut.
	Closed map[string]agentproto.Closed `json:"closed,omitempty"`
	Shut   []string                     `json:"shut,omitempty"`
	// Waits says that nothing is changed before somebody agrees, and Kind how another version would be installed: whoever
	// else reports for the machine says the same.
	Waits bool   `json:"waits,omitempty"`
	Kind  string `json:"kind,omitempty"`
	Key   string `json:"key,omitempty"` // of the service's answers, where the machine is not enrolled
}

// shortestGap is how long after a broken connection it asks again at first; then twice as long each time, up to the
// pace's.
const shortestGap = time.Second

// New makes an agent and reads what it has kept.
func New(cfg Config) (*Agent, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Look == 0 {
		cfg.Look = time.Second
	}
	var c *client
	var id *Identity
	if strings.TrimSpace(cfg.Token) == "" {
		read, err := ReadIdentity(cfg.State)
		if err != nil {
			return nil, err
		}
		read.Service = cmp.Or(cfg.Service, read.Service)
		id = &read
		if c, err = clientOf(read); err != nil {
			return nil, err
		}
	} else {
		var err error
		if c, err = newClient(cfg.Service, strings.TrimSpace(cfg.Token), cfg.CA); err != nil {
			return nil, err
		}
	}
	a := &Agent{cfg: cfg, client: c, identity: id, failed: map[endpoint.Key]failure{},
		upgrades: upgrades{cfg: cfg, client: c}}
	a.kept.Memory.Defaults = map[string]string{}
	if s, ok := cfg.Spooler.(takesDrivers); ok {
		s.DriversFrom(a.driver)
	}
	if s, ok := cfg.Spooler.(takesPackages); ok {
		s.PackagesFrom(a.driverPackage)
	}
	if cfg.State == "" {
		return a, nil
	}
	if err := os.MkdirAll(cfg.State, 0o700); err != nil {
		return nil, err
	}
	b, err := os.ReadFile(a.file())
	if err == nil {
		err = json.Unmarshal(b, &a.kept)
		if err != nil {
			cfg.Log.Warn("what was kept cannot be read; starting anew", "file", a.file(), "error", err)
			a.kept, err = kept{}, nil
		}
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	if a.kept.Memory.Defaults == nil {
		a.kept.Memory.Defaults = map[string]string{}
	}
	if c.key == nil {
		c.key = agentproto.ReadKey(a.kept.Key)
	}
	c.learned = a.learned
	return a, nil
}

// Kept makes an agent that speaks to no service, from what another keeps: for a look from the machine's own place.
func Kept(cfg Config) (*Agent, error) {
	cfg.Log = slog.New(slog.DiscardHandler)
	a := &Agent{cfg: cfg, client: &client{base: &url.URL{Scheme: "http", Host: "localhost"}},
		failed: map[endpoint.Key]failure{}}
	b, err := os.ReadFile(a.file())
	if says := Keeps(cfg.State); says != "" && errors.Is(err, fs.ErrNotExist) {
		return nil, fault.New(fault.Invalid, "keeps-server", "see cirque-agent plan --serve here, and cirque server kept",
			"the agent in %s keeps a print server, and no queues of an endpoint", cfg.State)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fault.New(fault.Invalid, "nothing-kept", "name where the agent keeps it with --state, or run the "+
			"agent first", "no agent has kept lineups in %s", cfg.State)
	}
	if err == nil {
		err = json.Unmarshal(b, &a.kept)
	}
	if id, e := ReadIdentity(cfg.State); e == nil {
		if a.client.base, e = url.Parse(id.Service); e != nil {
			return nil, e
		}
	}
	return a, err
}

func (a *Agent) file() string { return filepath.Join(a.cfg.State, keptFile) }

// keptFile is where an agent keeps what it knows.
const keptFile = "agent.json"

func (a *Agent) keep() {
	if a.cfg.State == "" {
		return
	}
	b, err := json.Marshal(a.kept)
	if err == nil {
		err = whole.Write(a.file(), b, 0o600)
	}
	if err != nil {
		a.cfg.Log.Error("lineups cannot be kept on disk", "error", err)
	}
}

// Follows says which service the agent asks.
func (a *Agent) Follows() string { return a.client.base.String() }

// Run keeps the endpoint in line until ctx is done. A Conflict fault says that another agent works with the same state.
func (a *Agent) Run(ctx context.Context) error {
	if a.cfg.State != "" {
		unlock, err := lockState(a.cfg.State)
		if err != nil {
			return err
		}
		defer func() { _ = unlock() }()
	}
	go a.upgrades.watch(ctx)
	a.kept.Kind = a.cfg.Installer.Kind
	gap := shortestGap
	for ctx.Err() == nil {
		a.renewIfDue(ctx)
		facts, err := a.facts(ctx)
		if err != nil {
			a.cfg.Log.Error("the machine cannot be read", "error", err)
			if !sleep(ctx, gap) {
				break
			}
			continue
		}
		contexts := facts.contexts()
		known := a.kept.Tag
		if !sameContexts(contexts, a.kept.Contexts) {
			known = ""
		}
		if known != "" {
			a.converge(ctx, facts, contexts) // also while the service is away, and where a person changed something
		}
		a.introduce(ctx, facts, contexts)
		lineups, tag, same, err := a.askWhileSame(ctx, facts, contexts, known)
		switch {
		case ctx.Err() != nil:
		case errors.Is(err, errMoved):
		case errors.Is(err, errHere):
			a.calledUpon()
		case err != nil:
			says := "the service does not answer; going on with what is kept"
			if no, ok := errors.AsType[*refusal](err); ok && no.status < 500 {
				says = "the service refuses this machine; going on with what is kept"
				if no.code == notSignedInThere {
					a.told, a.toldAt = nil, time.Time{} // it has forgotten who sits here
				}
			}
			a.cfg.Log.Warn(says, "error", err)
			if known == "" {
				a.converge(ctx, facts, a.kept.Contexts)
			}
			if !sleep(ctx, gap/2+rand.N(gap)) {
				break
			}
			gap = min(gap*2, a.client.pace.Gap*2/3) // half as much again is drawn by lot
		default:
			gap = shortestGap
			if a.client.age > 0 {
				a.cfg.Log.Warn("the service has heard of no changes for a while; its answer is as old", "age", a.client.age)
			}
			if !same && tag == known {
				a.calledUpon() // nothing changed, and yet it was called
				a.heed(ctx, facts)
			}
			if !same {
				a.kept.Contexts, a.kept.Lineups, a.kept.Tag = contexts, lineups, tag
				a.places(ctx)
				a.keep()
				a.converge(ctx, facts, contexts)
			}
		}
	}
	return nil
}

// notSignedInThere is the code with which the service says that it was not told of a session.
const notSignedInThere = "not-signed-in-there"

// introduce reports sessions that the service has not been told of: an agent speaks for people whom it reported, and is
// answered for nobody else.
func (a *Agent) introduce(ctx context.Context, facts Facts, contexts []lineup.Query) {
	if sameContexts(contexts, a.told) {
		return
	}
	installed, _, err := a.cfg.Spooler.List(ctx, peopleOf(contexts))
	if err != nil {
		a.cfg.Log.Error("the spooler cannot be read", "error", err)
		return
	}
	a.fromSpooler(installed)
	a.report(ctx, facts, contexts, installed)
}

// calledUpon has it report at the next look, and try again what failed.
func (a *Agent) calledUpon() {
	a.toldAt, a.lookedAt = time.Time{}, time.Time{}
	for k, f := range a.failed {
		f.again = time.Time{}
		a.failed[k] = f
	}
}

// errHere ends a wait because somebody at the machine called the agent.
var errHere = errors.New("called at the machine")

// CallHere has the agent that runs with a state directory look at its spooler and report now.
func CallHere(state string) error {
	if err := isState(state); err != nil {
		return err
	}
	return os.WriteFile(callFile(state), nil, 0o600)
}

// isState gives an Invalid fault where no agent keeps anything.
func isState(dir string) error {
	if _, err := os.Stat(dir); errors.Is(err, fs.ErrNotExist) {
		return fault.New(fault.Invalid, "nothing-kept", "name where it keeps what it knows, with --state",
			"no agent keeps anything in %s", dir)
	}
	return nil
}

func callFile(state string) string { return filepath.Join(state, "call") }

// errMoved ends a wait because a session came, went or moved.
var errMoved = errors.New("the machine's sessions have changed")

// askWhileSame asks, and stops waiting when the machine's facts change.
func (a *Agent) askWhileSame(ctx context.Context, facts Facts, contexts []lineup.Query, known string) ([]lineup.Lineup,
	string, bool, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	who := a.kept.Who
	go func() {
		for sleep(ctx, a.cfg.Look) {
			if a.cfg.State != "" && os.Remove(callFile(a.cfg.State)) == nil {
				cancel(errHere)
			}
			now, err := a.cfg.Machine.Facts(ctx)
			if err != nil {
				continue
			}
			now.Machine = facts.Machine
			if now, _ = identify(now, who, readSaid(a.cfg.State)); !sameContexts(now.contexts(), contexts) {
				cancel(errMoved)
			}
		}
	}()
	wait := cmp.Or(a.cfg.Wait, a.client.pace.Wait)
	if again, ok := a.nextTry(); ok {
		wait = max(time.Second, min(wait, time.Until(again).Round(time.Second)))
	}
	lineups, tag, same, err := a.client.ask(ctx, contexts, known, wait)
	if cause := context.Cause(ctx); err != nil && (cause == errMoved || cause == errHere) {
		err = cause
	}
	return lineups, tag, same, err
}

func sameContexts(a, b []lineup.Query) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && string(x) == string(y)
}

// sleep waits, and says whether the time came before ctx's end.
func sleep(ctx context.Context, d time.Duration) bool {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
		return false
	case <-t.C:
		return true
	}
}
