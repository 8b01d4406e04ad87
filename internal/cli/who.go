package cli

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/lineup"
	"cirque/core/page"
	"cirque/core/rehearse"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func whoCommand(r *root) *cobra.Command {
	var since, until cmdline.Moment
	var on string
	var bare bool
	c := &cobra.Command{Use: "who QUEUE", Short: "Who has a queue, now or on a day of the past; or who has none",
		Args: cmdline.Args(0, 1),
		Long: `Everybody whose lineup has a queue, in the contexts in which they were last seen: now, at a moment
of the past (--since), or at any time of a stretch of it (--since and --until, or --on DAY). The past
is answered with the estate, the directory, the live state and the picks of that time. Who is not
listed did not have it. With --bare: who has no queue at all just now.`,
		RunE: func(c *cobra.Command, a []string) error {
			if bare != (len(a) == 0) {
				return usagef("name a queue, or ask for those who have none with --bare")
			}
			if bare {
				return r.bare(c)
			}
			q := url.Values{}
			if on != "" {
				day, err := time.ParseInLocation(time.DateOnly, on, r.zone().Location)
				if err != nil {
					return usagef("--on %q is no day: write it as 2026-11-23", on)
				}
				end := day.AddDate(0, 0, 1)
				if now := r.clock(); end.After(now) {
					end = now
				}
				q.Set("from", day.Format(time.RFC3339))
				q.Set("until", end.Format(time.RFC3339))
			}
			r.setTime(q, "from", &since)
			r.setTime(q, "until", &until)
			client, err := r.client()
			if err != nil {
				return err
			}
			x, err := wholeRoll(c.Context(), client, a[0], q)
			if err != nil {
				return err
			}
			return r.print(c, x, func(w io.Writer) { r.writeRoll(w, x) })
		}}
	c.Flags().BoolVar(&bare, "bare", false, "who has no queue at all just now")
	c.Flags().Var(&since, "since", "at this moment of the past, or from it on with --until")
	formerFlag(c, "from", "since")
	c.Flags().Var(&until, "until", "together with --since: before this moment")
	c.Flags().StringVar(&on, "on", "", "at any time of this `DAY`, such as 2026-11-23")
	return c
}

func (r *root) bare(c *cobra.Command) error {
	client, err := r.client()
	if err != nil {
		return err
	}
	list, err := apiclient.List[rehearse.Subject](c.Context(), client, "/api/v1/bare", nil)
	if err != nil {
		return err
	}
	return r.print(c, list, func(w io.Writer) {
		if len(list) == 0 {
			fmt.Fprintln(w, "Everybody has a queue, and so has every machine.")
		}
		for _, g := range []struct {
			kind, one, many string
			seen            bool
		}{
			{"user", "person has no queue, where they were last seen", "people have no queue, where they were last seen", true},
			{"user", "person, of whom no endpoint has reported a session, has no queue; looked at without a place and a " +
				"platform",
				"people, of whom no endpoint has reported a session, have no queue; looked at without a place and a platform",
				false},
			{"machine", "machine has no queue, as it last reported with nobody signed in; nor has anybody there",
				"machines have no queue, as they last reported with nobody signed in; nor has anybody there", true},
			{"machine", "machine, from which no agent reports, has no queue with nobody signed in",
				"machines, from which no agents report, have no queue with nobody signed in", false},
		} {
			var names []string
			for _, v := range list {
				if v.Kind == g.kind && v.Seen == g.seen {
					names = append(names, v.Name)
				}
			}
			if len(names) > 0 {
				fmt.Fprintf(w, "%s:\n  %s\n", words.Count(len(names), g.one, g.many), strings.Join(names, "\n  "))
			}
		}
	})
}

// wholeRoll reads who has a queue, page by page.
func wholeRoll(ctx context.Context, client *apiclient.Client, queue string, q url.Values) (rehearse.RollSheet, error) {
	q.Set("limit", strconv.Itoa(page.Most))
	all := rehearse.RollSheet{Holders: []rehearse.Holder{}}
	for {
		x, err := apiclient.Get[rehearse.RollSheet](ctx, client, apiclient.Path("/api/v1/queues", queue)+"/holders", q)
		if err != nil {
			return all, err
		}
		x.Holders = append(all.Holders, x.Holders...)
		if all = x; all.Next == "" {
			return all, nil
		}
		q.Set("after", all.Next)
	}
}

func (r *screen) writeRoll(w io.Writer, x rehearse.RollSheet) {
	span := r.zone().Minute(x.From)
	if x.Until.After(x.From) {
		span += " to " + r.zone().Minute(x.Until)
	}
	var revs []string
	for _, n := range x.Revisions {
		revs = append(revs, fmt.Sprint(n))
	}
	fmt.Fprintf(w, "%s: had by %d of %s and %d of %s; %s, revision %s.\n", x.Queue, x.Have.People,
		words.Count(x.Looked.People,
			"person"), x.Have.Machines, words.Count(x.Looked.Machines, "machine"), span, strings.Join(revs, ", "))
	fmt.Fprintf(w, "By its access rules %s and %s may print to it.\n\n", words.Count(x.Permitted.People, "person"),
		words.Count(x.Permitted.Machines, "machine"))
	t := r.table("WHO", "", "EFFECT", "WHEN", "BY")
	for _, h := range x.Holders {
		often := "always"
		if !h.Always {
			often = "at some times or places"
		}
		t.add(h.Name, h.Kind, h.Effect, often, strings.Join(h.Grants, ", "))
	}
	t.write(w)
}

func reachCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "reach GRANT", Short: "How many people and machines a grant reaches",
		Args: cmdline.Args(1, 1)}
	when := r.whenFlags(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		x, err := apiclient.Get[lineup.Reach](c.Context(), client, apiclient.Path("/api/v1/grants", a[0])+"/reach", when())
		if err != nil {
			return err
		}
		return r.print(c, x, func(w io.Writer) { writeReach(w, x) })
	}
	return c
}

func writeReach(w io.Writer, x lineup.Reach) {
	people := fmt.Sprintf("%d of %s", x.People, words.Count(x.OfPeople, "person"))
	if x.Everyone {
		people = "everybody, also those whom the directory does not know"
	}
	machines := fmt.Sprintf("%d of %s", x.Machines, words.Count(x.OfMachines, "machine"))
	if x.AnyMachine {
		machines = "any machine"
	}
	fmt.Fprintf(w, "%s reaches %s, on %s.\n", x.Grant, people, machines)
	if x.MachineWide {
		fmt.Fprintln(w, "It also holds with nobody signed in.")
	}
	fmt.Fprintf(w, "It matches now in %d of %s in which somebody was last seen.\n", x.Seen,
		words.Count(x.OfSeen, "context"))
	fmt.Fprintf(w, "Queues: %s.\n", first(strings.Join(x.Queues, ", "), "none"))
	if len(x.Names) > 0 {
		fmt.Fprintf(w, "Among them: %s.\n", strings.Join(x.Names, ", "))
	}
	for _, n := range x.Unknown {
		fmt.Fprintf(w, "Nobody knows %s.\n", n)
	}
	if len(x.Left) > 0 && !x.Everyone {
		fmt.Fprintf(w, "Not among them: %s.\n", strings.Join(x.Left, ", "))
	}
}
