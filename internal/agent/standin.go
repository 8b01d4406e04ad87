package agent

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/whole"
)

// A StandIn is a spooler and a machine in a directory that a person can read and change:
//
//	machine.yaml            name, platform, addresses, sessions, and what fails here; else this very machine
//	everybody/QUEUE.yaml    queues for all; everybody/default names the default
//	users/USER/QUEUE.yaml   queues of one person
//	log                     what was done, a line each
type StandIn struct{ dir string }

// NewStandIn opens or makes a stand-in.
func NewStandIn(dir string) (*StandIn, error) {
	return &StandIn{dir}, os.MkdirAll(filepath.Join(dir, everybody), 0o755)
}

// OpenStandIn opens the stand-in of a spooler's name, standin:DIR.
func OpenStandIn(spooler string) (*StandIn, error) {
	kind, dir, ok := strings.Cut(spooler, ":")
	if !ok || kind != "standin" || dir == "" {
		return nil, fault.New(fault.Invalid, "spooler-unknown", "write standin:DIR", "the spooler %q is not known", spooler)
	}
	s, err := NewStandIn(dir)
	if err != nil {
		return nil, err
	}
	if _, err := s.machine(); err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", s.machineFile(), err)
	}
	return s, nil
}

// Dir is where it is.
func (s *StandIn) Dir() string { return s.dir }

const (
	everybody   = "everybody"
	defaultFile = "default"
	ownMark     = "cirque"
)

// standInMachine is machine.yaml.
type standInMachine struct {
	Machine       string    `yaml:"machine"`
	Platform      string    `yaml:"platform"`
	Addresses     []string  `yaml:"addresses"`
	Sessions      []Session `yaml:"sessions"`
	LacksDrivers  []string  `yaml:"lacks_drivers"` // exact names that cannot be installed here
	RefusesQueues []string  `yaml:"refuses_queues"`

	Attached []endpoint.Attached `yaml:"attached"` // what is plugged in
}

// standInQueue is a queue's file.
type standInQueue struct {
	InstalledBy   string `yaml:"installed_by,omitempty"`
	endpoint.Want `yaml:",inline"`
}

func (s *StandIn) machine() (standInMachine, error) {
	var m standInMachine
	b, err := os.ReadFile(s.machineFile())
	if errors.Is(err, fs.ErrNotExist) {
		return m, nil
	}
	if err != nil {
		return m, err
	}
	return m, yaml.Unmarshal(b, &m)
}

func (s *StandIn) machineFile() string { return filepath.Join(s.dir, "machine.yaml") }

// Facts reads machine.yaml; without one it is the machine that it runs on.
func (s *StandIn) Facts(ctx context.Context) (Facts, error) {
	if _, err := os.Stat(s.machineFile()); errors.Is(err, fs.ErrNotExist) {
		return System{}.Facts(ctx)
	}
	m, err := s.machine()
	return Facts{m.Machine, m.Platform, m.Addresses, m.Sessions}, err
}

// Name names the stand-in.
func (s *StandIn) Name() string { return "stand-in" }

func (s *StandIn) folder(user string) string {
	if user == "" {
		return filepath.Join(s.dir, everybody)
	}
	return filepath.Join(s.dir, "users", url.PathEscape(name.Fold(user)))
}

func (s *StandIn) file(queue, user string) string {
	return filepath.Join(s.folder(user), url.PathEscape(queue)+".yaml")
}

// List reads all queue files.
func (s *StandIn) List(context.Context, []string) ([]endpoint.Installed, map[string]string, error) {
	folders := []string{""}
	users, err := os.ReadDir(filepath.Join(s.dir, "users"))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, nil, err
	}
	for _, u := range users {
		user, err := url.PathUnescape(u.Name())
		if err == nil && u.IsDir() {
			folders = append(folders, user)
		}
	}
	var out []endpoint.Installed
	defaults := map[string]string{}
	for _, user := range folders {
		files, err := filepath.Glob(filepath.Join(s.folder(user), "*.yaml"))
		if err != nil {
			return nil, nil, err
		}
		if b, err := os.ReadFile(filepath.Join(s.folder(user), defaultFile)); err == nil {
			defaults[user] = strings.TrimSpace(string(b))
		}
		for _, f := range files {
			q, err := readQueue(f)
			if err != nil {
				return nil, nil, err
			}
			q.User = user
			out = append(out, endpoint.Installed{Want: q.Want, Own: q.InstalledBy == ownMark,
				Default: defaults[user] == q.Queue})
		}
	}
	return out, defaults, nil
}

