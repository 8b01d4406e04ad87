package agent

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"io/fs"
	"log/slog"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/internal/agentproto"
	"cirque/internal/fault"
)

// Config of an agent.
type Config struct {
	Service string // the service's address
	Token   string
	CA      []byte // PEM; nil trusts the system's
	State   string // directory in which it keeps its lineups and memory
	Version string
	Spooler Spooler
	Machine Machine
	Log     *slog.Logger // nil discards
	Wait    time.Duration
	// Look is how often the machine is looked at for sessions that came or went; a second when zero.
	Look time.Duration
}

// An Agent keeps one endpoint in line.
type Agent struct {
	cfg    Config
	client *client
	kept   kept
	failed map[endpoint.Key]endpoint.Failure

	toldSum [32]byte // of the last report that arrived
	toldAt  time.Time
}

// kept is what survives a restart.
type kept struct {
	Contexts []lineup.Query  `json:"contexts"`
	Tag      string          `json:"tag"`
	Lineups  []lineup.Lineup `json:"lineups"`
	Memory   endpoint.Memory `json:"memory"`
}

// Between attempts. A report that says nothing new is sent all the same now and then, so that silence means something.
const (
	shortestGap = time.Second
	longestGap  = endpoint.LongestGap * 2 / 3 // half as much again is drawn by lot
)

// New makes an agent and reads what it has kept.
func New(cfg Config) (*Agent, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Wait == 0 {
		cfg.Wait = agentproto.DefaultWait
	}
	if cfg.Look == 0 {
		cfg.Look = time.Second
	}
	if strings.TrimSpace(cfg.Token) == "" {
		return nil, fault.New(fault.Invalid, "agent-token", "make one: cirque token create --role agent --machine NAME", "the agent has no token")
	}
	c, err := newClient(cfg.Service, strings.TrimSpace(cfg.Token), cfg.CA)
	if err != nil {
		return nil, err
	}
	a := &Agent{cfg: cfg, client: c, failed: map[endpoint.Key]endpoint.Failure{}}
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
	return a, nil
}

func (a *Agent) file() string { return filepath.Join(a.cfg.State, "agent.json") }

func (a *Agent) keep() {
	b, err := json.Marshal(a.kept)
	if err == nil {
		err = replaceFile(a.file(), b)
	}
	if err != nil {
		a.cfg.Log.Error("lineups cannot be kept on disk", "error", err)
	}
}

// Run keeps the endpoint in line until ctx is done.
func (a *Agent) Run(ctx context.Context) error {
	gap := shortestGap
	for ctx.Err() == nil {
		facts, err := a.cfg.Machine.Facts(ctx)
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
		lineups, tag, same, err := a.askWhileSame(ctx, facts, contexts, known)
		switch {
		case ctx.Err() != nil:
		case errors.Is(err, errMoved):
		case err != nil:
			a.cfg.Log.Warn("the service does not answer; going on with what is kept", "error", err)
			if known == "" {
				a.converge(ctx, facts, a.kept.Contexts)
			}
			if !sleep(ctx, gap/2+rand.N(gap)) {
				break
			}
			gap = min(gap*2, longestGap)
		default:
			gap = shortestGap
			if !same && tag == known {
				a.toldAt = time.Time{} // nothing changed, and yet it was called: it is to report
			}
			if !same {
				a.kept.Contexts, a.kept.Lineups, a.kept.Tag = contexts, lineups, tag
				a.keep()
				a.converge(ctx, facts, contexts)
			}
		}
	}
	return nil
}

// errMoved ends a wait because a session came, went or moved.
var errMoved = errors.New("the machine's sessions have changed")

