package agent

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/server"
	"cirque/core/words"
	ippclient "cirque/internal/probe/ipp"
)

// A UnixServer is the common Unix spooler with its shared queues, driven over IPP. What leads to several devices is a
// class there, with a member queue for each, named after the class and its device.
type UnixServer struct {
	spooler *ippclient.Spooler
	drivers func(ctx context.Context, exact string) ([]byte, error)
	lacks   map[string][]string // by queue: what its driver knows nothing of
	// printing is since when jobs were seen to be printed, by queue and number.
	printing map[[2]any]time.Time
	ranked   map[int]int     // priorities that jobs were given, by number
	own      map[string]bool // the queues of the agent's own, when they were last looked at
}

// NewUnixServer makes one; at is the path of the spooler's local socket, or ipp://HOST:PORT/.
func NewUnixServer(at string) (*UnixServer, error) {
	s, err := ippclient.NewSpooler(at)
	return &UnixServer{spooler: s, lacks: map[string][]string{}, printing: map[[2]any]time.Time{},
		ranked: map[int]int{}}, err
}

// Name names the spooler.
func (u *UnixServer) Name() string { return "unix" }

// DriversFrom says where drivers come from.
func (u *UnixServer) DriversFrom(get func(ctx context.Context, exact string) ([]byte, error)) {
	u.drivers = get
}

// A sharedMark is kept with each queue of the agent's own: all of it that the spooler has no place for.
type sharedMark struct {
	By      string         `json:"by"`
	Queue   string         `json:"queue"`
	Of      string         `json:"of,omitempty"` // of a member: its class
	Driver  string         `json:"driver,omitempty"`
	Exact   string         `json:"exact,omitempty"`
	Package string         `json:"package,omitempty"`
	Sum     string         `json:"sum,omitempty"` // of the driver's description, fitted
	Units   *estate.Units  `json:"units,omitempty"`
	Closed  bool           `json:"closed,omitempty"`
	Onward  bool           `json:"onward,omitempty"` // it hands jobs on to another server
	Nobody  bool           `json:"nobody,omitempty"` // may print, so that it was closed
	Options []string       `json:"options,omitempty"`
	Shown   map[string]any `json:"shown,omitempty"`
	Set     map[string]any `json:"set,omitempty"` // what Shown stands for
	server.Running
}

func readShared(text string) (m sharedMark, own bool) {
	err := json.Unmarshal([]byte(text), &m)
	return m, err == nil && m.By == server.MarkBy && m.Queue != ""
}

// member is what the queue of one device is called.
func member(class, device string) string {
	sum := sha256.Sum256([]byte(device))
	return class + "+" + hex.EncodeToString(sum[:4])
}

// Shared reads all queues.
func (u *UnixServer) Shared(ctx context.Context) ([]server.Found, error) {
	queues, err := u.spooler.Queues(ctx)
	if err != nil {
		return nil, err
	}
	byName := make(map[string]*ippclient.SpoolerQueue, len(queues))
	for i := range queues {
		byName[queues[i].Name] = &queues[i]
	}
	inClass := map[string]bool{}
	u.own = make(map[string]bool, len(queues))
	out := make([]server.Found, 0, len(queues))
	for i := range queues {
		if q := &queues[i]; q.Class {
			if m, own := readShared(q.Mark); own {
				f := u.found(q, m)
				for _, called := range q.Members {
					inClass[called] = true
					u.withMember(&f, m, byName[called])
				}
				out = append(out, f)
			}
		}
	}
	for i := range queues {
		q := &queues[i]
		m, own := readShared(q.Mark)
		u.own[q.Name] = own
		switch {
		case own && q.Class, own && inClass[q.Name], own && m.Onward:
		case own:
			f := u.found(q, m)
			if m.Of != "" {
				f.Queue = "" // it is in no class: nothing wants it
			}
			out = append(out, f)
		default:
			out = append(out, theirs(q))
		}
	}
	slices.SortFunc(out, func(a, b server.Found) int { return cmp.Compare(a.Name, b.Name) })
	return out, nil
}

