package ipp

import (
	"cmp"
	"context"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/ipp"
)

// Limits on one answer that lists queues, and how many are asked for in one.
const (
	listHeader     = 32 << 20
	listAttributes = 400_000
	listPage       = 250
	maxQueues      = 20_000
	// fewChanged is up to how many changed queues are asked for one by one rather than all again.
	fewChanged = 24
)

// brief are the attributes that tell whether a queue has changed, and how it stands.
var brief = []string{"printer-name", "printer-state", "printer-state-reasons", "printer-state-message",
	"printer-is-accepting-jobs", "printer-is-shared", "queued-job-count",
	"printer-config-change-time", "printer-up-time", "printer-uri-supported", "printer-organizational-unit"}

// whole are all attributes that are read of a queue.
var whole = func() []string {
	out := append(slices.Clone(brief), "printer-info", "printer-location", "printer-make-and-model", "device-uri",
		"printer-device-uri", "document-format-supported", "requesting-user-name-allowed", "requesting-user-name-denied")
	for _, o := range ipp.Options {
		out = append(out, o+"-default", o+"-supported")
	}
	return out
}()

// A lister is one way of listing a server's queues.
type lister struct {
	name string
	op   ipp.Op
	path string
}

var listers = []lister{{"system", ipp.GetPrinters, "/ipp/system"}, {"spooler", ipp.ListQueues, "/"}}

// ReadServer reads a print server's queues: over its system service (PWG 5100.22), by the operation of the common Unix
// spooler, or, where it knows neither, the one queue at the URI. before is the reading before: what has not changed
// since is taken over from it. Errors are faults that say in plain words what is wrong with the connection.
func (c *Client) ReadServer(ctx context.Context, uri string, key *stock.Key,
	before *stock.Server) (*stock.Server, error) {
	u, err := url.Parse(uri)
	if err != nil || u.Hostname() == "" {
		return nil, fault.New(fault.Invalid, "uri-invalid", "write ipp://HOST:PORT/", "%q is no server's URI", uri)
	}
	order := slices.Clone(listers)
	if before != nil && before.Listing == "spooler" {
		slices.Reverse(order)
	}
	var refused error
	for _, l := range order {
		at := *u
		at.Path, at.RawPath = l.path, ""
		s, err := c.list(ctx, l, at.String(), key, before)
		if err == nil && l.op == ipp.ListQueues && len(s.Queues) == 0 && strings.Trim(u.Path, "/") != "" {
			// A device that does not know the operation says the same as a spooler without queues.
			if one, err := c.single(ctx, uri, key); err == nil {
				return one, nil
			}
		}
		if err == nil {
			return s, nil
		}
		if !knowsNot(err) {
			return nil, err
		}
		refused = err
	}
	// Neither is known there: perhaps the URI is a queue's own.
	s, err := c.single(ctx, uri, key)
	if knowsNot(err) && fault.As(refused).Code == "not-ipp" {
		err = refused
	}
	return s, err
}

// single reads the one queue at a URI.
func (c *Client) single(ctx context.Context, uri string, key *stock.Key) (*stock.Server, error) {
	m, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.GetPrinterAttributes, c.id.Add(1), uri), nil, asking{key: key})
	if err != nil {
		return nil, err
	}
	s := &stock.Server{At: time.Now().UTC(), Listing: "single"}
	for _, g := range m.Groups {
		if g.Tag == ipp.PrinterGroup {
			q := queueOf(g)
			q.URI = cmp.Or(q.URI, uri)
			started(s, g)
			s.Queues = append(s.Queues, q)
		}
	}
	if len(s.Queues) == 0 {
		return nil, fault.New(fault.Unavailable, "no-queues", "check the path in the URI",
			"%s speaks IPP, and lists no queue", uri)
	}
	return s, nil
}

// knowsNot says whether a failure means that the server does not know a way of listing, rather than that it is not
// there.
func knowsNot(err error) bool {
	f := fault.As(err)
	return f != nil && (f.Code == "path-not-found" || f.Code == "device-refused" || f.Code == "not-ipp" ||
		f.Code == "forbidden")
}

