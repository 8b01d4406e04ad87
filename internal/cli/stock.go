package cli

import (
	"fmt"
	"io"
	"maps"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/decommission"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// stands says how the last try went, and how old that is.
func stands(c *stock.Check) string {
	if c == nil {
		return "not read yet"
	}
	if c.OK {
		return "answers, read " + ago(c.At, time.Now())
	}
	return c.Says + ", since " + strings.TrimSuffix(ago(c.Since, time.Now()), " ago")
}

func serverCommand(r *root) *cobra.Command {
	const base = "/api/v1/stock/servers"
	list := ask(r, "list", "All print servers with how they stand", cmdline.Args(0, 0),
		items[stock.ServerView](fixed(base)),
		func(w io.Writer, list []stock.ServerView) {
			t := r.table("SERVER", "ADDRESS", "STATUS", "QUEUES", "NOT READY", "JOBS", "DUTY", "DIFFERS")
			for _, s := range list {
				differs := ""
				if s.Differences > 0 {
					differs = words.Count(s.Differences, "difference")
				}
				t.add(s.Name, s.URI, stands(s.Check), fmt.Sprint(s.Count.Queues), fmt.Sprint(s.Count.NotReady),
					fmt.Sprint(s.Count.Jobs), s.Duty, differs)
			}
			t.write(w)
			fmt.Fprintf(w, "%s.\n", words.Count(len(list), "server"))
		})
	show := ask(r, "show SERVER", "One print server: its queues, and how it differs from the estate", cmdline.Args(1, 1),
		get[stock.ServerSheet](named(base, "")), r.writeServer)
	read := ask(r, "read SERVER", "Read a print server now", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (stock.ServerSheet, error) {
		return apiclient.Post[stock.ServerSheet](c.Context(), client, apiclient.Path(base, a[0])+"/read", nil)
	}, r.writeServer)
	compare := ask(r, "compare SERVER SERVER", "Two servers' queues side by side, deeper than by name", cmdline.Args(2, 2),
		func(c *cobra.Command, client *apiclient.Client, a []string) ([]stock.Pair, error) {
			return apiclient.List[stock.Pair](c.Context(), client, apiclient.Path(base, a[0])+"/compare",
				url.Values{"with": {a[1]}})
		}, func(w io.Writer, list []stock.Pair) {
			t := r.table("QUEUE", "ON", "DIFFERS")
			same := 0
			for _, p := range list {
				if p.Same {
					same++
				}
				says := strings.Join(p.Says, "; ")
				if p.On != "both" {
					says = "missing on the other"
				}
				t.add(p.Queue, p.On, says)
			}
			t.write(w)
			fmt.Fprintf(w, "%d of %s are the same on both.\n", same, words.Count(len(list), "queue"))
		})
	remove := unregisterCommand(r, "server", "Forget a server that was registered by hand; its queues are not touched",
		base)
	return cmdline.Group("server", "Print servers: register, read, compare, leave", list, show, addServerCommand(r), read,
		lineCommand(r, stock.KindServer), serverQueuesCommand(r), compare, setsCommand(r), keptCommand(r),
		whyOnServer(r), takeCommand(r), forgetKeeper(r), serverEndCommand(r),
		dependsCommand(r), serverJobsCommand(r), serverJobCommand(r), outageCommand(r),
		testStockCommand(r, "server", "test SERVER QUEUE", 2), remove, insideCommand(r), matrixCommand(r))
}

// unregisterCommand makes the command that forgets one. What the estate names is still watched, which it says.
func unregisterCommand(r *root, kind, short, base string) *cobra.Command {
	return &cobra.Command{Use: "remove " + strings.ToUpper(kind), Short: short, Args: cmdline.Args(1, 1),
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			path := apiclient.Path(base, a[0])
			if err := client.Do(c.Context(), "DELETE", path, nil, nil, nil); err != nil {
				return err
			}
			says := fmt.Sprintf("The %s %s is no longer watched. Nothing on it was touched.", kind, a[0])
			if _, err := apiclient.Get[stock.Watch](c.Context(), client, path, nil); err == nil {
				says = fmt.Sprintf("What was registered of the %s %s is forgotten. The estate names it, so it is still read; to "+
					"take it out: cirque draft remove %ss/%s", kind, a[0], kind, a[0])
			}
			return r.say(c, a, "%s", says)
		}}
}

