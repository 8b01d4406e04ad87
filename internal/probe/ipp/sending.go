package ipp

import (
	"context"
	"fmt"
	"io"
	"maps"
	"net"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/ipp"
	"cirque/internal/probe/dial"
)

// About asks a device what has to be known of it before a job goes there.
func (c *Client) About(ctx context.Context, uri string, key *stock.Key) (job.About, error) {
	m, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.GetPrinterAttributes, c.id.Add(1), uri), nil, asking{key: key})
	if err != nil {
		return job.About{}, err
	}
	a := job.About{Stopped: m.Number(ipp.PrinterGroup, "printer-state") == ipp.PrinterStopped,
		Reasons: reasonsOf(m.Texts(ipp.PrinterGroup, "printer-state-reasons")),
		Formats: m.Texts(ipp.PrinterGroup, "document-format-supported"), Able: Able(m), Connected: uri,
		Compress: slices.Contains(m.Texts(ipp.PrinterGroup, "compression-supported"), "gzip")}
	if v, ok := m.Find(ipp.PrinterGroup, "printer-is-accepting-jobs"); ok && len(v.Values) == 1 {
		a.Refuses = v.Values[0].Int == 0
	}
	if up := m.Number(ipp.PrinterGroup, "printer-up-time"); up > 0 {
		since := time.Now().Add(-time.Duration(up) * time.Second)
		a.Up = &since
	}
	a.Own, _ = options(m)
	ops, _ := m.Find(ipp.PrinterGroup, "operations-supported")
	has := func(op ipp.Op) bool {
		return slices.ContainsFunc(ops.Values, func(v ipp.Value) bool { return ipp.Op(v.Int) == op })
	}
	a.Creates, a.Answers = has(ipp.CreateJob) && has(ipp.SendDocument), has(ipp.GetJobAttributes)
	return a, nil
}

// Able reads what a printer has, by option.
func Able(m ipp.Message) map[string][]string {
	out := map[string][]string{}
	for _, o := range slices.Concat(ipp.Options, ipp.Abilities) {
		name := o + "-supported"
		if o == "media-ready" {
			name = o
		}
		if a, ok := m.Find(ipp.PrinterGroup, name); ok && len(a.Words()) > 0 {
			out[o] = a.Words()
		}
	}
	for _, a := range []string{"media-col", "finishings-col"} { // what their members may be is judged by the printer
		if v, ok := m.Find(ipp.PrinterGroup, a+"-supported"); ok && len(v.Values) > 0 {
			out[a] = v.Words()
		}
	}
	return out
}

// attributes are a ticket's options as attributes: as they came, where they are the same.
func attributes(t job.Ticket) ([]ipp.Attribute, error) {
	raw, err := ipp.ParseGroup(t.Raw)
	if err != nil {
		return nil, err
	}
	var out []ipp.Attribute
	for _, name := range slices.Sorted(maps.Keys(t.Options)) {
		i := slices.IndexFunc(raw, func(a ipp.Attribute) bool {
			return a.Name == name && reflect.DeepEqual(a.Option(), t.Options[name])
		})
		if i >= 0 {
			out = append(out, raw[i])
			continue
		}
		a, err := ipp.OptionAttribute(name, name, t.Options[name])
		if err != nil {
			return nil, err
		}
		out = append(out, a)
	}
	return out, nil
}

func (c *Client) ticket(op ipp.Op, uri string, t job.Ticket, more ...ipp.Attribute) (ipp.Message, error) {
	list, err := attributes(t)
	if err != nil {
		return ipp.Message{}, fault.New(fault.Internal, "ipp-encode", "", "the job's options cannot be encoded").Because(err)
	}
	m := ipp.NewRequest(op, c.id.Add(1), uri, append([]ipp.Attribute{
		ipp.Attr("requesting-user-name", ipp.Str(ipp.Name, words.OneLine(t.Owner, 255))),
		ipp.Attr("job-name", ipp.Str(ipp.Name, words.OneLine(t.Name, 255)))}, more...)...)
	if len(list) > 0 {
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: list})
	}
	return m, nil
}

func format(t job.Ticket) ipp.Attribute {
	return ipp.Attr("document-format", ipp.Str(ipp.MIMEType, t.Format))
}

// CreateJob announces a job to a device (RFC 8011, section 4.2.4).
func (c *Client) CreateJob(ctx context.Context, uri string, key *stock.Key, t job.Ticket) (job.Status, error) {
	m, err := c.ticket(ipp.CreateJob, uri, t)
	if err != nil {
		return job.Status{}, err
	}
	return c.statusOf(c.exchange(ctx, uri, m, nil, asking{key: key}))
}

// SendDocument sends the one document of a job that was announced (RFC 8011, section 4.3.1).
func (c *Client) SendDocument(ctx context.Context, uri string, key *stock.Key, id int, t job.Ticket,
	body io.Reader) (job.Status, error) {
	m := ipp.NewRequest(ipp.SendDocument, c.id.Add(1), uri, ipp.Attr("job-id", ipp.Int(ipp.Integer, int32(id))),
		ipp.Attr("requesting-user-name", ipp.Str(ipp.Name, words.OneLine(t.Owner, 255))), format(t),
		ipp.Attr("last-document", ipp.Bool(true)))
	return c.statusOf(c.exchange(ctx, uri, m, body, asking{key: key, signed: key != nil}))
}

