package cli

import (
	"cmp"
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/server"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const keptPath = "/api/v1/kept-servers"

// keptCommand shows the servers that are kept, or one.
func keptCommand(r *root) *cobra.Command {
	var all bool
	c := &cobra.Command{Use: "kept [SERVER]", Short: "The print servers that Cirque makes and holds, or one of them, " +
		"queue by queue", Args: cmdline.Args(0, 1),
		Long: `Show how the print servers stand that Cirque keeps (kept: true in the estate): whether each has the
queues that the estate gives it, what is otherwise, and what failed in the spooler's own words.
Machines whose agents are ready to keep a server that the estate does not have are listed, too.`,
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if len(a) == 0 {
				list, err := apiclient.List[server.Summary](c.Context(), client, keptPath, nil)
				if err != nil {
					return err
				}
				return r.print(c, list, func(w io.Writer) { writeKept(&r.screen, w, list) })
			}
			v, err := apiclient.Get[server.Sheet](c.Context(), client, apiclient.Path(keptPath, a[0]), nil)
			if err != nil {
				return err
			}
			return r.print(c, v, func(w io.Writer) { writeKeptServer(&r.screen, w, v, all) })
		}}
	c.Flags().BoolVar(&all, "all", false, "also the queues that are as wanted")
	return c
}

func writeKept(r *screen, w io.Writer, list []server.Summary) {
	if len(list) == 0 {
		fmt.Fprintln(w, "No print server is kept. To have one kept: cirque draft set server NAME kept=yes, or for a new one "+
			"cirque draft add server NAME kept=yes uri=ipp://HOST:631/; then publish, and cirque enrol token --server NAME.")
		return
	}
	t := r.table("SERVER", "MACHINE", "STATE", "QUEUES", "OTHERS'", "LAST REPORT", "DETAIL")
	for _, v := range list {
		last := "never"
		if v.LastSeen != nil {
			last = ago(*v.LastSeen, time.Now())
		}
		queues := fmt.Sprintf("%d of %d", v.Right, v.Wanted)
		if v.Server == "" {
			queues = ""
		}
		t.add(cmp.Or(v.Server, "(none)"), v.Machine, string(v.State), queues, fmt.Sprint(v.Others), last, v.Says)
	}
	t.write(w)
	for _, v := range list {
		if v.Server == "" {
			sayHowToKeep(w, v.Machine)
		}
	}
}

// sayHowToKeep says what makes a machine whose agent is ready a kept server.
func sayHowToKeep(w io.Writer, machine string) {
	fmt.Fprintf(w, "To have %s kept: cirque draft add server %s kept=yes uri=ipp://HOST:631/, and publish. What "+
		"is there: cirque server kept %s\n", machine, machine, machine)
}

// writeKeptServer shows one, first what is not as wanted.
func writeKeptServer(r *screen, w io.Writer, v server.Sheet, all bool) {
	last := "never heard of"
	if v.LastSeen != nil {
		last = fmt.Sprintf("%s, last heard of %s", cmp.Or(v.Version, "an unknown version"), ago(*v.LastSeen, time.Now()))
	}
	if v.Server == "" {
		fmt.Fprintf(w, "The agent on %s (%s) is ready to keep a print server.\n%s: %s.\n", v.Machine, last, v.State, v.Says)
	} else {
		fmt.Fprintf(w, "%s is kept by the agent on %s (%s), for %s.\n%s: %s.\n", v.Server, v.Machine, last, v.Platform,
			v.State, v.Says)
	}
	t := r.table("QUEUE", "OF", "STATE", "DRIVER", "WHO MAY PRINT", "JOBS", "DETAIL")
	hidden, others := 0, 0
	for _, q := range v.Rows {
		if q.State == server.RowAsWanted && !all {
			hidden++
			continue
		}
		if q.State == server.RowOther {
			others++
		}
		detail := q.Says
		if detail == "" && q.Closed != "" {
			detail = q.Closed
		}
		t.add(q.Name, q.Queue, string(q.State), q.Driver, q.People, fmt.Sprint(q.Waiting), detail)
	}
	if len(v.Rows) > hidden {
		t.write(w)
	}
	for _, p := range v.General {
		fmt.Fprintf(w, "  %s; %s\n", p.Says, p.Fix)
	}
	for _, q := range v.Rows {
		for _, p := range q.Points {
			fmt.Fprintf(w, "  %s: %s; %s\n", q.Name, p.Says, p.Fix)
		}
	}
	for _, p := range v.Passed {
		fmt.Fprintf(w, "  %s: %s.\n", p.Name, p)
	}
	if hidden > 0 {
		fmt.Fprintf(w, "As wanted, and not shown: %s; --all shows them.\n", words.Count(hidden, "queue"))
	}
	switch {
	case v.Server == "":
		fmt.Fprintf(w, "What is there is left as it is until you take it over.\n")
		sayHowToKeep(w, v.Machine)
	case others > 0:
		fmt.Fprintf(w, "Somebody else made %s there, which is left. To take them into the estate: cirque adopt --server %s "+
			"--dry-run\n", words.Count(others, "queue"), v.Server)
	}
	for _, q := range v.Rows {
		if q.State == server.RowInTheWay {
			fmt.Fprintf(w, "To make what is in the way Cirque's own: cirque server take %s\n", v.Server)
			break
		}
	}
}