func readQueue(file string) (standInQueue, error) {
	var q standInQueue
	b, err := os.ReadFile(file)
	if err != nil {
		return q, err
	}
	if err := yaml.Unmarshal(b, &q); err != nil {
		return q, fmt.Errorf("%s: %w", filepath.Base(file), err)
	}
	if q.Queue == "" {
		q.Queue, _ = url.PathUnescape(strings.TrimSuffix(filepath.Base(file), ".yaml"))
	}
	return q, nil
}

// Add writes a queue's file.
func (s *StandIn) Add(_ context.Context, w endpoint.Want) error {
	if q, err := readQueue(s.file(w.Queue, w.User)); err == nil && q.InstalledBy != ownMark {
		return fmt.Errorf("a queue %s is already there, and is not managed", w.Queue)
	}
	return s.write("add", w)
}

// SetUpByHand writes a queue's file as a person would: it is not the agent's own.
func (s *StandIn) SetUpByHand(w endpoint.Want) error {
	b, err := yaml.Marshal(standInQueue{Want: w})
	if err != nil {
		return err
	}
	return whole.Write(s.file(w.Queue, w.User), b, 0o644)
}

// ClosesQueues says that it can: a closed queue's file says why.
func (s *StandIn) ClosesQueues() {}

// Change writes a queue's file anew.
func (s *StandIn) Change(_ context.Context, w endpoint.Want) error { return s.write("change", w) }

func (s *StandIn) write(what string, w endpoint.Want) error {
	m, err := s.machine()
	if err != nil {
		return err
	}
	if w.Exact != "" && slices.Contains(m.LacksDrivers, w.Exact) {
		return endpoint.NoDriver{Err: fmt.Errorf("the driver %q is not installed on this machine", w.Exact)}
	}
	if slices.Contains(m.RefusesQueues, w.Queue) {
		return fmt.Errorf("the queue %s could not be created: access denied", w.Queue)
	}
	b, err := yaml.Marshal(standInQueue{ownMark, w})
	if err != nil {
		return err
	}
	if err := os.MkdirAll(s.folder(w.User), 0o755); err != nil {
		return err
	}
	if err := whole.Write(s.file(w.Queue, w.User), b, 0o644); err != nil {
		return err
	}
	return s.log(what, w.Queue, w.User)
}

// Remove deletes a queue's file.
func (s *StandIn) Remove(_ context.Context, queue, user string) error {
	q, err := readQueue(s.file(queue, user))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err == nil && q.InstalledBy != ownMark {
		return fmt.Errorf("the queue %s is not managed", queue)
	}
	if err := os.Remove(s.file(queue, user)); err != nil {
		return err
	}
	if b, err := os.ReadFile(filepath.Join(s.folder(user), defaultFile)); err == nil &&
		strings.TrimSpace(string(b)) == queue {
		if err := os.Remove(filepath.Join(s.folder(user), defaultFile)); err != nil {
			return err
		}
	}
	return s.log("remove", queue, user)
}

// SetDefault writes the file default.
func (s *StandIn) SetDefault(_ context.Context, queue, user string) error {
	_, own := os.Stat(s.file(queue, user))
	_, all := os.Stat(s.file(queue, ""))
	if own != nil && all != nil {
		return fmt.Errorf("there is no queue %s", queue)
	}
	if err := os.MkdirAll(s.folder(user), 0o755); err != nil {
		return err
	}
	if err := whole.Write(filepath.Join(s.folder(user), defaultFile), []byte(queue+"\n"), 0o644); err != nil {
		return err
	}
	return s.log("default", queue, user)
}

func (s *StandIn) log(what, queue, user string) error {
	if user == "" {
		user = everybody
	}
	f, err := os.OpenFile(filepath.Join(s.dir, "log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(f, "%s %-7s %s for %s\n", time.Now().UTC().Format("2006-01-02T15:04:05.000Z"), what, queue, user)
	return errors.Join(err, f.Close())
}
