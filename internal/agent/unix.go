package agent

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os/user"
	"slices"
	"strconv"
	"strings"

	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/name"
	ippclient "cirque/internal/probe/ipp"
)

// A Unix spooler is the one that common Unix systems have, driven over IPP. A queue of one person is a queue of its own
// there, which only that person may use, named QUEUE+PERSON; the title is what people see. A person's default stands
// in their own file, as the spooler's tools keep it.
type Unix struct {
	at      string
	spooler *ippclient.Spooler
	// Home gives a sign-in name's home directory and whose it is.
	home    func(login string) (dir string, uid, gid int, err error)
	drivers func(ctx context.Context, exact string) ([]byte, error)
	logins  map[string]string // by folded person
}

// NewUnix makes one; at is the path of the spooler's local socket, or ipp://HOST:PORT/. home may be nil for the
// system's.
func NewUnix(at string, home func(login string) (dir string, uid, gid int, err error)) (*Unix, error) {
	s, err := ippclient.NewSpooler(at)
	if home == nil {
		home = homeOf
	}
	return &Unix{at: at, spooler: s, home: home, logins: map[string]string{}}, err
}

func homeOf(login string) (dir string, uid, gid int, err error) {
	u, err := user.Lookup(login)
	if err != nil {
		return "", 0, 0, fmt.Errorf("this machine has no account %s, so no default can be set for it", login)
	}
	uid, errU := strconv.Atoi(u.Uid)
	gid, errG := strconv.Atoi(u.Gid)
	return u.HomeDir, uid, gid, errors.Join(errU, errG)
}

// Name names the spooler.
func (u *Unix) Name() string { return "unix" }

// SignedIn hears who is who.
func (u *Unix) SignedIn(logins []endpoint.Login) {
	u.logins = map[string]string{}
	for _, l := range logins {
		if l.User != "" {
			u.logins[name.Fold(l.User)] = l.System
		}
	}
}

// DriversFrom says where drivers come from.
func (u *Unix) DriversFrom(get func(ctx context.Context, exact string) ([]byte, error)) {
	u.drivers = get
}

// login gives the sign-in name of a person; of one who is not signed in, the name itself, folded.
func (u *Unix) login(person string) string {
	if l, ok := u.logins[name.Fold(person)]; ok {
		return l
	}
	return name.Fold(person)
}

// A unixMark is kept with each queue of the agent's own: all of it that the spooler has no place for.
type unixMark struct {
	By      string         `json:"by"`
	Queue   string         `json:"queue"`
	User    string         `json:"user,omitempty"`
	Driver  string         `json:"driver"`
	Exact   string         `json:"exact,omitempty"`
	Sum     string         `json:"sum,omitempty"` // of the driver's description
	Options map[string]any `json:"options,omitempty"`
	Units   *estate.Units  `json:"units,omitempty"`
	Closed  bool           `json:"closed,omitempty"` // it was made to take no jobs
	// Shown is what the spooler shows of an option right after it was set, where that is another value: of some it shows
	// what the driver's description says, and gives jobs what was set all the same.
	Shown map[string]any `json:"shown,omitempty"`
}

const (
	maxUnixName = 127
	maxUnixMark = 1023 // octets of a text (RFC 8011, section 5.1.2)
)

func readMark(text string) (m unixMark, own bool) {
	err := json.Unmarshal([]byte(text), &m)
	return m, err == nil && m.By == ownMark && m.Queue != ""
}

// unixName is what a queue is called in the spooler. No two people's are the same: what is no plain letter is written
// as =XX, and a name that would be too long ends in a checksum.
func unixName(queue, person string) string {
	if person == "" {
		return queue
	}
	var b strings.Builder
	b.WriteString(queue)
	b.WriteByte('+')
	for _, c := range []byte(name.Fold(person)) {
		if 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || c == '.' || c == '-' || c == '_' {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "=%02x", c)
		}
	}
	out := b.String()
	if len(out) > maxUnixName {
		sum := sha256.Sum256([]byte(out))
		out = out[:maxUnixName-17] + "~" + hex.EncodeToString(sum[:8])
	}
	return out
}