// list reads all queues over one way of listing.
func (c *Client) list(ctx context.Context, l lister, uri string, key *stock.Key,
	before *stock.Server) (*stock.Server, error) {
	s := &stock.Server{At: time.Now().UTC(), Listing: l.name, Queues: []stock.Queue{}}
	if before != nil && before.Listing == l.name && len(before.Queues) > 0 {
		return c.relist(ctx, l, uri, key, before)
	}
	groups, err := c.shown(ctx, l, uri, key, whole)
	if err != nil {
		return nil, err
	}
	for _, g := range groups {
		q := queueOf(g)
		started(s, g)
		s.Queues = append(s.Queues, q)
	}
	return s, nil
}

// relist asks briefly, and wholly only for what has changed.
func (c *Client) relist(ctx context.Context, l lister, uri string, key *stock.Key,
	before *stock.Server) (*stock.Server, error) {
	u, err := url.Parse(uri)
	if err != nil {
		return nil, err
	}
	groups, err := c.shown(ctx, l, uri, key, brief)
	if err != nil {
		return nil, err
	}
	was := map[string]*stock.Queue{}
	for i := range before.Queues {
		was[before.Queues[i].Name] = &before.Queues[i]
	}
	s := &stock.Server{At: time.Now().UTC(), Listing: l.name, Restarts: before.Restarts, Queues: make([]stock.Queue,
		len(groups))}
	var changed []int
	for i, g := range groups {
		q := queueOf(g)
		started(s, g)
		b := was[q.Name]
		if b == nil || q.Changed == 0 || b.Changed != q.Changed {
			changed = append(changed, i)
		} else {
			b := *b
			b.State, b.Reasons, b.Message, b.Accepting, b.Shared, b.Jobs = q.State, q.Reasons, q.Message, q.Accepting,
				q.Shared, q.Jobs
			q = b
		}
		s.Queues[i] = q
	}
	if len(changed) > fewChanged {
		before := *before
		before.Queues = nil
		full, err := c.list(ctx, l, uri, key, &before)
		if err == nil {
			full.Restarts = s.Restarts
		}
		return full, err
	}
	for _, i := range changed {
		of := atHost(u, s.Queues[i].URI)
		m, err := c.exchange(ctx, of, ipp.NewRequest(ipp.GetPrinterAttributes, c.id.Add(1), of, ipp.Strs(ipp.Keyword,
			"requested-attributes", whole...)), nil, asking{key: key})
		if err != nil {
			// It may have gone meanwhile, or lie where only the server itself reaches it: read the whole list.
			full := *before
			full.Queues = nil
			return c.list(ctx, l, uri, key, &full)
		}
		for _, g := range m.Groups {
			if g.Tag == ipp.PrinterGroup {
				q := queueOf(g)
				q.URI = cmp.Or(q.URI, of)
				s.Queues[i] = q
			}
		}
	}
	return s, nil
}

// shown asks for the queues to which people print: members of a class that Cirque keeps are left out.
func (c *Client) shown(ctx context.Context, l lister, uri string, key *stock.Key,
	attributes []string) ([]ipp.Group, error) {
	groups, err := c.pages(ctx, l, uri, key, attributes)
	return slices.DeleteFunc(groups, func(g ipp.Group) bool {
		return server.IsMember(g.One().Text(ipp.PrinterGroup, "printer-organizational-unit"))
	}), err
}

