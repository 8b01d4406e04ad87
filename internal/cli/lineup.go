package cli

import (
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// contextFlags are the flags that make up a context.
func (r *screen) contextFlags(c *cobra.Command) func() lineup.Query {
	f := c.Flags()
	user := f.String("user", "", "the person")
	machine := f.String("machine", "", "the machine at which the person sits")
	host := f.String("host", "", "the session host, in a remote or virtual session")
	addresses := f.StringSlice("address", nil, "an address of the place where the person sits; may be repeated")
	location := f.String("location", "", "the location, where it is known better than the address tells")
	session := f.String("session", "", "desktop (default), remote, virtual, mobile or browser")
	platform := f.String("platform", "", "os/arch, such as windows/x64")
	at := new(cmdline.Moment)
	f.Var(at, "time", "the moment to look at; now when absent")
	f.Bool("as-given", false, "add nothing that is known of the machine")
	return func() lineup.Query {
		when := ""
		if t := r.timeOf(at); t != nil {
			when = t.Format(time.RFC3339)
		}
		opt := func(s *string) *string {
			if *s == "" {
				return nil
			}
			return s
		}
		return lineup.Query{User: opt(user), Machine: opt(machine), Host: opt(host), Addresses: *addresses,
			Location: opt(location), Session: opt(session), Platform: opt(platform), Time: opt(&when)}
	}
}

// completed adds to a context what is known of its machine, unless it is to be judged as it was given. What nobody
// knows is said beside the answer.
func (r *root) completed(c *cobra.Command, client *apiclient.Client, q lineup.Query) (endpoint.Supplied, error) {
	as := endpoint.Supplied{Context: q}
	if given, err := c.Flags().GetBool("as-given"); err != nil || given {
		return as, err
	}
	in := url.Values{"address": q.Addresses}
	for key, v := range map[string]*string{"user": q.User, "machine": q.Machine, "host": q.Host, "location": q.Location,
		"session": q.Session, "platform": q.Platform, "time": q.Time} {
		if v != nil {
			in.Set(key, *v)
		}
	}
	out, err := apiclient.Get[endpoint.Supplied](c.Context(), client, "/api/v1/context", in)
	if f := fault.As(err); err != nil && f.Kind == fault.Unknown && f.Code == "route-unknown" {
		return as, nil // a service of the version before
	}
	if err != nil {
		return as, err
	}
	for _, u := range out.Unknown {
		fmt.Fprintln(c.ErrOrStderr(), u.Sentence())
	}
	return out, nil
}

// writeAdded says what was added to a context.
func writeAdded(w io.Writer, s endpoint.Supplied) {
	if len(s.Added) == 0 {
		return
	}
	var parts []string
	for _, a := range s.Added {
		parts = append(parts, a.Sentence(time.Now()))
	}
	fmt.Fprintf(w, "Taken: %s.\n", strings.Join(parts, "; "))
}

// whenFlags ask by another revision of the estate, or by the state of another time.
func (r *screen) whenFlags(c *cobra.Command) func() url.Values {
	revision := c.Flags().String("revision", "", "another revision of the estate: its number, draft or draft:NAME")
	asOf := new(cmdline.Moment)
	c.Flags().Var(asOf, "as-of", "with the estate, directory, live state and picks of that time")
	return func() url.Values {
		q := url.Values{}
		if *revision != "" {
			q.Set("revision", *revision)
		}
		r.setTime(q, "as_of", asOf)
		return q
	}
}

// sentence says a context in words.
func (r *screen) sentence(e lineup.Echo) string {
	var b strings.Builder
	b.WriteString(or(e.User, "Nobody signed in"))
	if e.Location != nil {
		b.WriteString(" at " + *e.Location)
	} else {
		b.WriteString(" at an unknown location")
	}
	if e.Machine != nil {
		b.WriteString(" on " + *e.Machine)
	}
	b.WriteString(" in a " + e.Session + " session")
	if e.Host != nil {
		b.WriteString(" on host " + *e.Host)
	}
	if len(e.Addresses) > 0 {
		var list []string
		for _, a := range e.Addresses {
			list = append(list, a.String())
		}
		b.WriteString(", from " + strings.Join(list, ", "))
	}
	if e.Platform != nil {
		b.WriteString(", " + *e.Platform)
	} else {
		b.WriteString(", platform not given")
	}
	return b.String() + ", " + r.zone().Minute(e.Time) + "."
}

func lineupCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "lineup", Short: "The queues that a context receives, in order", Args: cmdline.Args(0, 0)}
	query, revision := r.contextFlags(c), r.whenFlags(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		asked, err := r.completed(c, client, query())
		if err != nil {
			return err
		}
		var l lineup.Lineup
		err = client.Do(c.Context(), "POST", "/api/v1/lineups", revision(), asked.Context, &l)
		if err != nil {
			return err
		}
		return r.print(c, l, func(w io.Writer) { r.writeLineup(w, l, asked) })
	}
	return c
}