func watchFlags(c *cobra.Command, in *api.NewWatch) {
	f := c.Flags()
	f.StringVar(&in.Name, "name", "", "its name here; made of the address when absent")
	f.StringVar(&in.Title, "title", "", "what people call it")
	f.StringVar(&in.Location, "location", "", "where it stands")
	f.StringVar(&in.Credential, "credential", "", "the stored key to use")
	f.StringVar(&in.Note, "note", "", "a note that stays with it")
	f.BoolVar(&in.Anyway, "anyway", false, "register it even if it does not answer")
}

func addServerCommand(r *root) *cobra.Command {
	var in api.NewWatch
	c := ask(r, "add ADDRESS", "Register a print server by host name, address or URI; it is read at once",
		cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.ServerView, error) {
			in.URI = a[0]
			return apiclient.Post[stock.ServerView](c.Context(), client, "/api/v1/stock/servers", in)
		}, func(w io.Writer, s stock.ServerView) {
			fmt.Fprintf(w, "%s is registered at %s: %s; %s, %d not ready, %s waiting.\n", s.Name, s.URI, stands(s.Check),
				words.Count(s.Count.Queues, "queue"), s.Count.NotReady, words.Count(s.Count.Jobs, "job"))
			if s.Count.Queues > 0 && !s.InEstate {
				fmt.Fprintf(w, "To take its queues into the estate: cirque adopt --server %s --dry-run\n", s.Name)
			}
		})
	watchFlags(c, &in)
	return c
}

func (r *screen) writeServer(w io.Writer, s stock.ServerSheet) {
	fmt.Fprintf(w, "%s at %s: %s.\n", s.Name, s.URI, stands(s.Check))
	if s.Started != nil {
		fmt.Fprintf(w, "Up since %s; seen to start anew %s.\n", r.zone().At(*s.Started), times(s.Restarts))
	}
	fmt.Fprintf(w, "%s, %d not ready, %s waiting, %s.\n\n", words.Count(s.Count.Queues, "queue"), s.Count.NotReady,
		words.Count(s.Count.Jobs, "job"), words.Count(s.Drivers, "different driver"))
	r.writeFoundQueues(w, s.Queues, false)
	if len(s.Differs) > 0 {
		fmt.Fprintln(w, "\nAgainst the estate:")
		writeDifferences(w, s.Differs)
	}
}

// alike is how many of one kind are written out; of the others only the number is told.
const alike = 20

func writeDifferences(w io.Writer, list []stock.Difference) {
	of := map[string]int{}
	for _, d := range list {
		if of[d.Kind]++; of[d.Kind] <= alike {
			fmt.Fprintf(w, "  %-8s %s; %s.\n", d.Severity, d.Says, d.Fix)
		}
	}
	for _, kind := range slices.Sorted(maps.Keys(of)) {
		if more := of[kind] - alike; more > 0 {
			fmt.Fprintf(w, "  and %d more of the kind %s; -o json has all.\n", more, kind)
		}
	}
}

