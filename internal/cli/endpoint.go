package cli

import (
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func endpointCommand(r *root) *cobra.Command {
	var state, site, word, queue, sort string
	list := &cobra.Command{Use: "list", Short: "List endpoints and how they stand", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			query := url.Values{"state": {state}, "site": {site}, "find": {word}, "queue": {queue}, "sort": {sort}}
			all, err := apiclient.List[fleet.Row](c.Context(), client, "/api/v1/endpoints", query)
			if err != nil {
				return err
			}
			return r.print(c, all, func(w io.Writer) {
				if len(all) == 0 {
					fmt.Fprintln(w, map[bool]string{true: "No endpoint has reported yet. To let one in: cirque enrol token NAME",
						false: "No endpoint is like that."}[state+site+word+queue == ""])
					return
				}
				t := r.table("ENDPOINT", "STATE", "QUEUES", "USERS", "REVISION", "PLATFORM", "LAST REPORT", "WHAT IS WRONG")
				for _, e := range all {
					t.add(e.Machine, string(e.State), fmt.Sprint(e.Queues), fmt.Sprint(len(e.Users)), fmt.Sprint(e.Revision),
						e.Platform, ago(e.LastSeen, time.Now()), firstWrong(e))
				}
				t.write(w)
			})
		}}
	f := list.Flags()
	f.StringVar(&state, "state", "", "only those that are converged, behind, failing or silent")
	f.StringVar(&site, "site", "", "only those at this site")
	f.StringVar(&queue, "queue", "", "only those that are to have this queue, or have it and must not")
	f.StringVar(&sort, "sort", "machine", "by machine, state, last_seen, queues, users, revision, platform or location; "+
		"a dash before it for the other way round")
	f.StringVar(&word, "find", "", "only those with this in the name of the machine, of somebody there, or of a queue")
	show := &cobra.Command{Use: "show MACHINE", Short: "One endpoint: what it has, and what it should have",
		Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			e, err := apiclient.Get[endpoint.Judged](c.Context(), client, apiclient.Path("/api/v1/endpoints", a[0]), nil)
			if err != nil {
				return err
			}
			return r.print(c, e, func(w io.Writer) { r.writeEndpoint(w, e) })
		}}
	refresh := &cobra.Command{Use: "refresh MACHINE...", Short: "Have endpoints look at their queues and report now",
		Args: cmdline.Args(1, -1), RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			var all []api.Called
			for _, machine := range a {
				called, err := apiclient.Post[api.Called](c.Context(), client, apiclient.Path("/api/v1/endpoints", machine)+
					"/refresh", nil)
				if err != nil {
					return err
				}
				all = append(all, called)
			}
			return r.print(c, all, func(w io.Writer) {
				for _, k := range all {
					fmt.Fprintf(w, "%s was called; it was heard %s.\n", k.Endpoint.Report.Machine, ago(k.Endpoint.LastSeen,
						time.Now()))
				}
				fmt.Fprintln(w, all[0].Otherwise)
			})
		}}
	return cmdline.Group("endpoint", "See endpoints and their drift, call them, and check them", list, show, refresh,
		identityCommand(r), attachedCommand(r), checkupCommand(r),
		endpointPackageCommand(r), endpointUpdateCommand(r),
		printResultCommand(r), unreachedCommand(r), talksCommand(r), former("paper", "endpoint print-result",
			printResultCommand(r)))
}

// firstWrong says the first thing that is wrong with an endpoint, and how many more there are.
func firstWrong(e fleet.Row) string {
	says, more := "", 0
	switch {
	case e.Failure != nil:
		says, more = fmt.Sprintf("%s %s: %s", e.Failure.Step, e.Failure.Queue, e.Failure.Says), e.Failures-1
	case e.Differs != nil:
		says, more = difference(*e.Differs), e.Drift-1
	}
	if more > 0 {
		says += fmt.Sprintf("; and %d more", more)
	}
	return says
}

func difference(d endpoint.Difference) string {
	s := d.Queue + " is " + d.Kind
	switch d.Kind {
	case "differs":
		s = fmt.Sprintf("%s has %s, wanted %s", d.Queue, d.Found, d.Wanted)
	case "default":
		s = d.Queue + " is not the default"
	}
	if d.User != "" {
		s += " for " + d.User
	}
	return s
}

func (r *screen) writeEndpoint(w io.Writer, e endpoint.Judged) {
	fmt.Fprintf(w, "%s is %s. Heard %s, first on %s; agent %s on %s, %s spooler, revision %d.\n\n", e.Report.Machine,
		e.State, ago(e.LastSeen, time.Now()),
		r.zone().Minute(e.FirstSeen), e.Report.Version, e.Report.Platform, e.Report.Spooler,
		e.Report.Revision)
	t := r.table("QUEUE", "FOR", "DEFAULT", "DRIVER", "URI", "BY")
	for _, i := range e.Report.Installed {
		def, by := "", "somebody else"
		if i.Default {
			def = "default"
		}
		if i.Own {
			by = "agent"
		}
		t.add(i.Queue, first(i.User, "everybody"), def, first(i.Exact, i.Driver), i.URI, by)
	}
	if len(t.rows) > 0 {
		t.write(w)
	} else {
		fmt.Fprintln(w, "No queue is installed.")
	}
	for i, l := range e.Report.Logins {
		if i == 0 {
			fmt.Fprintln(w)
		}
		switch l.How {
		case "waiting":
			fmt.Fprintf(w, "Signed in as %s: has not said yet who they are.\n", l.System)
		case "asked":
			fmt.Fprintf(w, "Signed in as %s: is %s, as they said.\n", l.System, l.User)
		default:
			fmt.Fprintf(w, "Signed in as %s.\n", l.System)
		}
	}
	for _, says := range e.Says {
		fmt.Fprintf(w, "\nIts people: %s.\n", says)
	}
	if len(e.Away) > 0 {
		fmt.Fprintf(w, "\nOn a network that the estate does not know it would lose %s, as soon as its agent sees the other "+
			"address, and have it again on its return.\n", strings.Join(e.Away, ", "))
	}
	if len(e.Report.Failures)+len(e.Drift) == 0 {
		fmt.Fprintln(w, "\nIt has what it should.")
		return
	}
	if e.Report.Waits {
		fmt.Fprintln(w, "\nNothing is changed there before somebody agrees to it on the machine: cirque-agent plan --agree")
	}
	fmt.Fprintln(w, "\nWhat is wrong:")
	for _, f := range e.Report.Failures {
		fmt.Fprintf(w, "  %s of %s for %s failed since %s: %s\n", f.Step, f.Queue, first(f.User, "everybody"),
			r.zone().At(f.Since), f.Says)
	}
	for _, d := range e.Drift {
		fmt.Fprintf(w, "  %s\n", difference(d))
	}
}