// pages asks for the queues some at a time. A server that takes no limits gives all at once.
func (c *Client) pages(ctx context.Context, l lister, uri string, key *stock.Key,
	attributes []string) ([]ipp.Group, error) {
	var out []ipp.Group
	seen := map[string]bool{}
	last := ""
	for {
		req := ipp.NewRequest(l.op, c.id.Add(1), uri, ipp.Attr("limit", ipp.Int(ipp.Integer, listPage)))
		ops := &req.Groups[0].Attributes
		if len(out) > 0 && l.op == ipp.GetPrinters {
			*ops = append(*ops, ipp.Attr("first-index", ipp.Int(ipp.Integer, int32(len(out)+1))))
		} else if len(out) > 0 {
			*ops = append(*ops, ipp.Attr("first-printer-name", ipp.Str(ipp.Name, last)))
		}
		*ops = append(*ops, ipp.Strs(ipp.Keyword, "requested-attributes", attributes...))
		m, err := c.exchange(ctx, uri, req, nil, asking{key: key, header: listHeader, attributes: listAttributes})
		if err != nil {
			// The common Unix spooler says "not found" where it has no queue at all.
			if f := fault.As(err); l.op == ipp.ListQueues && f.Code == "device-refused" && ipp.Status(m.Code) == ipp.NotFound {
				return out, nil
			}
			return nil, err
		}
		fresh, got := 0, 0
		for _, g := range m.Groups {
			if g.Tag != ipp.PrinterGroup {
				continue
			}
			got++
			name := g.One().Text(ipp.PrinterGroup, "printer-name")
			if name == "" || seen[name] {
				continue // the last of the page before begins the next
			}
			seen[name], last = true, name
			out = append(out, g)
			fresh++
		}
		if got < listPage || fresh == 0 {
			return out, nil
		}
		if len(out) > maxQueues {
			return nil, fault.New(fault.TooLarge, "too-many-queues", "divide them among servers", "%s has over %d queues",
				uri, maxQueues)
		}
	}
}

// started works out since when a server has been up. Some give the time of day for their up time: they do not say.
func started(s *stock.Server, g ipp.Group) {
	if up := g.One().Number(ipp.PrinterGroup, "printer-up-time"); up > 0 && up < 1_000_000_000 {
		at := s.At.Add(-time.Duration(up) * time.Second)
		if s.Started == nil || at.Before(*s.Started) {
			s.Started = &at
		}
	}
}

var printerStates = map[int]string{ipp.PrinterIdle: "idle", ipp.PrinterProcessing: "processing",
	ipp.PrinterStopped: "stopped"}

func stateOf(n int) string { return cmp.Or(printerStates[n], "unknown") }

// reasonsOf leaves out what says that there is none.
func reasonsOf(list []string) []string {
	return slices.DeleteFunc(list, func(r string) bool { return r == "none" || r == "" })
}

// queueOf reads one queue of a list.
func queueOf(g ipp.Group) stock.Queue {
	m := g.One()
	text := func(name string) string { return strings.TrimSpace(m.Text(ipp.PrinterGroup, name)) }
	q := stock.Queue{Name: m.Text(ipp.PrinterGroup, "printer-name"), Title: text("printer-info"),
		Location: text("printer-location"), Model: m.Text(ipp.PrinterGroup, "printer-make-and-model"),
		Device: cmp.Or(text("device-uri"), text("printer-device-uri")), URI: text("printer-uri-supported"),
		State:   stateOf(m.Number(ipp.PrinterGroup, "printer-state")),
		Reasons: reasonsOf(m.Texts(ipp.PrinterGroup, "printer-state-reasons")), Message: text("printer-state-message"),
		Accepting: m.Number(ipp.PrinterGroup, "printer-is-accepting-jobs") == 1,
		Jobs:      m.Number(ipp.PrinterGroup, "queued-job-count"), Formats: m.Texts(ipp.PrinterGroup,
			"document-format-supported"),
		Changed: m.Number(ipp.PrinterGroup, "printer-config-change-time")}
	if a, ok := m.Find(ipp.PrinterGroup, "printer-is-shared"); ok && len(a.Values) == 1 {
		shared := a.Values[0].Int == 1
		q.Shared = &shared
	}
	q.Allowed, q.Denied = m.Texts(ipp.PrinterGroup, "requesting-user-name-allowed"), m.Texts(ipp.PrinterGroup,
		"requesting-user-name-denied")
	q.Defaults, q.Supported = options(m)
	return q
}

// options reads what a queue or device is set to, and what it takes.
func options(m ipp.Message) (defaults map[string]any, supported map[string][]string) {
	for _, o := range ipp.Options {
		if a, ok := m.Find(ipp.PrinterGroup, o+"-default"); ok && len(a.Words()) > 0 && o != "copies" {
			if defaults == nil {
				defaults = map[string]any{}
			}
			defaults[o] = a.Option()
		}
		if a, ok := m.Find(ipp.PrinterGroup, o+"-supported"); ok && len(a.Words()) > 0 {
			if supported == nil {
				supported = map[string][]string{}
			}
			supported[o] = a.Words()
		}
	}
	return defaults, supported
}