// List reads all queues, and the defaults of the people who have any and of those named.
func (u *Unix) List(ctx context.Context, people []string) ([]endpoint.Installed, map[string]string, error) {
	queues, err := u.spooler.Queues(ctx)
	if err != nil {
		return nil, nil, err
	}
	var out []endpoint.Installed
	of := map[string]string{} // the estate's name of a queue, by the spooler's
	for _, q := range queues {
		i := endpoint.Installed{Want: endpoint.Want{Queue: q.Name, Title: q.Title, Place: q.Location, URI: q.Device,
			Exact: q.Model, Options: q.Options}, Halted: q.State == stoppedState || !q.Accepting}
		if m, own := readMark(q.Mark); own && unixName(m.Queue, m.User) == q.Name {
			i.Own, i.Queue, i.User, i.Driver, i.Exact, i.Options = true, m.Queue, m.User, m.Driver, m.Exact, nil
			i.Units = m.Units
			if m.Closed && !q.Accepting {
				i.Closed, i.Halted = cmp.Or(q.Message, "closed"), q.State == stoppedState
			}
			for o, set := range m.Options {
				if i.Options == nil {
					i.Options = map[string]any{}
				}
				i.Options[o] = q.Options[o]
				if shown, other := m.Shown[o]; other && fmt.Sprint(shown) == fmt.Sprint(q.Options[o]) {
					i.Options[o] = set
				}
			}
			if m.User != "" && !slices.Equal(q.Allowed, []string{u.login(m.User)}) {
				i.URI = "" // somebody else may use it: it is to be set anew
			}
			people = append(people, m.User)
		}
		of[q.Name] = i.Queue
		out = append(out, i)
	}
	defaults := map[string]string{}
	present, err := u.spooler.Default(ctx)
	if err != nil {
		return nil, nil, err
	}
	if present != "" {
		defaults[""] = of[present]
	}
	for _, p := range people {
		k := name.Fold(p)
		if _, done := defaults[k]; done || k == "" {
			continue
		}
		if d, err := u.personal(u.login(p)); err == nil && d != "" {
			if q, ok := of[d]; ok {
				defaults[k] = q
			} else {
				defaults[k] = d // one that this spooler does not have, and yet the person's choice
			}
		}
	}
	for i := range out {
		d, ok := defaults[name.Fold(out[i].User)]
		out[i].Default = ok && d == out[i].Queue
	}
	return out, defaults, nil
}

const stoppedState = 5 // RFC 8011, section 5.4.11

// ClosesQueues says that it can: the spooler refuses jobs for a closed queue, and shows why beside it.
func (u *Unix) ClosesQueues() {}

// Add makes a queue.
func (u *Unix) Add(ctx context.Context, w endpoint.Want) error {
	queues, err := u.spooler.Queues(ctx)
	if err != nil {
		return err
	}
	called := unixName(w.Queue, w.User)
	for _, q := range queues {
		if _, own := readMark(q.Mark); strings.EqualFold(q.Name, called) && !own {
			return fmt.Errorf("a queue %s is already there, and is not managed", q.Name)
		}
	}
	return u.set(ctx, w, queues)
}

// Change sets a queue anew; for jobs it is the same queue all the time.
func (u *Unix) Change(ctx context.Context, w endpoint.Want) error {
	queues, err := u.spooler.Queues(ctx)
	if err != nil {
		return err
	}
	return u.set(ctx, w, queues)
}

