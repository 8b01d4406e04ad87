package ipp

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os/user"
	"slices"
	"strings"
	"time"

	"cirque/internal/probe/dial"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/ipp"
)

// A Spooler is a client of the common Unix spooler on this machine: it sets queues up by the operations that its own
// tools use.
type Spooler struct {
	ipp  *Client
	base string // ipp://HOST:PORT
}

// A SpoolerQueue is a queue as the spooler has it, or is to have it.
type SpoolerQueue struct {
	Name      string
	Title     string
	Location  string
	Device    string // URI
	Model     string // as its description names it; the spooler's own to say
	Mark      string // a text of the owner's that the spooler keeps with it
	Shared    bool
	Allowed   []string // people; nobody means everybody
	Denied    []string // people; used where nobody is allowed by name
	Members   []string // of a class: the queues that share its jobs
	Class     bool
	Jobs      int // that wait
	Changed   int // when its settings changed last, as the spooler counts
	Options   map[string]any
	State     int // of RFC 8011, section 5.4.11
	Accepting bool
	Message   string // what it says of its state
	Reasons   []string
	Refuses   string   // to be set: why it is to take no jobs; empty where it is to take them
	Drop      []string // options that it is to lose
	// Was is the queue as it is, where it is there: what stays as it is is not set anew, as a job that is being printed
	// would begin anew.
	Was *SpoolerQueue
	// SameDriver leaves its description as it is.
	SameDriver bool
}

// NewSpooler makes a client. at is ipp://HOST:PORT/, or the path of the spooler's local socket, where the spooler knows
// the account that asks.
func NewSpooler(at string) (*Spooler, error) {
	if !strings.HasPrefix(at, "/") {
		u, err := url.Parse(at)
		if err != nil || u.Hostname() == "" || u.Scheme != "ipp" && u.Scheme != "ipps" {
			return nil, fault.New(fault.Invalid, "spooler-address", "write ipp://localhost:631/, or the path of its socket",
				"%q is no address of a spooler", at)
		}
		return &Spooler{New(nil), u.Scheme + "://" + u.Host}, nil
	}
	c := &Client{http: &http.Client{Transport: &http.Transport{
		DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
			return (&net.Dialer{Timeout: dial.Within}).DialContext(ctx, "unix", at)
		},
		ResponseHeaderTimeout: dial.AnswerWithin, MaxIdleConnsPerHost: 2,
	}}}
	if u, err := user.Current(); err == nil {
		c.peer = u.Username
	}
	return &Spooler{c, "ipp://localhost:631"}, nil
}

func (s *Spooler) queueURI(name string) string { return s.base + "/printers/" + url.PathEscape(name) }

// ask sends an operation about a queue or a class to the place of its administration.
func (s *Spooler) ask(ctx context.Context, op ipp.Op, uri string, printer []ipp.Attribute, body io.Reader) error {
	m := s.ipp.requestAs(s.ipp.peer, op, uri)
	if printer != nil {
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.PrinterGroup, Attributes: printer})
	}
	_, err := s.ipp.exchange(ctx, s.base+"/admin/", m, body, asking{})
	return err
}

// spoolerAttributes are what is read of each queue.
var spoolerAttributes = []string{"printer-name", "printer-info", "printer-location", "device-uri",
	"printer-make-and-model", "printer-organizational-unit", "printer-is-shared", "requesting-user-name-allowed",
	"requesting-user-name-denied", "printer-type", "member-names", "queued-job-count", "printer-config-change-time",
	"printer-state", "printer-is-accepting-jobs", "printer-state-message", "printer-state-reasons", "printer-defaults"}

// Queues lists all of them, with every default that they have.
func (s *Spooler) Queues(ctx context.Context) ([]SpoolerQueue, error) {
	groups, err := s.ipp.pages(ctx, lister{op: ipp.ListQueues}, s.base+"/", nil, spoolerAttributes)
	if err != nil {
		return nil, err
	}
	out := make([]SpoolerQueue, 0, len(groups))
	for _, g := range groups {
		out = append(out, spoolerQueue(g))
	}
	return out, nil
}