// PrintJob sends a job at once (RFC 8011, section 4.2.1).
func (c *Client) PrintJob(ctx context.Context, uri string, key *stock.Key, t job.Ticket, body io.Reader) (job.Status,
	error) {
	m, err := c.ticket(ipp.PrintJob, uri, t, format(t))
	if err != nil {
		return job.Status{}, err
	}
	return c.statusOf(c.exchange(ctx, uri, m, body, asking{key: key, signed: key != nil}))
}

// asked are what is asked of a job that is followed.
var asked = []string{"job-id", "job-name", "job-state", "job-state-reasons", "job-state-message",
	"job-impressions-completed"}

// JobStatus asks about one job; one that the device does not know is an Unknown fault.
func (c *Client) JobStatus(ctx context.Context, uri string, key *stock.Key, id int) (job.Status, error) {
	m, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.GetJobAttributes, c.id.Add(1), uri, ipp.Attr("job-id",
		ipp.Int(ipp.Integer, int32(id))), ipp.Strs(ipp.Keyword, "requested-attributes", asked...)), nil, asking{key: key})
	if s := ipp.Status(m.Code); err != nil && (s == ipp.NotFound || s == ipp.Gone) {
		return job.Status{}, fault.New(fault.Unknown, "job-unknown", "look at the device", "the device knows no job %d", id)
	}
	return c.statusOf(m, err)
}

// FindJob looks among a device's jobs, those that it remembers too, for one whose name ends so.
func (c *Client) FindJob(ctx context.Context, uri string, key *stock.Key, mark string) (out job.Status, ok bool,
	err error) {
	for _, which := range []string{"not-completed", "completed"} {
		m, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.GetJobs, c.id.Add(1), uri, ipp.Attr("limit", ipp.Int(ipp.Integer,
			1000)), ipp.Strs(ipp.Keyword, "which-jobs", which), ipp.Strs(ipp.Keyword, "requested-attributes", asked...)), nil,
			asking{key: key, header: listHeader, attributes: listAttributes})
		if err != nil {
			return out, false, err
		}
		for _, g := range m.Groups {
			if g.Tag == ipp.JobGroup && strings.HasSuffix(g.One().Text(ipp.JobGroup, "job-name"), mark) {
				out, err = c.statusOf(g.One(), nil)
				return out, true, err
			}
		}
	}
	return out, false, nil
}

// CancelJob cancels a job at a device.
func (c *Client) CancelJob(ctx context.Context, uri string, key *stock.Key, id int) error {
	_, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.CancelJob, c.id.Add(1), uri, ipp.Attr("job-id", ipp.Int(ipp.Integer,
		int32(id)))), nil, asking{key: key})
	return err
}

// statusOf reads what an answer says of a job.
func (c *Client) statusOf(m ipp.Message, err error) (job.Status, error) {
	if err != nil {
		return job.Status{}, err
	}
	s := job.Status{ID: m.Number(ipp.JobGroup, "job-id"), Name: m.Text(ipp.JobGroup, "job-name"),
		State:   job.State(ipp.JobState(m.Number(ipp.JobGroup, "job-state"))),
		Reasons: reasonsOf(m.Texts(ipp.JobGroup, "job-state-reasons")), Says: m.Text(ipp.JobGroup, "job-state-message")}
	if s.Says == "" {
		s.Says = m.Text(ipp.OperationGroup, "status-message")
	}
	if a, ok := m.Find(ipp.JobGroup, "job-impressions-completed"); ok && len(a.Values) == 1 && a.Values[0].Tag ==
		ipp.Integer {
		n := int(a.Values[0].Int)
		s.Impressions = &n
	}
	return s, nil
}

// rawWithin is how long a device that takes raw data may take nothing.
const rawWithin = 2 * time.Minute

// SendRaw sends a document to a port that takes raw data. That it has taken it all is all that is known then.
func (c *Client) SendRaw(ctx context.Context, uri string, body io.Reader) error {
	u, err := url.Parse(uri)
	if err != nil || u.Hostname() == "" || u.Scheme != "socket" {
		return fault.New(fault.Invalid, "uri-invalid", "write socket://HOST:PORT", "%q takes no raw data", uri)
	}
	port := u.Port()
	if port == "" {
		port = "9100"
	}
	conn, err := c.out.Dial(ctx, dial.Raw, "tcp", net.JoinHostPort(u.Hostname(), port), dial.Within)
	if err != nil {
		return dial.Explain(u.Host, err)
	}
	stop := context.AfterFunc(ctx, func() { _ = conn.Close() }) // whoever writes hears of it
	defer stop()
	_, err = io.Copy(patient{conn}, body)
	if half, ok := conn.(interface{ CloseWrite() error }); ok && err == nil {
		if err = half.CloseWrite(); err == nil { // it closes once it has read all
			_ = conn.SetReadDeadline(time.Now().Add(rawWithin))
			if _, e := io.Copy(io.Discard, conn); e != nil {
				err = fmt.Errorf("whether it took all of it is not known: %w", e)
			}
		}
	}
	if e := conn.Close(); err == nil && e != nil && ctx.Err() == nil {
		err = e
	}
	if err != nil {
		return dial.Explain(u.Host, err)
	}
	return nil
}

// patient gives each write a time of its own.
type patient struct{ net.Conn }

func (p patient) Write(b []byte) (int, error) {
	_ = p.SetWriteDeadline(time.Now().Add(rawWithin))
	return p.Conn.Write(b)
}
