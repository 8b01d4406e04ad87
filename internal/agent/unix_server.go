package agent

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"time"

	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/server"
	"cirque/core/words"
	ippclient "cirque/internal/probe/ipp"
)

// A UnixServer is the common Unix spooler with its shared queues, driven over IPP. What leads to several devices is a
// class there, with a member queue for each, named QUEUE+XXXXXXXX by its device.
type UnixServer struct {
	spooler *ippclient.Spooler
	drivers func(ctx context.Context, exact string) ([]byte, error)
	lacks   map[string][]string // by queue: what its driver knows nothing of
}

// NewUnixServer makes one; at is the path of the spooler's local socket, or ipp://HOST:PORT/.
func NewUnixServer(at string) (*UnixServer, error) {
	s, err := ippclient.NewSpooler(at)
	return &UnixServer{spooler: s, lacks: map[string][]string{}}, err
}

// Name names the spooler.
func (u *UnixServer) Name() string { return "unix" }

// DriversFrom says where drivers come from.
func (u *UnixServer) DriversFrom(get func(ctx context.Context, exact string) ([]byte, error)) {
	u.drivers = get
}

// serverMark tells the queues of this agent from those of others, also from what an agent made for people at the
// machine itself.
const serverMark = "cirque-server"

// A sharedMark is kept with each queue of the agent's own: all of it that the spooler has no place for.
type sharedMark struct {
	By      string         `json:"by"`
	Queue   string         `json:"queue"`
	Of      string         `json:"of,omitempty"` // of a member: its class
	Driver  string         `json:"driver,omitempty"`
	Exact   string         `json:"exact,omitempty"`
	Package string         `json:"package,omitempty"`
	Units   *estate.Units  `json:"units,omitempty"`
	Closed  bool           `json:"closed,omitempty"`
	Nobody  bool           `json:"nobody,omitempty"` // may print, so that it was closed
	Options []string       `json:"options,omitempty"`
	Shown   map[string]any `json:"shown,omitempty"`
	Set     map[string]any `json:"set,omitempty"` // what Shown stands for
	server.Running
}