// Queue gives one of its queues; nil where there is none of that name.
func (s *Spooler) Queue(ctx context.Context, name string) (*SpoolerQueue, error) {
	uri := s.queueURI(name)
	m, err := s.ipp.exchange(ctx, uri, ipp.NewRequest(ipp.GetPrinterAttributes, s.ipp.id.Add(1), uri, ipp.Strs(ipp.Keyword,
		"requested-attributes", spoolerAttributes...)), nil, asking{header: listHeader, attributes: listAttributes})
	if err != nil {
		if f := fault.As(err); f.Code == "device-refused" && ipp.Status(m.Code) == ipp.NotFound {
			return nil, nil
		}
		return nil, err
	}
	for _, g := range m.Groups {
		if g.Tag == ipp.PrinterGroup {
			q := spoolerQueue(g)
			return &q, nil
		}
	}
	return nil, nil
}

// isClass is the bit of a printer's type that says that it is a class.
const isClass = 1

func spoolerQueue(g ipp.Group) SpoolerQueue {
	m := g.One()
	text := func(a string) string { return m.Text(ipp.PrinterGroup, a) }
	number := func(a string) int { return m.Number(ipp.PrinterGroup, a) }
	q := SpoolerQueue{Name: text("printer-name"), Title: text("printer-info"), Location: text("printer-location"),
		Device: text("device-uri"), Model: text("printer-make-and-model"), Mark: text("printer-organizational-unit"),
		Shared: number("printer-is-shared") == 1, Allowed: m.Texts(ipp.PrinterGroup, "requesting-user-name-allowed"),
		Denied: m.Texts(ipp.PrinterGroup, "requesting-user-name-denied"), Members: m.Texts(ipp.PrinterGroup, "member-names"),
		Class: number("printer-type")&isClass != 0, Jobs: number("queued-job-count"),
		Changed: number("printer-config-change-time"), Options: map[string]any{}, State: number("printer-state"),
		Accepting: number("printer-is-accepting-jobs") == 1, Message: text("printer-state-message"),
		Reasons: reasonsOf(m.Texts(ipp.PrinterGroup, "printer-state-reasons"))}
	for _, a := range g.Attributes {
		if o, ok := strings.CutSuffix(a.Name, "-default"); ok && len(a.Words()) > 0 {
			q.Options[o] = a.Option()
		}
	}
	return q
}

// Set makes a queue or changes it, and has it print and, unless it refuses, take jobs. description is a PPD, nil where
// it is to have none.
func (s *Spooler) Set(ctx context.Context, q SpoolerQueue, description io.Reader) error {
	as, err := q.attributes()
	if err != nil {
		return err
	}
	as = append(as, ipp.Strs(ipp.Name, "printer-error-policy", "retry-job"))
	if q.Was == nil || q.Was.Device != q.Device {
		as = append(as, ipp.Strs(ipp.URI, "device-uri", q.Device))
	}
	if description == nil && !q.SameDriver {
		// The name of no description: one that it had goes.
		as = append(as, ipp.Strs(ipp.Name, "ppd-name", "raw"))
	}
	return s.ask(ctx, ipp.SetQueue, s.queueURI(q.Name), as, description)
}

// attributes are what queues and classes have in common.
func (q SpoolerQueue) attributes() ([]ipp.Attribute, error) {
	people, who := "requesting-user-name-allowed", q.Allowed
	switch {
	case len(who) == 0 && len(q.Denied) > 0:
		people, who = "requesting-user-name-denied", q.Denied
	case len(who) == 0:
		who = []string{"all"}
	}
	as := []ipp.Attribute{ipp.Strs(ipp.Text, "printer-info", q.Title),
		ipp.Strs(ipp.Text, "printer-location", q.Location), ipp.Strs(ipp.Text, "printer-organizational-unit", q.Mark),
		ipp.Attr("printer-is-shared", ipp.Bool(q.Shared)), ipp.Strs(ipp.Name, people, who...),
		ipp.Attr("printer-is-accepting-jobs",
			ipp.Bool(q.Refuses == "")), ipp.Strs(ipp.Text, "printer-state-message", q.Refuses)}
	if q.Was == nil || q.Was.State == ipp.PrinterStopped {
		as = append(as, ipp.Attr("printer-state", ipp.Int(ipp.Enum, int32(ipp.PrinterIdle))))
	}
	for _, o := range q.Drop {
		as = append(as, ipp.Attr(o+"-default", ipp.Value{Tag: ipp.DeleteAttribute}))
	}
	for o, v := range q.Options {
		a, err := ipp.OptionAttribute(o+"-default", o, v)
		if err != nil {
			return nil, err
		}
		as = append(as, a)
	}
	return as, nil
}