func revisionText(n int) string {
	if n == 0 {
		return "Not published"
	}
	return fmt.Sprintf("Revision %d", n)
}

func (r *screen) writeLineup(w io.Writer, l lineup.Lineup, asked endpoint.Supplied) {
	fmt.Fprintln(w, r.sentence(l.Context))
	writeAdded(w, asked)
	fmt.Fprintf(w, "%s.\n\n", revisionText(l.Revision))
	if len(l.Entries) == 0 {
		fmt.Fprintln(w, "No queue: no grant gives one here. Ask cirque why QUEUE with the same context.")
	} else {
		t := r.table("", "QUEUE", "TITLE", "EFFECT", "THROUGH", "DRIVER", "DISTANCE", "BY")
		for _, e := range l.Entries {
			mark := ""
			if e.Default {
				mark = "default"
			}
			steps := "-"
			if e.Distance != nil {
				steps = fmt.Sprint(*e.Distance)
			}
			t.add(mark, e.Queue, or(e.Title, ""), effect(e), throughOf(e.Path), or(e.Exact, e.Driver), steps,
				strings.Join(e.Grants, ", "))
		}
		t.write(w)
	}
	if len(l.LeftOut) > 0 {
		fmt.Fprintln(w, "\nLeft out:")
		t := r.table("QUEUE", "REASON", "GRANTS")
		for _, o := range l.LeftOut {
			t.add(o.Queue, string(o.Reason), strings.Join(o.Grants, ", "))
		}
		t.write(w)
	}
}

func effect(e lineup.Entry) string {
	words := []string{e.Effect}
	if e.Scope == "machine" {
		words = append(words, "machine-wide")
	}
	if e.Stranded {
		words = append(words, "stranded")
	}
	if e.NotAccepting != nil {
		words = append(words, *e.NotAccepting)
	}
	return strings.Join(words, ", ")
}

func throughOf(t lineup.Taken) string {
	switch {
	case t.Set != nil:
		return "server " + *t.Server + " of set " + *t.Set
	case t.Server != nil:
		return "server " + *t.Server
	case t.Device != nil:
		return "device " + *t.Device
	}
	return string(t.Through)
}

func whyCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "why QUEUE", Short: "Why a context receives a queue, or does not",
		Args: cmdline.Args(1, 1),
		Long: `Why a context receives a queue, or does not: every grant that selects it with each condition, what
was wanted and what was found. The exit code is 0 where the queue is in the lineup and 8 where it is
not.`}
	query, revision := r.contextFlags(c), r.whenFlags(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		asked, err := r.completed(c, client, query())
		if err != nil {
			return err
		}
		var y lineup.Why
		err = client.Do(c.Context(), "POST", "/api/v1/why", revision(), api.Why{Context: asked.Context, Queue: a[0]}, &y)
		if err != nil {
			return err
		}
		if err := r.print(c, y, func(w io.Writer) { r.writeWhy(w, y, asked) }); err != nil {
			return err
		}
		if !y.Present {
			return cmdline.ErrNo
		}
		return nil
	}
	return c
}

func mark(ok bool) string {
	if ok {
		return "yes"
	}
	return "no "
}

func writeCondition(w io.Writer, indent string, c lineup.Condition) {
	verb := "wanted"
	if c.Kind == "except" || c.Kind == "deny" {
		verb = "not   "
	}
	fmt.Fprintf(w, "%s%s  %-9s  %s %s\n", indent, mark(c.Holds), c.Kind, verb, strings.Join(c.Wanted, " or "))
	found := c.Found
	if len(c.Held) > 0 && c.Kind != "sessions" && c.Kind != "platforms" {
		found += ": " + strings.Join(c.Held, ", ")
	}
	fmt.Fprintf(w, "%s                found  %s\n", indent, found)
}