// some joins names, the first of them where there are many.
func some(names []string) string {
	if len(names) <= alike {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more; -o json has all", strings.Join(names[:alike], ", "), len(names)-alike)
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

func (r *screen) writeFoundQueues(w io.Writer, list []stock.QueueView, server bool) {
	head := []string{"QUEUE", "STATE", "JOBS", "DRIVER", "DEVICE", "LOCATION", "QUEUE HERE"}
	if server {
		head = append([]string{"SERVER"}, head...)
	}
	t := r.table(head...).main(len(head) - 7) // the queue
	for _, q := range list {
		state := q.State
		if len(q.Reasons) > 0 {
			state += " (" + strings.Join(q.Reasons, ", ") + ")"
		}
		if !q.Accepting {
			state += ", takes no jobs"
		}
		leads := strings.Join(q.Leads, ", ")
		if leads == "" {
			leads = "nothing"
		}
		cells := []string{q.Name, state, fmt.Sprint(q.Jobs), q.Model, q.Device, q.Location, leads}
		if server {
			cells = append([]string{q.Server}, cells...)
		}
		t.add(cells...)
	}
	t.write(w)
}

func serverQueuesCommand(r *root) *cobra.Command {
	var server, word, state string
	c := ask(r, "queues [SERVER]", "The queues of all print servers, or of one", cmdline.Args(0, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) ([]stock.QueueView, error) {
			if len(a) == 1 {
				server = a[0]
			}
			if !slices.Contains([]string{"", "not-ready", "jobs", "unlisted"}, state) {
				return nil, usagef("%q is no state to choose: not-ready, jobs or unlisted", state)
			}
			list, err := apiclient.List[stock.QueueView](c.Context(), client, "/api/v1/stock/queues", nil)
			if err != nil {
				return nil, err
			}
			return slices.DeleteFunc(list, func(q stock.QueueView) bool {
				text := strings.ToLower(strings.Join([]string{q.Name, q.Title, q.Location, q.Model, q.Device, q.Server}, " "))
				return server != "" && q.Server != server || word != "" && !strings.Contains(text, strings.ToLower(word)) ||
					state == "not-ready" && q.Ready() || state == "jobs" && q.Jobs == 0 || state == "unlisted" && len(q.Leads) > 0
			}), nil
		}, func(w io.Writer, list []stock.QueueView) {
			r.writeFoundQueues(w, list, true)
			fmt.Fprintf(w, "%s.\n", words.Count(len(list), "queue"))
		})
	c.Flags().StringVar(&word, "find", "", "only with this in name, title, location, driver, device or server")
	c.Flags().StringVar(&state, "state", "", "only not-ready ones, those with jobs, or those that are unlisted: the "+
		"estate does not lead to them")
	return c
}

func dependsCommand(r *root) *cobra.Command {
	c := ask(r, "depends SERVER", "What still leads to a server, who would miss it, and who printed through it lately",
		cmdline.Args(1, 1), get[decommission.Leaving](named("/api/v1/stock/servers", "/depends")), func(w io.Writer,
			d decommission.Leaving) {
			fmt.Fprintln(w, d.Says)
			line := func(what string, list []string) {
				if len(list) > 0 {
					fmt.Fprintf(w, "  %-22s %s\n", what, some(list))
				}
			}
			line("server sets", d.Sets)
			line("queues", d.Queues)
			line("only reached this way", d.Only)
			line("grants", d.Grants)
			if len(d.Queues) > 0 {
				fmt.Fprintf(w, "Were it gone just now, %s would lose a queue or find it stranded.\n",
					words.Count(d.People, "person"))
			}
			fmt.Fprintf(w, "\nLate use: %s.\n", d.Told)
			if len(d.Lately) > 0 {
				t := r.table("QUEUE", "WHO", "FROM", "JOBS", "LAST")
				for _, u := range d.Lately {
					last := ""
					if u.Last != nil {
						last = ago(*u.Last, time.Now())
					}
					t.add(u.Queue, first(u.Owner, "not told"), u.From, fmt.Sprint(u.Jobs), last)
				}
				t.write(w)
			}
			if len(d.Queues) > 0 {
				fmt.Fprintf(w, "\nTo lead them straight to their devices: cirque queue move --from-server %s --to device "+
					"--dry-run\n", d.Server)
			}
		})
	return c
}

func orphansCommand(r *root) *cobra.Command {
	return ask(r, "orphans", "What leads nowhere, and what nothing leads to", cmdline.Args(0, 0),
		get[decommission.Orphans](fixed("/api/v1/stock/orphans")), func(w io.Writer, o decommission.Orphans) {
			none := true
			for _, x := range []struct {
				what string
				list []string
			}{{"Devices without a queue", o.Devices}, {"Queues that nobody gets", o.Queues},
				{"Servers through which no path leads", o.Servers}, {"Drivers that no queue names", o.Drivers},
				{"Addresses without a device", o.Addresses}, {"Found queues to which the estate does not lead", o.Found}} {
				if len(x.list) > 0 {
					none = false
					fmt.Fprintf(w, "%s (%d):\n  %s\n", x.what, len(x.list), strings.Join(x.list, "\n  "))
				}
			}
			if none {
				fmt.Fprintln(w, "Nothing is orphaned.")
			}
		})
}