// whyOnServer says why a queue is on a server.
func whyOnServer(r *root) *cobra.Command {
	return ask(r, "why SERVER QUEUE", "Why a queue is, or is not, to be on a kept server, and how", cmdline.Args(2, 2),
		func(c *cobra.Command, client *apiclient.Client, a []string) (server.Why, error) {
			return apiclient.Get[server.Why](c.Context(), client, apiclient.Path(keptPath, a[0])+"/why",
				url.Values{"queue": {a[1]}})
		}, func(w io.Writer, v server.Why) {
			says := "is not to be on"
			if v.Wanted {
				says = "is to be on"
			}
			fmt.Fprintf(w, "%s %s %s:\n", v.Queue, says, v.Server)
			for _, s := range v.Says {
				fmt.Fprintf(w, "  %s\n", s)
			}
		})
}

// takeCommand makes queues that somebody else made Cirque's own.
func takeCommand(r *root) *cobra.Command {
	var cancel bool
	c := &cobra.Command{Use: "take SERVER [QUEUE...]", Short: "Make queues that somebody else made on a kept server " +
		"Cirque's own", Args: cmdline.Args(1, 1000),
		Long: `Make queues that somebody else made on a kept server Cirque's own, by their names there: they become
as the estate wants them, and jobs that wait in them stay. Without a name, all that are in the way of
a queue of the estate. What the estate does not want there is not taken over: adopt it first.`,
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			at := apiclient.Path(keptPath, a[0]) + "/takes"
			if cancel {
				if len(a) == 1 {
					return usagef("name the queues that are to be left after all")
				}
				for _, q := range a[1:] {
					if err := client.Do(c.Context(), "DELETE", apiclient.Path(at, q), nil, nil, nil); err != nil {
						return err
					}
				}
				return r.say(c, a[1:], "Left to whoever made them: %s.", strings.Join(a[1:], ", "))
			}
			v, err := apiclient.Post[api.TakenQueues](c.Context(), client, at, api.TakeQueues{Queues: a[1:]})
			if err != nil {
				return err
			}
			return r.print(c, v, func(w io.Writer) {
				fmt.Fprintf(w, "To become Cirque's own on %s, as soon as its agent hears of it: %s. How it goes: cirque server "+
					"kept %s\n", a[0], strings.Join(v.Queues, ", "), a[0])
			})
		}}
	c.Flags().BoolVar(&cancel, "cancel", false, "leave them after all, where that has not been done yet")
	return c
}

// forgetKeeper forgets what an agent said.
func forgetKeeper(r *root) *cobra.Command {
	return done(r, "forget-keeper MACHINE", "Forget a machine whose agent was ready to keep a server", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/keepers", a[0]), nil, nil, nil)
		}, func(a []string) string {
			return a[0] + " is forgotten. An agent that runs there with --serve is listed again when it reports."
		})
}
