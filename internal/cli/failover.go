package cli

import (
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/snapshot"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func failoverTestCommand(r *root) *cobra.Command {
	list := ask(r, "list", "The latest failover tests, newest first", cmdline.Args(0, 0),
		items[continuity.FailoverTest](fixed("/api/v1/failover-tests")), func(w io.Writer, list []continuity.FailoverTest) {
			if len(list) == 0 {
				fmt.Fprintln(w, "There has been no failover test: cirque failover-test start SERVER --until 10m --reason WHY")
				return
			}
			t := r.table("", "SERVER", "BEGUN", "BY", "REASON", "STATUS", "DETAIL")
			for _, e := range list {
				says := ""
				if len(e.Says) > 0 {
					says = e.Says[0]
				}
				t.add(fmt.Sprint(e.ID), e.Server, ago(e.Begun, time.Now()), e.Author, e.Reason, r.failoverTestStands(e), says)
			}
			t.write(w)
		})
	byNumber := func(suffix string) func(a []string) (string, error) {
		return func(a []string) (string, error) {
			n, err := strconv.ParseInt(a[0], 10, 64)
			if err != nil || n < 1 {
				return "", usagef("%q is no failover test's number; see cirque failover-test list", a[0])
			}
			return fmt.Sprintf("/api/v1/failover-tests/%d%s", n, suffix), nil
		}
	}
	show := ask(r, "show NUMBER", "One failover test, with its report once it is over", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (continuity.FailoverTest, error) {
			path, err := byNumber("")(a)
			if err != nil {
				return continuity.FailoverTest{}, err
			}
			return apiclient.Get[continuity.FailoverTest](c.Context(), client, path, nil)
		}, r.writeFailoverTest)
	stop := ask(r, "stop NUMBER", "End one before its time: the server returns at once", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (continuity.FailoverTest, error) {
			path, err := byNumber("/stop")(a)
			if err != nil {
				return continuity.FailoverTest{}, err
			}
			return apiclient.Post[continuity.FailoverTest](c.Context(), client, path, nil)
		}, func(w io.Writer, e continuity.FailoverTest) {
			fmt.Fprintf(w, "%s returns at once. The report: cirque failover-test show %d\n", e.Server, e.ID)
		})
	return cmdline.Group("failover-test", "Take a server out of duty for a while, to see what would happen if it died",
		failoverTestStartCommand(r), list, show, stop)
}

func failoverTestStartCommand(r *root) *cobra.Command {
	var reason string
	until := cmdline.Moment{Ahead: true}
	_ = until.Set("10m")
	var watch bool
	c := &cobra.Command{Use: "start SERVER", Short: "Begin a failover test; it ends by itself, with a report",
		Args: cmdline.Args(1, 1),
		Long: `Take a server out of duty for a while, as if it had died: everybody whom another serves is led
there, and at the end it returns by itself. What was seen becomes a report: who moved and how fast,
who could not and why, what failed by it, and whether everybody came back. Whom it would concern is
rehearsed first. A queue that nothing else serves is kept on the server, and prints once it is back.
How long people take to come back is a setting of the estate (settings.continuity.return_over).`,
		Example: "  cirque failover-test start ps-ardholm-1 --until 10m --reason \"spring test\" --follow",
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			minutes := int(math.Ceil(until.At(r.clock()).Sub(r.clock()).Minutes()))
			if minutes < 1 {
				return usagef("--until %s has passed", until.String())
			}
			e, err := apiclient.Post[continuity.FailoverTest](c.Context(), client, apiclient.Path("/api/v1/servers", a[0])+
				"/failover-tests", api.NewFailoverTest{Reason: reason, Minutes: minutes})
			if err != nil {
				return err
			}
			if !watch {
				return r.print(c, e, func(w io.Writer) {
					fmt.Fprintf(w, "The failover test %d with %s runs until %s. How it stands: cirque failover-test show %d\n",
						e.ID, e.Server,
						r.zone().Clock(e.Until), e.ID)
				})
			}
			return r.followFailoverTest(c, client, e)
		}}
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	c.Flags().Var(&until, "until", "the server is out of duty until then, or for so long")
	formerFlag(c, "for", "until")
	c.Flags().BoolVar(&watch, "follow", false, "say how it goes, until its report")
	return c
}

func (r *root) followFailoverTest(c *cobra.Command, client *apiclient.Client, e continuity.FailoverTest) error {
	said := 0
	back := "and takes its people back at once"
	if n := e.Expected.Returns; n > 0 {
		back = "then takes its people back over " + words.Span(time.Duration(n)*time.Minute)
	}
	r.tell(c, "%s is out of duty until %s, %s.", e.Server, r.zone().Clock(e.Until), back)
	for {
		for ; said < len(e.Steps); said++ {
			r.tell(c, "%s", r.stepSays(e, e.Steps[said]))
		}
		if e.Ended != nil {
			return r.print(c, e, func(w io.Writer) { r.writeFailoverTest(w, e) })
		}
		select {
		case <-c.Context().Done():
			return c.Context().Err()
		case <-time.After(time.Second):
		}
		var err error
		if e, err = apiclient.Get[continuity.FailoverTest](c.Context(), client, fmt.Sprintf("/api/v1/failover-tests/%d",
			e.ID),
			nil); err != nil {
			return err
		}
	}
}

