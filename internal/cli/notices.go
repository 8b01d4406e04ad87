package cli

import (
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/estate"
	"cirque/core/notice"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func faultsCommand(r *root) *cobra.Command {
	var about string
	c := ask(r, "faults", "What is wrong just now, the longest first", cmdline.Args(0, 0), func(c *cobra.Command,
		client *apiclient.Client, _ []string) ([]notice.Fault, error) {
		list, err := apiclient.List[notice.Fault](c.Context(), client, "/api/v1/faults", nil)
		if about != "" && !slices.Contains(estate.Abouts(), about) {
			return nil, usagef("--about takes %s", strings.Join(estate.Abouts(), ", "))
		}
		return slices.DeleteFunc(list, func(f notice.Fault) bool { return about != "" && f.About != about }), err
	}, func(w io.Writer, list []notice.Fault) {
		if len(list) == 0 {
			fmt.Fprintln(w, "Nothing that is watched is wrong.")
			return
		}
		t := r.table("SINCE", "ABOUT", "LOCATION", "WHAT IS WRONG", "TO MEND IT")
		for _, f := range list {
			t.add(ago(f.Since, time.Now()), f.About, f.Location, f.Says, f.Fix)
		}
		t.write(w)
		fmt.Fprintf(w, "%s. Who is told: cirque notice list\n", words.Count(len(list), "fault"))
	})
	c.Flags().StringVar(&about, "about", "", "only of these: "+strings.Join(estate.Abouts(), ", "))
	return c
}

func noticeCommand(r *root) *cobra.Command {
	list := ask(r, "list", "Who is told of which faults, and how it went the last time", cmdline.Args(0, 0),
		items[notice.View](fixed("/api/v1/notices")), func(w io.Writer, list []notice.View) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nobody is told of faults. Write notices into the estate, such as: "+
					`notices: [{name: harbour, at: ["location:ardholm"], tell: ["mail:desk@skerry.example"]}]`)
				return
			}
			t := r.table("NOTICE", "ABOUT", "AT", "AFTER", "TELLS", "WRONG NOW", "TOLD", "LAST")
			for _, n := range list {
				about, at, tells := strings.Join(n.About, ", "), strings.Join(n.At, ", "), strings.Join(n.Tell, ", ")
				if about == "" {
					about = "everything"
				}
				if n.Part > 0 {
					about += fmt.Sprintf(", endpoints together from %s", n.Part)
				}
				if at == "" {
					at = "everywhere"
				}
				if n.Owners {
					tells = strings.TrimPrefix(tells+", owners of waiting jobs", ", ")
				}
				last := "nothing sent yet"
				if n.Last != nil {
					last = fmt.Sprintf("%s, %s", map[bool]string{true: "arrived", false: "FAILED: " + n.Last.Says}[n.Last.OK],
						ago(n.Last.At, time.Now()))
				}
				t.add(n.Name, about, at, words.Span(n.After.Or(estate.NoticeAfter)), tells, fmt.Sprint(len(n.Faults)),
					fmt.Sprint(len(n.Told)), last)
			}
			t.write(w)
		})
	sentTable := func(w io.Writer, list []notice.Sent) {
		t := r.table("AT", "NOTICE", "TO", "ARRIVED", "DETAIL", "SUBJECT")
		for _, x := range list {
			t.add(ago(x.At, time.Now()), x.Notice, x.To, map[bool]string{true: "yes", false: "NO"}[x.OK], x.Says, x.Subject)
		}
		t.write(w)
	}
	var of string
	sent := ask(r, "sent", "What was sent to whom, newest first, and how that went", cmdline.Args(0, 0),
		func(c *cobra.Command,
			client *apiclient.Client, _ []string) ([]notice.Sent, error) {
			latest, err := apiclient.Page[notice.Sent](c.Context(), client, "/api/v1/notices/sent", url.Values{"notice": {of}})
			return latest.Items, err
		}, func(w io.Writer, list []notice.Sent) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nothing was sent yet. To try a notice: cirque notice try NAME")
				return
			}
			sentTable(w, list)
		})
	keys := ask(r, "keys", "The keys with which posted notices are signed, for whoever takes them in", cmdline.Args(0, 0),
		items[api.NoticeKey](fixed("/api/v1/notices/keys")), func(w io.Writer, list []api.NoticeKey) {
			t := r.table("ID", "ALGORITHM", "KEY").main(2)
			for _, k := range list {
				t.add(k.ID, k.Algorithm, k.Key)
			}
			t.write(w)
		})
	sent.Flags().StringVar(&of, "notice", "", "only of this one")
	try := &cobra.Command{Use: "try NAME", Short: "Send a trial along each way of a notice",
		Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			list, err := apiclient.Post[[]notice.Sent](c.Context(), client, apiclient.Path("/api/v1/notices", a[0])+"/try", nil)
			if err != nil {
				return err
			}
			if err := r.print(c, list, func(w io.Writer) {
				if len(list) == 0 {
					fmt.Fprintln(w, "It tells owners of waiting jobs alone; there is nobody to try it with.")
					return
				}
				sentTable(w, list)
			}); err != nil {
				return err
			}
			if slices.ContainsFunc(list, func(x notice.Sent) bool { return !x.OK }) {
				return cmdline.ErrNo
			}
			return nil
		}}
	return cmdline.Group("notice", "Who is told of which faults", append([]*cobra.Command{list, sent, try, keys},
		objectsOf{r: r, list: "notices"}.edits()...)...)
}

func serverJobsCommand(r *root) *cobra.Command {
	c := ask(r, "jobs SERVER", "What waits on a server, whose it is, and what becomes of it", cmdline.Args(1, 1),
		get[stock.Waiting](named("/api/v1/stock/servers", "/jobs")), func(w io.Writer, v stock.Waiting) {
			fmt.Fprintf(w, "%s: %s.\n", v.Server, v.Says)
			if len(v.Jobs) == 0 {
				return
			}
			t := r.table("QUEUE", "JOB", "NAME", "OWNER", "FROM", "STATE", "SINCE", "WHAT BECOMES OF IT")
			for _, j := range v.Jobs {
				owner, since := j.Owner, ""
				if j.Person == "" {
					owner += " (nobody here)"
				}
				if j.At != nil {
					since = ago(*j.At, time.Now())
				}
				t.add(j.Queue, fmt.Sprint(j.ID), j.Name, owner, j.From, j.State, since, j.Becomes)
			}
			t.write(w)
			if more := v.Total - len(v.Jobs); more > 0 {
				fmt.Fprintf(w, "and %d more, which the server counts and does not list.\n", more)
			}
		})
	return c
}