func (r *screen) writeWhy(w io.Writer, y lineup.Why, asked endpoint.Supplied) {
	fmt.Fprintf(w, "%s\n%s\n", y.Says, r.sentence(y.Context))
	writeAdded(w, asked)
	fmt.Fprintln(w)
	fmt.Fprintf(w, "Location: %s. Machine: %s. %s.\n", y.LocationFrom, y.MachineFrom, revisionText(y.Revision))
	for _, n := range y.Notes {
		fmt.Fprintln(w, n)
	}
	fmt.Fprintln(w, "\nGrants that select it:")
	if len(y.Grants) == 0 {
		fmt.Fprintln(w, "  none")
	}
	for _, g := range y.Grants {
		fmt.Fprintf(w, "  %s  %s (%s) by %s: %s\n", mark(g.Matches), g.Grant, g.Effect, strings.Join(g.Selects, ", "), g.Says)
		if len(g.Conditions) == 0 {
			fmt.Fprintln(w, "         no condition: it matches everything")
		}
		for _, c := range g.Conditions {
			writeCondition(w, "       ", c)
		}
	}
	if y.Access != nil {
		fmt.Fprintf(w, "\nAccess: %s\n", map[bool]string{true: "permitted", false: "not permitted"}[y.Access.Permitted])
		for _, c := range y.Access.Conditions {
			writeCondition(w, "  ", c)
		}
	}
	fmt.Fprintln(w, "\nPaths, in order:")
	for _, p := range y.Paths {
		fmt.Fprintf(w, "  %s  %s: %s\n", mark(p.Chosen), throughOf(p.Path), p.Says)
		for _, c := range p.Conditions {
			writeCondition(w, "       ", c)
		}
	}
	if len(y.Drivers) > 0 {
		fmt.Fprintln(w, "\nDrivers:")
		for _, d := range y.Drivers {
			fmt.Fprintf(w, "  %s  %s: %s, %s\n", mark(d.Chosen), d.Key, or(d.Exact, d.Driver), d.Says)
		}
	}
	if y.Present {
		fmt.Fprintf(w, "\n%s\n", y.Default)
	}
	if y.Change != "" {
		fmt.Fprintf(w, "\nThe smallest change that would give it:\n  %s\n", y.Change)
	}
	if len(y.NearMisses) > 1 {
		fmt.Fprintln(w, "\nGrants that failed by one condition only, nearest first:")
		for _, m := range y.NearMisses {
			fmt.Fprintf(w, "  %s: %s\n", m.Grant, m.Change)
		}
	}
}

// unrecorded is said of a page that went out, and of which nothing was kept.
const unrecorded = "It is not in the audit: that could not be written; see cirque ready --writing."

func testPageCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "test-page QUEUE", Short: "Send a test page through the path that the lineup chose",
		Args: cmdline.Args(1, 1),
		Long: `Send a test page through the path that the context's lineup chose, and say what the device answered.
The page names queue, path, device, driver, person and time, so that the paper proves itself.`}
	query := r.contextFlags(c)
	anyway := c.Flags().Bool("anyway", false, "also where the queue is paused or closed at this hour")
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		asked, err := r.completed(c, client, query())
		if err != nil {
			return err
		}
		in := api.SendTestPage{Why: api.Why{Context: asked.Context, Queue: a[0]}, Anyway: *anyway}
		t, err := apiclient.Post[api.TestPage](c.Context(), client, "/api/v1/test-pages", in)
		if f := fault.As(err); err != nil && f.Code == "queue-closed" && !*anyway {
			if no := confirmed(c, false, "--anyway", f.What, "Print all the same?"); no != nil {
				return no
			}
			in.Anyway = true
			t, err = apiclient.Post[api.TestPage](c.Context(), client, "/api/v1/test-pages", in)
		}
		if err != nil {
			return err
		}
		return r.print(c, t, func(w io.Writer) {
			fmt.Fprintln(w, r.sentence(t.Context))
			writeAdded(w, asked)
			fmt.Fprintf(w, "A test page of %s went through %s to %s.\nThe device answers: %s; job %d is %s.\n", t.Queue,
				throughOf(t.Path), t.SentTo, t.Says, t.JobID, t.State)
			if !t.Recorded {
				fmt.Fprintln(w, unrecorded)
			}
		})
	}
	return c
}
