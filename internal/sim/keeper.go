package sim

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"go.yaml.in/yaml/v3"

	"cirque/core/server"
	"cirque/internal/agent"
	"cirque/internal/whole"
)

// A Keeper describes a simulated print server with an agent that keeps it: its spooler is a folder, and over IPP it
// answers as a server with the queues of that folder.
type Keeper struct {
	Machine  string       `yaml:"machine"`
	Platform string       `yaml:"platform"`
	For      string       `yaml:"for,omitempty"`    // the documented address, host:port
	Listen   string       `yaml:"listen,omitempty"` // on loopback
	Queues   []server.Now `yaml:"queues,omitempty"` // that somebody made on it by hand
}

// Spec is how it answers over IPP.
func (k Keeper) Spec() Spec {
	return Spec{For: k.For, Listen: k.Listen, Name: k.Machine, Model: "Print server", Server: true, Listing: "spooler"}
}

// Open opens its spooler below a folder; the first time with the queues that somebody made by hand.
func (k Keeper) Open(dir string) (*agent.StandInServer, error) {
	home := filepath.Join(dir, k.Machine)
	in, err := agent.NewStandIn(home)
	if err != nil {
		return nil, err
	}
	s, err := agent.NewStandInServer(in)
	if err != nil {
		return nil, err
	}
	file := filepath.Join(home, "machine.yaml")
	if _, err := os.Stat(file); err == nil {
		return s, nil
	}
	for _, q := range k.Queues {
		if err := s.ShareByHand(q); err != nil {
			return nil, err
		}
	}
	b, err := yaml.Marshal(map[string]string{"machine": k.Machine, "platform": cmp.Or(k.Platform, "linux/x64")})
	if err != nil {
		return nil, err
	}
	return s, whole.Write(file, b, 0o644)
}

// Shared gives the queues of a spooler as a stand-in's; none where it cannot be read.
func Shared(s *agent.StandInServer) []Queue {
	found, err := s.Shared(context.Background())
	if err != nil {
		return nil
	}
	var out []Queue
	for _, f := range found {
		q := Queue{Name: f.Name, Title: f.Comment, Location: f.Place, Model: cmp.Or(f.Exact, "Driverless"),
			Can: []string{"two-sided"}, Defaults: map[string]string{}, Waiting: f.Waiting}
		if len(f.Devices) > 0 {
			q.Device = f.Devices[0]
		}
		if f.Closed != "" {
			q.Stopped = "paused"
		}
		for k, v := range f.Options {
			q.Defaults[k] = fmt.Sprint(v)
		}
		out = append(out, q)
	}
	return out
}

// Keep runs the agent of each of some servers until ctx is done; opened are their spoolers, in the same order.
func (c Crew) Keep(ctx context.Context, keepers []Keeper, opened []*agent.StandInServer) error {
	done := make(chan error, len(keepers))
	for i, k := range keepers {
		cfg, err := c.config(ctx, Endpoint{Machine: k.Machine, Platform: k.Platform}, opened[i].StandIn)
		if err != nil {
			return err
		}
		a, err := agent.NewKeeper(cfg, opened[i])
		if err != nil {
			return err
		}
		go func() { done <- a.Run(ctx) }()
	}
	var errs []error
	for range keepers {
		errs = append(errs, <-done) // none when ctx ends
	}
	return errors.Join(errs...)
}