// askWhileSame asks, and stops waiting when the machine's facts change.
func (a *Agent) askWhileSame(ctx context.Context, facts Facts, contexts []lineup.Query, known string) ([]lineup.Lineup, string, bool, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	go func() {
		for sleep(ctx, a.cfg.Look) {
			if now, err := a.cfg.Machine.Facts(ctx); err == nil && !sameContexts(now.contexts(), contexts) {
				cancel(errMoved)
			}
		}
	}()
	lineups, tag, same, err := a.client.ask(ctx, contexts, known, a.cfg.Wait)
	if err != nil && context.Cause(ctx) == errMoved {
		err = errMoved
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

// converge brings the spooler to the kept lineups and reports.
func (a *Agent) converge(ctx context.Context, facts Facts, contexts []lineup.Query) {
	installed, defaults, err := a.cfg.Spooler.List(ctx)
	if err != nil {
		a.cfg.Log.Error("the spooler cannot be read", "error", err)
		return
	}
	a.fromSpooler(installed)
	steps, away := endpoint.Steps(endpoint.PlanFor(a.kept.Lineups), installed, defaults, a.kept.Memory)
	failed := map[endpoint.Key]endpoint.Failure{}
	for _, s := range steps {
		k := s.Want.Key()
		if _, broken := failed[k]; broken && s.Do == "default" {
			continue // it could not be installed, and that has been said
		}
		if err := a.do(ctx, s); err != nil {
			f := endpoint.Failure{Queue: s.Want.Queue, User: s.Want.User, Step: s.Do, Says: err.Error(), Since: time.Now().UTC().Truncate(time.Second)}
			if before, ok := a.failed[k]; ok && before.Says == f.Says {
				f.Since = before.Since
			} else {
				a.cfg.Log.Warn("a step failed", "step", s.Do, "queue", s.Want.Queue, "user", s.Want.User, "says", err)
			}
			failed[k] = f
			continue
		}
		if s.Do == "default" {
			a.kept.Memory.Defaults[name.Fold(s.Want.User)] = s.Want.Queue
		}
	}
	a.failed = failed
	if len(steps) > 0 {
		if installed, _, err = a.cfg.Spooler.List(ctx); err != nil {
			a.cfg.Log.Error("the spooler cannot be read", "error", err)
			return
		}
		a.fromSpooler(installed)
	}
	a.remember(installed, away)
	a.report(ctx, facts, contexts, installed)
}

func (a *Agent) do(ctx context.Context, s endpoint.Step) error {
	s.Want.URI = a.absolute(s.Want.URI)
	switch s.Do {
	case "add":
		return a.cfg.Spooler.Add(ctx, s.Want)
	case "change":
		return a.cfg.Spooler.Change(ctx, s.Want)
	case "default":
		return a.cfg.Spooler.SetDefault(ctx, s.Want.Queue, s.Want.User)
	}
	return a.cfg.Spooler.Remove(ctx, s.Want.Queue, s.Want.User)
}

// gatewayBase is the service's address as an IPP URI; the gateway's URIs in lineups are relative to it.
func (a *Agent) gatewayBase() string {
	scheme := "ipp"
	if a.client.base.Scheme == "https" {
		scheme = "ipps"
	}
	return scheme + "://" + a.client.base.Host
}

func (a *Agent) absolute(uri string) string {
	if strings.HasPrefix(uri, "/") {
		return a.gatewayBase() + uri
	}
	return uri
}

// fromSpooler turns the gateway's URIs back into the form that lineups have.
func (a *Agent) fromSpooler(installed []endpoint.Installed) {
	for i := range installed {
		if rest, ok := strings.CutPrefix(installed[i].URI, a.gatewayBase()); ok && strings.HasPrefix(rest, "/") {
			installed[i].URI = rest
		}
	}
}

// remember notes what is its own now. A change on disk alone is worth a write.
func (a *Agent) remember(installed []endpoint.Installed, away []endpoint.Key) {
	var own []endpoint.Key
	for _, i := range installed {
		if i.Own {
			own = append(own, i.Key())
		}
	}
	before, _ := json.Marshal(a.kept.Memory)
	a.kept.Memory.Own, a.kept.Memory.Away = own, away
	if after, _ := json.Marshal(a.kept.Memory); string(before) != string(after) {
		a.keep()
	}
}

func (a *Agent) report(ctx context.Context, facts Facts, contexts []lineup.Query, installed []endpoint.Installed) {
	r := endpoint.Report{Machine: facts.Machine, Version: a.cfg.Version, Platform: facts.Platform, Spooler: a.cfg.Spooler.Name(), Contexts: contexts,
		Installed: installed, Removed: a.kept.Memory.Away, Failures: []endpoint.Failure{}}
	if r.Installed == nil {
		r.Installed = []endpoint.Installed{}
	}
	if len(a.kept.Lineups) > 0 {
		r.Revision = a.kept.Lineups[0].Revision
	}
	for _, f := range a.failed {
		r.Failures = append(r.Failures, f)
	}
	slices.SortFunc(r.Failures, func(x, y endpoint.Failure) int { return strings.Compare(x.User+" "+x.Queue, y.User+" "+y.Queue) })
	b, err := json.Marshal(r)
	if err != nil {
		return
	}
	sum := sha256.Sum256(b)
	if sum == a.toldSum && time.Since(a.toldAt) < endpoint.ReportEvery || len(contexts) == 0 {
		return
	}
	if err := a.client.report(ctx, r); err != nil {
		if ctx.Err() == nil {
			a.cfg.Log.Warn("the report did not arrive", "error", err)
		}
		return
	}
	a.toldSum, a.toldAt = sum, time.Now()
}
