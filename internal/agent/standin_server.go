package agent

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"slices"

	"go.yaml.in/yaml/v3"

	"cirque/core/endpoint"
	"cirque/core/server"
	"cirque/internal/whole"
)

// A StandInServer is a server's spooler in a directory that a person can read and change:
//
//	machine.yaml        as of a StandIn: its name, and what fails there
//	shared/QUEUE.yaml   its queues
//	log                 what was done, a line each
type StandInServer struct {
	*StandIn
	drivers func(ctx context.Context, exact string) ([]byte, error)
}

// NewStandInServer makes a server of a stand-in.
func NewStandInServer(s *StandIn) (*StandInServer, error) {
	return &StandInServer{StandIn: s}, os.MkdirAll(filepath.Join(s.dir, sharedFolder), 0o755)
}

const sharedFolder = "shared"

// sharedQueue is a queue's file.
type sharedQueue struct {
	MadeBy     string `yaml:"made_by,omitempty"`
	Jobs       int    `yaml:"jobs,omitempty"` // that wait
	server.Now `yaml:",inline"`
}

// DriversFrom says where drivers come from.
func (s *StandInServer) DriversFrom(get func(ctx context.Context, exact string) ([]byte, error)) {
	s.drivers = get
}

func (s *StandInServer) sharedFile(called string) string {
	return filepath.Join(s.dir, sharedFolder, url.PathEscape(called)+".yaml")
}

// Shared reads all files of queues.
func (s *StandInServer) Shared(context.Context) ([]server.Found, error) {
	files, err := filepath.Glob(filepath.Join(s.dir, sharedFolder, "*.yaml"))
	if err != nil {
		return nil, err
	}
	out := []server.Found{}
	for _, f := range files {
		q, err := readShare(f)
		if err != nil {
			return nil, err
		}
		out = append(out, server.Found{Now: q.Now, Own: q.MadeBy == ownMark, Model: q.Exact, Waiting: q.Jobs})
	}
	slices.SortFunc(out, func(a, b server.Found) int { return cmp.Compare(a.Name, b.Name) })
	return out, nil
}

func readShare(file string) (q sharedQueue, err error) {
	b, err := os.ReadFile(file)
	if err == nil {
		err = yaml.Unmarshal(b, &q)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		err = fmt.Errorf("%s: %w", filepath.Base(file), err)
	}
	return q, err
}

// Bring writes a queue's file.
func (s *StandInServer) Bring(ctx context.Context, w server.Now, take bool) error {
	q, err := readShare(s.sharedFile(w.Name))
	switch {
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return err
	case err == nil && q.MadeBy != ownMark && !take:
		return fmt.Errorf("a queue %s is already there, and somebody else made it", w.Name)
	}
	m, err := s.machine()
	if err != nil {
		return err
	}
	if slices.Contains(m.RefusesQueues, w.Name) {
		return fmt.Errorf("the queue %s could not be created: access denied", w.Name)
	}
	if w.Exact != "" {
		if slices.Contains(m.LacksDrivers, w.Exact) {
			return endpoint.NoDriver{Err: fmt.Errorf("the driver %q is not installed on this machine", w.Exact)}
		}
		if s.drivers != nil {
			if _, err := s.drivers(ctx, w.Exact); err != nil {
				return err
			}
		}
	}
	return s.writeShare(sharedQueue{ownMark, q.Jobs, w}, "bring")
}

func (s *StandInServer) writeShare(q sharedQueue, what string) error {
	b, err := yaml.Marshal(q)
	if err != nil {
		return err
	}
	if err := whole.Write(s.sharedFile(q.Name), b, 0o644); err != nil {
		return err
	}
	return s.log(what, q.Name, "")
}

// ShareByHand writes a queue's file as a person would: it is not the agent's own.
func (s *StandInServer) ShareByHand(w server.Now) error {
	return s.writeShare(sharedQueue{Now: w}, "by hand")
}

// Drop deletes a queue's file.
func (s *StandInServer) Drop(_ context.Context, called string) error {
	q, err := readShare(s.sharedFile(called))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return err
	case q.MadeBy != ownMark:
		return fmt.Errorf("somebody else made the queue %s", called)
	case q.Jobs > 0:
		q.Closed = "the queue " + q.Queue + " is being taken away"
		if err := s.writeShare(q, "close"); err != nil {
			return err
		}
		return fmt.Errorf("%d jobs still wait in %s: it takes no more, and goes once they are printed", q.Jobs, called)
	}
	if err := os.Remove(s.sharedFile(called)); err != nil {
		return err
	}
	return s.log("drop", called, "")
}

// Lacks tells that it can do everything.
func (s *StandInServer) Lacks(server.Now) []server.Point { return nil }