func (r *screen) stepSays(e continuity.FailoverTest, s continuity.FailoverStep) string {
	return fmt.Sprintf("%s  %-9s  %d of %d endpoints lead to %s, %d failing", r.zone().Clock(s.At), s.Phase,
		s.Leading, e.Expected.Endpoints, e.Server, s.Failing)
}

func (r *screen) failoverTestStands(e continuity.FailoverTest) string {
	switch {
	case e.Good == nil && e.Ended == nil:
		return e.Phase + ", until " + r.zone().Clock(e.Until)
	case e.Good != nil && *e.Good:
		return "over: as it should"
	case e.Good != nil:
		return "over: something to mend"
	}
	return "did not begin"
}

func (r *screen) writeFailoverTest(w io.Writer, e continuity.FailoverTest) {
	fmt.Fprintf(w, "Failover test %d with %s, by %s: %s. It is %s.\n", e.ID, e.Server, e.Author, e.Reason,
		r.failoverTestStands(e))
	if e.Ended == nil {
		for _, s := range e.Steps {
			fmt.Fprintln(w, "  "+r.stepSays(e, s))
		}
		for _, k := range e.Stuck {
			fmt.Fprintf(w, "  %s, %s: %s\n", k.Machine, k.State, k.Says)
		}
		return
	}
	for _, s := range e.Says {
		fmt.Fprintf(w, "  %s.\n", s)
	}
}

func outageCommand(r *root) *cobra.Command {
	c := ask(r, "outage SERVER", "The checklist of a server's planned outage: what is done, and what is to do next",
		cmdline.Args(1, 1), items[endpoint.Check](named("/api/v1/servers", "/outage")), writeSteps)
	c.Long = `The checklist of a planned outage: whether everything is served elsewhere, how it stood before is
kept, it is out of duty, everybody has moved off it, nothing waits on it, and afterwards whether it
answers, is as it was, is back on duty, and everybody with it.`
	return c
}

func snapshotCommand(r *root) *cobra.Command {
	var note, with, word string
	take := ask(r, "take NAME", "Keep how servers, devices and endpoints stand now", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (snapshot.Snapshot, error) {
			return apiclient.Post[snapshot.Snapshot](c.Context(), client, "/api/v1/snapshots",
				api.NewSnapshot{Name: a[0],
					Note: note})
		}, func(w io.Writer, p snapshot.Snapshot) {
			fmt.Fprintf(w, "%s: %s as they stand now. Later: cirque snapshot compare %s\n", p.Name, words.Count(p.Count,
				"object"), p.Name)
		})
	take.Flags().StringVar(&note, "note", "", "in a few words")
	list := ask(r, "list", "Snapshots, newest first", cmdline.Args(0, 0),
		items[snapshot.Snapshot](fixed("/api/v1/snapshots")), func(w io.Writer, list []snapshot.Snapshot) {
			if len(list) == 0 {
				fmt.Fprintln(w, "None was taken: cirque snapshot take before-the-update")
				return
			}
			t := r.table("SNAPSHOT", "TAKEN", "BY", "OBJECTS", "NOTE")
			for _, p := range list {
				t.add(p.Name, ago(p.At, time.Now()), p.Author, fmt.Sprint(p.Count), p.Note)
			}
			t.write(w)
		})
	compare := ask(r, "compare NAME", "What differs from a snapshot", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) (snapshot.Compared, error) {
		return apiclient.Get[snapshot.Compared](c.Context(), client, apiclient.Path("/api/v1/snapshots", a[0])+"/compare",
			url.Values{"with": {with}, "word": {word}})
	}, func(w io.Writer, v snapshot.Compared) {
		then := "now"
		if v.After != nil {
			then = "in " + v.After.Name
		}
		if v.Total == 0 {
			fmt.Fprintf(w, "Nothing differs %s from %s, taken %s.\n", then, v.Before.Name, ago(v.Before.At, time.Now()))
			return
		}
		t := r.table("WHAT", "NAME", "", "BEFORE", "AFTER").main(1)
		for _, d := range v.List {
			what := map[string]string{"new": "is new", "gone": "is gone"}[d.What]
			if what == "" {
				what = d.Fact
			}
			t.add(d.Kind, d.Name, what, d.Before, d.After)
		}
		t.write(w)
		fmt.Fprintf(w, "%s between %s, %s, and %s.\n", words.Count(v.Total, "difference"), v.Before.Name, ago(v.Before.At,
			time.Now()), then)
	})
	compare.Flags().StringVar(&with, "with", "", "another snapshot, instead of now")
	compare.Flags().StringVar(&word, "find", "", "only what has this `WORD` in its kind or name")
	formerFlag(compare, "only", "find")
	remove := done(r, "remove NAME", "Forget a snapshot", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) error {
		return client.Do(c.Context(), http.MethodDelete, apiclient.Path("/api/v1/snapshots", a[0]), nil, nil, nil)
	}, func(a []string) string { return a[0] + " is forgotten." })
	return cmdline.Group("snapshot", "How everything stood at a moment, and what differs since", take, list,
		compare, remove)
}