// Delete removes a queue; one that is not there is no error.
func (s *Spooler) Delete(ctx context.Context, name string) error {
	err := s.ask(ctx, ipp.DeleteQueue, s.queueURI(name), nil, nil)
	return goneAlready(err)
}

// goneAlready takes what is not there for what was taken away.
func goneAlready(err error) error {
	if f := fault.As(err); err != nil && f.Code == "device-refused" && strings.Contains(f.What, ipp.NotFound.String()) {
		return nil
	}
	return err
}

// SetDefault makes a queue the spooler's default.
func (s *Spooler) SetDefault(ctx context.Context, name string) error {
	return s.ask(ctx, ipp.SetDefaultQueue, s.queueURI(name), nil, nil)
}

// Default names the spooler's default; empty where it has none.
func (s *Spooler) Default(ctx context.Context) (string, error) {
	uri := s.base + "/"
	m, err := s.ipp.exchange(ctx, uri, ipp.NewRequest(ipp.GetDefaultQueue, s.ipp.id.Add(1), uri, ipp.Strs(ipp.Keyword,
		"requested-attributes", "printer-name")), nil, asking{})
	if err != nil && ipp.Status(m.Code) == ipp.NotFound {
		return "", nil
	}
	return m.Text(ipp.PrinterGroup, "printer-name"), err
}

// Formats gives the formats that a queue takes; nil where it does not say.
func (s *Spooler) Formats(ctx context.Context, name string) []string {
	uri := s.queueURI(name)
	m, err := s.ipp.exchange(ctx, uri, ipp.NewRequest(ipp.GetPrinterAttributes, s.ipp.id.Add(1), uri, ipp.Strs(ipp.Keyword,
		"requested-attributes", "document-format-supported")), nil, asking{})
	if err != nil {
		return nil
	}
	return m.Texts(ipp.PrinterGroup, "document-format-supported")
}

// followEvery is how often a job is asked about.
const followEvery = 200 * time.Millisecond

// Print sends a document to a queue, for somebody, and follows the job until it has ended, its printer says what holds
// it up, or ctx's end. done is true where it is completed; says is how it stands, in words. An error means that it was
// not taken, or that it ended otherwise.
func (s *Spooler) Print(ctx context.Context, name, owner, title, format string, body io.Reader) (says string, done bool,
	err error) {
	uri := s.queueURI(name)
	out, err := s.ipp.Print(ctx, uri, job.Document{Name: title, Owner: owner, Format: format}, body)
	if err != nil {
		return "", false, err
	}
	says = fmt.Sprintf("job %d: %s", out.JobID, out.Says)
	for {
		j, err := s.ipp.ReadJob(ctx, uri, nil, out.JobID)
		if err != nil {
			return says, false, nil // it was taken; more is not known
		}
		says = fmt.Sprintf("job %d is %s", j.ID, j.State)
		if why := strings.Join(append(slices.Clone(j.Reasons), j.Message), ", "); strings.Trim(why, ", ") != "" {
			says += ": " + strings.Trim(why, ", ")
		}
		switch {
		case j.State == "completed":
			return says, true, nil
		case j.Done():
			return says, false, fault.New(fault.Conflict, "job-ended", "see what the spooler says of it", "%s", says)
		}
		t := time.NewTimer(followEvery)
		select {
		case <-ctx.Done():
			t.Stop()
			return says, false, nil
		case <-t.C:
		}
	}
}
