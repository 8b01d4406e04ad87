package sim

import (
	"context"
	"fmt"
	"log/slog"
	"net/netip"
	"os"
	"path/filepath"
	"sync"
	"time"

	"go.yaml.in/yaml/v3"

	"cirque/core/endpoint"
	"cirque/internal/agent"
	"cirque/internal/probe/dial"
	"cirque/internal/whole"
)

// An Endpoint describes a simulated machine with an agent.
type Endpoint struct {
	Machine       string          `yaml:"machine"`
	Platform      string          `yaml:"platform"`
	Addresses     []string        `yaml:"addresses,omitempty"`
	Sessions      []agent.Session `yaml:"sessions,omitempty"`
	LacksDrivers  []string        `yaml:"lacks_drivers,omitempty"`
	RefusesQueues []string        `yaml:"refuses_queues,omitempty"`

	Attached []endpoint.Attached `yaml:"attached,omitempty"` // what is plugged in

	Queues []endpoint.Want `yaml:"queues,omitempty"` // that somebody set up on it by hand
}

// Crowd makes up endpoints for machines, each with one person's session and an address of its own.
func Crowd(machines []string) []Endpoint {
	var out []Endpoint
	addr := netip.MustParseAddr("10.99.0.1")
	for i, m := range machines {
		out = append(out, Endpoint{Machine: m, Platform: "windows/x64", Addresses: []string{addr.String()},
			Sessions: []agent.Session{{User: fmt.Sprintf("person-%04d", i+1)}}})
		addr = addr.Next()
	}
	return out
}

// loopbackOnly is the reach of stand-ins that are given none.
var loopbackOnly = dial.AddressTable{"": ""}

// A Crew are the agents of simulated machines.
type Crew struct {
	Service string // its address
	CA      []byte // PEM; nil for the system's, and for machines that are enrolled
	Dir     string // each has a stand-in spooler under Dir/MACHINE
	Reach   dial.AddressTable
	// Token gives a machine's token; for a machine that is enrolled none is asked for.
	Token func(machine string) (string, error)
	// Invite gives an enrolment token, with which machines that are not enrolled yet are; nil enrols none.
	Invite func() (string, error)
	Log    *slog.Logger
}

// Run runs an agent for each endpoint, until ctx is done. A machine.yaml that is there already is left as it is: a
// person may have changed it.
func (c Crew) Run(ctx context.Context, endpoints []Endpoint) error {
	if c.Reach == nil {
		c.Reach = loopbackOnly
	}
	var agents []*agent.Agent
	for _, e := range endpoints {
		a, err := c.agent(ctx, e)
		if err != nil {
			return err
		}
		agents = append(agents, a)
	}
	var wg sync.WaitGroup
	for _, a := range agents {
		wg.Go(func() { _ = a.Run(ctx) }) // ends without error when ctx does
	}
	wg.Wait()
	return nil
}

func (c Crew) agent(ctx context.Context, e Endpoint) (*agent.Agent, error) {
	home := filepath.Join(c.Dir, e.Machine)
	standIn, err := agent.NewStandIn(home)
	if err != nil {
		return nil, err
	}
	file := filepath.Join(home, "machine.yaml")
	if _, err := os.Stat(file); err != nil {
		for _, q := range e.Queues {
			if err := standIn.SetUpByHand(q); err != nil {
				return nil, err
			}
		}
		e.Queues = nil
		b, err := yaml.Marshal(e)
		if err != nil {
			return nil, err
		}
		if err := whole.Write(file, b, 0o644); err != nil {
			return nil, err
		}
	}
	cfg, err := c.config(ctx, e, standIn)
	if err != nil {
		return nil, err
	}
	return agent.New(cfg)
}

// config is an agent's that is let in.
func (c Crew) config(ctx context.Context, e Endpoint, standIn *agent.StandIn) (cfg agent.Config, err error) {
	if c.Reach == nil {
		c.Reach = loopbackOnly
	}
	cfg = agent.Config{Service: c.Service, CA: c.CA, State: filepath.Join(standIn.Dir(), ".agent"), Version: "stand-in",
		Spooler: standIn, Machine: standIn, Reach: c.Reach, Log: c.Log.With("agent", e.Machine)}
	if c.Invite == nil {
		cfg.Token, err = c.Token(e.Machine)
	} else if _, unknown := agent.ReadIdentity(cfg.State); unknown != nil {
		var token string
		if token, err = c.Invite(); err == nil {
			_, err = agent.Enrol(ctx, c.Service, token, cfg.State, c.CA, agent.Facts{Machine: e.Machine,
				Platform: e.Platform, Addresses: e.Addresses})
		}
	}
	if err != nil {
		return cfg, fmt.Errorf("letting %s in: %w", e.Machine, err)
	}
	return cfg, nil
}

// RunCrowd runs an agent for each token, each on a machine in memory with one person's session, until ctx is done. They
// begin spread over a while, as machines do.
func RunCrowd(ctx context.Context, service string, tokens map[string]string, machines []string, counts *Counts,
	over time.Duration) error {
	var wg sync.WaitGroup
	defer wg.Wait()
	for i, e := range Crowd(machines) {
		m := NewMemory(agent.Facts{Machine: e.Machine, Platform: e.Platform, Addresses: e.Addresses,
			Sessions: []agent.Session{{User: "person-" + e.Machine}}}, counts)
		a, err := agent.New(agent.Config{Service: service, Token: tokens[e.Machine], Version: "stand-in", Spooler: m,
			Machine: m, Look: time.Minute, Reach: loopbackOnly})
		if err != nil {
			return err
		}
		wg.Go(func() {
			t := time.NewTimer(over * time.Duration(i) / time.Duration(len(machines)))
			defer t.Stop()
			select {
			case <-ctx.Done():
			case <-t.C:
				_ = a.Run(ctx) // ends without error when ctx does
			}
		})
	}
	return nil
}