func (u *Unix) set(ctx context.Context, w endpoint.Want, queues []ippclient.SpoolerQueue) error {
	m := unixMark{By: ownMark, Queue: w.Queue, User: w.User, Driver: w.Driver, Exact: w.Exact, Options: w.Options,
		Closed: w.Closed != ""}
	var ppd []byte
	if w.Exact != "" {
		if u.drivers == nil {
			return endpoint.NoDriver{Err: fmt.Errorf("the driver %q is not here", w.Exact)}
		}
		var err error
		if ppd, err = u.drivers(ctx, w.Exact); err != nil {
			return err
		}
		if w.Units.Some() {
			ppd, _ = driver.Fit(ppd, w.Units)
			m.Units = w.Units
		}
		m.Sum = sumOf(ppd)
	}
	q := ippclient.SpoolerQueue{Name: unixName(w.Queue, w.User), Title: w.Title, Location: w.Place, Device: w.URI,
		Options: w.Options, Refuses: w.Closed}
	if w.User != "" {
		q.Allowed = []string{u.login(w.User)}
	}
	for i, o := range queues {
		if before, own := readMark(o.Mark); own && o.Name == q.Name {
			q.Was, q.SameDriver = &queues[i], before.Sum == m.Sum && before.Exact == m.Exact
			for option := range before.Options {
				if _, still := w.Options[option]; !still {
					q.Drop = append(q.Drop, option)
				}
			}
		}
	}
	write := func() error {
		mark, err := json.Marshal(m)
		if err != nil {
			return err
		}
		if len(mark) > maxUnixMark {
			return fmt.Errorf("the queue %s has more options than the spooler keeps", w.Queue)
		}
		q.Mark = string(mark)
		var description io.Reader
		if ppd != nil && !q.SameDriver {
			description = bytes.NewReader(ppd)
		}
		return u.spooler.Set(ctx, q, description)
	}
	if err := write(); err != nil || ppd == nil {
		return err
	}
	now, err := u.spooler.Queues(ctx)
	if err != nil {
		return err
	}
	for i, o := range now {
		if o.Name == q.Name {
			q.Was, q.SameDriver = &now[i], true
		}
		for option, set := range w.Options {
			if o.Name == q.Name && fmt.Sprint(o.Options[option]) != fmt.Sprint(set) {
				if m.Shown == nil {
					m.Shown = map[string]any{}
				}
				m.Shown[option] = o.Options[option]
			}
		}
	}
	if m.Shown == nil {
		return nil
	}
	return write()
}

// Remove takes a queue of the agent's own away, and with it the default that it was.
func (u *Unix) Remove(ctx context.Context, queue, person string) error {
	queues, err := u.spooler.Queues(ctx)
	if err != nil {
		return err
	}
	called := unixName(queue, person)
	i := slices.IndexFunc(queues, func(q ippclient.SpoolerQueue) bool { return q.Name == called })
	if i < 0 {
		return nil
	}
	if _, own := readMark(queues[i].Mark); !own {
		return fmt.Errorf("the queue %s is not managed", called)
	}
	if person != "" {
		if login := u.login(person); u.isPersonal(login, called) {
			if err := u.setPersonal(login, ""); err != nil {
				return err
			}
		}
	}
	return u.spooler.Delete(ctx, called)
}

// SetDefault makes a queue everybody's default, or one person's.
func (u *Unix) SetDefault(ctx context.Context, queue, person string) error {
	if person == "" {
		return u.spooler.SetDefault(ctx, queue)
	}
	queues, err := u.spooler.Queues(ctx)
	if err != nil {
		return err
	}
	for _, called := range []string{unixName(queue, person), queue} {
		if slices.ContainsFunc(queues, func(q ippclient.SpoolerQueue) bool { return q.Name == called }) {
			return u.setPersonal(u.login(person), called)
		}
	}
	return fmt.Errorf("there is no queue %s", queue)
}

// TestPage prints a page to a queue, as the person whose queue it is, in a format that the queue takes, and follows the
// job.
func (u *Unix) TestPage(ctx context.Context, queue, person string, page Page) (says string, done bool, err error) {
	owner := "root"
	if person != "" {
		owner = u.login(person)
	}
	called := unixName(queue, person)
	format, body, err := page.in(u.spooler.Formats(ctx, called))
	if err != nil {
		return "", false, err
	}
	return u.spooler.Print(ctx, called, owner, "Test page", format, bytes.NewReader(body))
}