func readShared(text string) (m sharedMark, own bool) {
	err := json.Unmarshal([]byte(text), &m)
	return m, err == nil && m.By == serverMark && m.Queue != ""
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
		switch {
		case own && q.Class, own && inClass[q.Name]:
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
	f.Own, f.Queue, f.Driver, f.Exact, f.Package, f.Units, f.Running = true, m.Queue, m.Driver, m.Exact, m.Package, m.Units,
		m.Running
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
	if !own || m.Of != f.Name || m.Exact != class.Exact || m.Package != class.Package || q.Name != member(f.Name, q.Device) {
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
		out = append(out, server.Point{Kind: kind, Queue: w.Queue, Name: w.Name, Says: fmt.Sprintf(format, args...), Fix: fix})
	}
	if w.Mismatch == estate.PrintMismatch {
		add("mismatch", "leave it out: a job waits at the printer until its paper is there", "the spooler cannot print %s on "+
			"other paper than a job asks for", w.Queue)
	}
	if w.ColourProfile != "" {
		add("colour-profile", "choose it in the driver's own options", "the spooler cannot be given the colour profile %s of %s",
			w.ColourProfile, w.Queue)
	}
	if list := u.lacks[w.Name]; len(list) > 0 {
		add("units", "leave them out, or take a driver that knows them", "the driver %q knows nothing of %s, which %s has",
			w.Exact, words.Few(list, 5), w.Queue)
	}
	return out
}

// Bring makes a queue or changes it.
func (u *UnixServer) Bring(ctx context.Context, w server.Now, take bool) error {
	if len(w.Devices) == 0 {
		return fmt.Errorf("%s leads to no device", w.Name)
	}
	for _, d := range w.Devices {
		if !estate.PrintsTo(d) {
			return fmt.Errorf("%q leads to nothing that prints, and is not set up", d)
		}
	}
	there, err := u.spooler.Queue(ctx, w.Name)
	if err != nil {
		return err
	}
	if there != nil {
		if _, own := readShared(there.Mark); !own && !take {
			return fmt.Errorf("a queue %s is already there, and somebody else made it", there.Name)
		}
	}
	ppd, err := u.description(ctx, w)
	if err != nil {
		return err
	}
	if len(w.Devices) == 1 {
		return u.bringQueue(ctx, w, there, ppd)
	}
	return u.bringClass(ctx, w, there, ppd)
}

// description is the driver, fitted; nil for none.
func (u *UnixServer) description(ctx context.Context, w server.Now) ([]byte, error) {
	if w.Exact == "" {
		delete(u.lacks, w.Name)
		return nil, nil
	}
	if u.drivers == nil {
		return nil, noDriver{fmt.Errorf("the driver %q is not here", w.Exact)}
	}
	ppd, err := u.drivers(ctx, w.Exact)
	if err != nil {
		return nil, err
	}
	ppd, u.lacks[w.Name] = driver.Fit(ppd, w.Units)
	return ppd, nil
}

// bringQueue makes it one queue; a class that had its name goes, once the queue's jobs are kept.
func (u *UnixServer) bringQueue(ctx context.Context, w server.Now, there *ippclient.SpoolerQueue, ppd []byte) error {
	q := u.queue(w, there)
	q.Name, q.Device = w.Name, w.Devices[0]
	m := markOf(w)
	if there == nil || !there.Class {
		return u.write(ctx, q, m, w.Options, ppd)
	}
	// The two cannot have one name at a time: a member keeps the jobs meanwhile.
	aside := q
	aside.Name = member(w.Name, w.Devices[0])
	of := m
	of.Of = w.Name
	if err := u.write(ctx, aside, of, w.Options, ppd); err != nil {
		return err
	}
	if err := u.clear(ctx, there, aside.Name); err != nil {
		return err
	}
	if err := u.spooler.DeleteClass(ctx, w.Name); err != nil {
		return err
	}
	if err := u.write(ctx, q, m, w.Options, ppd); err != nil {
		return err
	}
	for _, called := range there.Members {
		if err := u.handBack(ctx, called, w.Name); err != nil {
			return err
		}
	}
	return u.handBack(ctx, aside.Name, w.Name)
}

// handBack gives a member's jobs to another queue, and takes the member away.
func (u *UnixServer) handBack(ctx context.Context, called, to string) error {
	q, err := u.spooler.Queue(ctx, called)
	if err != nil || q == nil {
		return err
	}
	if _, own := readShared(q.Mark); !own {
		return nil
	}
	if err := u.clear(ctx, q, to); err != nil {
		return err
	}
	return u.spooler.Delete(ctx, called)
}

// clear moves a queue's jobs to another queue, and waits until none of them is being sent by the old one: the spooler
// does not bear the end of a queue with which a job is not done.
func (u *UnixServer) clear(ctx context.Context, q *ippclient.SpoolerQueue, to string) error {
	ctx, cancel := context.WithTimeout(ctx, clearWithin)
	defer cancel()
	if q.State != stoppedState {
		if err := u.spooler.Halt(ctx, *q); err != nil {
			return err
		}
	}
	moved := false
	for {
		now, err := u.spooler.Queue(ctx, q.Name)
		switch {
		case err != nil:
			return err
		case now == nil || moved && now.Jobs == 0:
			return nil
		case now.State == stoppedState && !moved:
			if now.Jobs == 0 {
				return nil
			}
			if err := u.spooler.MoveJobs(ctx, q.Name, to); err != nil {
				return err
			}
			moved = true
		}
		if !sleep(ctx, clearEvery) {
			return fmt.Errorf("the jobs that wait in %s could not be moved to %s within %s", q.Name, to, clearWithin)
		}
	}
}

// How long it may take until a queue has let go of its jobs, and how often that is looked at.
const (
	clearWithin = 20 * time.Second
	clearEvery  = 50 * time.Millisecond
)

// bringClass makes it a class of member queues.
func (u *UnixServer) bringClass(ctx context.Context, w server.Now, there *ippclient.SpoolerQueue, ppd []byte) error {
	m := markOf(w)
	of := m
	of.Of = w.Name
	class := u.queue(w, there)
	class.Name, class.Class = w.Name, true
	for _, device := range w.Devices {
		q := u.queue(w, nil)
		q.Name, q.Device, q.Shared, q.Refuses = member(w.Name, device), device, false, ""
		q.Allowed, q.Denied = nil, nil // the class decides who prints
		if before, err := u.spooler.Queue(ctx, q.Name); err != nil {
			return err
		} else if before != nil {
			q.Drop = dropped(before, w.Options)
		}
		if err := u.write(ctx, q, of, w.Options, ppd); err != nil {
			return err
		}
		class.Members = append(class.Members, q.Name)
	}
	if there != nil && !there.Class {
		if err := u.clear(ctx, there, class.Members[0]); err != nil {
			return err
		}
		if err := u.spooler.Delete(ctx, w.Name); err != nil {
			return err
		}
	}
	if err := u.write(ctx, class, m, w.Options, nil); err != nil {
		return err
	}
	if there != nil && there.Class {
		for _, called := range there.Members {
			if !slices.Contains(class.Members, called) {
				if err := u.handBack(ctx, called, class.Members[0]); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func markOf(w server.Now) sharedMark {
	m := sharedMark{By: serverMark, Queue: w.Queue, Driver: w.Driver, Exact: w.Exact, Package: w.Package, Units: w.Units,
		Closed: w.Closed != "", Nobody: w.People.Nobody(), Running: w.Running}
	for o := range w.Options {
		m.Options = append(m.Options, o)
	}
	slices.Sort(m.Options)
	return m
}

// queue is what queue and class have in common.
func (u *UnixServer) queue(w server.Now, there *ippclient.SpoolerQueue) ippclient.SpoolerQueue {
	q := ippclient.SpoolerQueue{Title: w.Comment, Location: w.Place, Options: w.Options, Shared: true, Refuses: w.Closed}
	switch {
	case w.People.Nobody(): // it takes no jobs
	case w.People.Everyone:
		q.Denied = w.People.Names
	default:
		q.Allowed = w.People.Names
	}
	if there != nil {
		q.Drop = dropped(there, w.Options)
	}
	return q
}

// dropped are the options that a queue was given and is to lose.
func dropped(there *ippclient.SpoolerQueue, options map[string]any) (out []string) {
	before, own := readShared(there.Mark)
	if !own {
		return nil
	}
	for _, o := range before.Options {
		if _, still := options[o]; !still {
			out = append(out, o)
		}
	}
	return out
}

// write sets a queue with its mark, and once more where the spooler shows an option otherwise than it was set: of some
// it shows what the driver's description says, and gives jobs what was set all the same.
func (u *UnixServer) write(ctx context.Context, q ippclient.SpoolerQueue, m sharedMark, options map[string]any,
	ppd []byte) error {
	set := func() error {
		mark, err := json.Marshal(m)
		if err != nil {
			return err
		}
		if len(mark) > maxUnixMark {
			return fmt.Errorf("the queue %s has more settings than the spooler keeps", q.Name)
		}
		q.Mark = string(mark)
		if q.Class {
			return u.spooler.SetClass(ctx, q)
		}
		var description io.Reader
		if ppd != nil {
			description = bytes.NewReader(ppd)
		}
		return u.spooler.Set(ctx, q, description)
	}
	if err := set(); err != nil || len(options) == 0 {
		return err
	}
	now, err := u.spooler.Queue(ctx, q.Name)
	if err != nil || now == nil {
		return err
	}
	for option, value := range options {
		if fmt.Sprint(now.Options[option]) != fmt.Sprint(value) {
			if m.Shown == nil {
				m.Shown, m.Set = map[string]any{}, map[string]any{}
			}
			m.Shown[option], m.Set[option] = now.Options[option], value
		}
	}
	if m.Shown == nil {
		return nil
	}
	return set()
}

// Drop takes a queue away.
func (u *UnixServer) Drop(ctx context.Context, called string) error {
	q, err := u.spooler.Queue(ctx, called)
	if err != nil || q == nil {
		return err
	}
	m, own := readShared(q.Mark)
	if !own {
		return fmt.Errorf("somebody else made the queue %s", called)
	}
	waiting := q.Jobs
	for _, x := range q.Members {
		if of, err := u.spooler.Queue(ctx, x); err == nil && of != nil {
			waiting += of.Jobs
		}
	}
	if waiting > 0 {
		if q.Accepting {
			if err := u.refuse(ctx, *q, m); err != nil {
				return err
			}
		}
		return fmt.Errorf("%s still wait in %s: it takes no more, and goes once they are printed", words.Count(waiting, "job"),
			called)
	}
	if !q.Class {
		return u.spooler.Delete(ctx, called)
	}
	if err := u.spooler.DeleteClass(ctx, called); err != nil {
		return err
	}
	for _, x := range q.Members {
		of, err := u.spooler.Queue(ctx, x)
		if err != nil {
			return err
		}
		if of == nil {
			continue
		}
		if mark, own := readShared(of.Mark); own && mark.Of == called {
			if err := u.spooler.Delete(ctx, x); err != nil {
				return err
			}
		}
	}
	return nil
}

// refuse has a queue take no more jobs.
func (u *UnixServer) refuse(ctx context.Context, q ippclient.SpoolerQueue, m sharedMark) error {
	m.Closed = true
	mark, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return u.spooler.Refuse(ctx, q, string(mark), "the queue "+m.Queue+" is being taken away")
}