// theirs is a queue that somebody else made.
func theirs(q *ippclient.SpoolerQueue) server.Found {
	f := server.Found{Now: server.Now{Want: server.Want{Name: q.Name, Comment: q.Title, Place: q.Location,
		Options: q.Options, People: peopleIn(q)}}, Private: !q.Shared, Halted: q.State == stoppedState || !q.Accepting,
		Model: q.Model, Waiting: q.Jobs}
	if !q.Class {
		f.Devices = []string{q.Device}
	}
	return f
}

// found is a queue of the agent's own.
func (u *UnixServer) found(q *ippclient.SpoolerQueue, m sharedMark) server.Found {
	f := theirs(q)
	f.Own, f.Queue, f.Driver, f.Exact, f.Package = true, m.Queue, m.Driver, m.Exact, m.Package
	f.Units, f.Running = m.Units, m.Running
	f.Options = nil
	for _, o := range m.Options {
		if f.Options == nil {
			f.Options = map[string]any{}
		}
		f.Options[o] = q.Options[o]
		if shown, other := m.Shown[o]; other && fmt.Sprint(shown) == fmt.Sprint(q.Options[o]) {
			f.Options[o] = m.Set[o]
		}
	}
	if m.Closed && !q.Accepting {
		f.Closed, f.Halted = cmp.Or(q.Message, "closed"), q.State == stoppedState
		if m.Nobody {
			f.People = server.People{}
		}
	}
	return f
}

// withMember adds a member to what a class leads to; one that is not as it was made counts for nothing, so that the
// class is set anew.
func (u *UnixServer) withMember(f *server.Found, class sharedMark, q *ippclient.SpoolerQueue) {
	if q == nil {
		f.Devices = append(f.Devices, "")
		return
	}
	m, own := readShared(q.Mark)
	if !own || m.Of != f.Name || m.Exact != class.Exact || m.Package != class.Package || q.Name != member(f.Name,
		q.Device) {
		f.Devices = append(f.Devices, "")
		return
	}
	f.Devices = append(f.Devices, q.Device)
	f.Model = q.Model
	f.Halted = f.Halted || q.State == stoppedState || !q.Accepting
}

// peopleIn says whom a queue lets print.
func peopleIn(q *ippclient.SpoolerQueue) server.People {
	p := server.People{Everyone: true, Names: folded(q.Denied, "none")}
	if allowed := folded(q.Allowed, "all"); len(allowed) > 0 {
		p = server.People{Names: allowed}
	}
	return p
}

// folded gives names in order, without the word that stands for all or for none.
func folded(list []string, but string) []string {
	var out []string
	for _, n := range list {
		if n != but {
			out = append(out, name.Fold(n))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Lacks tells what this spooler cannot do.
func (u *UnixServer) Lacks(w server.Now) []server.Point {
	var out []server.Point
	add := func(kind, fix, format string, args ...any) {
		says := fmt.Sprintf(format, args...)
		out = append(out, server.Point{Kind: kind, Queue: w.Queue, Name: w.Name, Says: says, Fix: fix})
	}
	if w.Mismatch == estate.PrintMismatch {
		add("mismatch", "leave it out: a job waits at the printer until its paper is there",
			"the spooler cannot print %s on other paper than a job asks for", w.Queue)
	}
	if w.ColourProfile != "" {
		add("colour-profile", "choose it in the driver's own options",
			"the spooler cannot be given the colour profile %s of %s", w.ColourProfile, w.Queue)
	}
	if list := u.lacks[w.Name]; len(list) > 0 {
		add("units", "leave them out, or take a driver that knows them", "the driver %q knows nothing of %s, which %s has",
			w.Exact, words.Few(list, 5), w.Queue)
	}
	return out
}
