package cli

import (
	"fmt"
	"io"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/job"
	"cirque/core/page"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const jobsPath = "/api/v1/jobs"

// jobCommand are the commands for jobs at the gateway.
func jobCommand(r *root) *cobra.Command {
	show := ask(r, "show JOB", "One job: where it stands, what was asked and done, and what happened to it",
		cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (out api.ShownJob, err error) {
			path, err := jobPath(a[0])
			if err != nil {
				return out, err
			}
			return apiclient.Get[api.ShownJob](c.Context(), client, path, nil)
		}, func(w io.Writer, v api.ShownJob) { writeJob(r, w, v) })
	cancel := jobDo(r, "cancel JOB", "Cancel a job: one that is at a device ends once the device says so", "/cancel",
		func() any { return nil })
	hold := jobDo(r, "hold JOB", "Have a job wait that is at no device yet", "/hold", func() any { return nil })
	var to api.ReleaseJob
	release := jobDo(r, "release JOB", "Let a job go that waits", "/release", func() any { return to })
	release.Flags().StringVar(&to.Device, "at", "", "the device where its owner stands; need be said only where the job "+
		"may be had at several")
	var decided api.DecideJob
	again := false
	decide := jobDo(r, "decide JOB (--printed | --again)", "Say of a job of which it is not known whether it printed "+
		"that it has, or have it sent again", "/decide", func() any { return decided })
	decide.Flags().BoolVar(&decided.Printed, "printed", false, "it has printed")
	decide.Flags().BoolVar(&again, "again", false, "it is to be sent again")
	decide.MarkFlagsMutuallyExclusive("printed", "again")
	decide.MarkFlagsOneRequired("printed", "again")
	return cmdline.Group("job", "Jobs at the gateway: one's own, and for whoever looks after jobs all of them",
		jobListCommand(r), show, cancel, hold, release, decide)
}

func jobPath(number string) (string, error) {
	n, err := strconv.ParseInt(number, 10, 32)
	if err != nil || n < 1 {
		return "", usagef("%q is no number of a job: see cirque job list", number)
	}
	return jobsPath + "/" + number, nil
}

// jobDo is a command that does something with one job.
func jobDo(r *root, use, short, what string, body func() any) *cobra.Command {
	return ask(r, use, short, cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client,
		a []string) (out job.Job, err error) {
		path, err := jobPath(a[0])
		if err != nil {
			return out, err
		}
		return apiclient.Post[job.Job](c.Context(), client, path+what, body())
	}, func(w io.Writer, j job.Job) { fmt.Fprintf(w, "Job %d is %s: %s.\n", j.ID, j.State, j.Says) })
}

func jobListCommand(r *root) *cobra.Command {
	var queue, device, person, state string
	limit := 0
	c := ask(r, "list", "Jobs, the newest first", cmdline.Args(0, 0), func(c *cobra.Command, client *apiclient.Client,
		_ []string) (page.Page[job.Job], error) {
		q := url.Values{"limit": {strconv.Itoa(limit)}}
		for k, v := range map[string]string{"queue": queue, "device": device, "person": person, "state": state} {
			if v != "" {
				q.Set(k, v)
			}
		}
		return apiclient.Page[job.Job](c.Context(), client, jobsPath, q)
	}, func(w io.Writer, p page.Page[job.Job]) {
		if len(p.Items) == 0 {
			fmt.Fprintln(w, "There are no such jobs.")
			return
		}
		t := r.table("JOB", "QUEUE", "OWNER", "NAME", "PAGES", "STATE", "DEVICE", "AGE", "DETAIL").main(3)
		for _, j := range p.Items {
			t.add(strconv.FormatInt(j.ID, 10), j.Queue, j.Owner, j.Name, pagesOf(j), string(j.State), j.Device,
				ago(j.At, time.Now()), j.Says)
		}
		t.write(w)
		more := ""
		if p.Next != "" {
			more = "; more with --limit"
		}
		fmt.Fprintf(w, "%d of %s%s.\n", len(p.Items), words.Count(p.Total, "job"), more)
	})
	f := c.Flags()
	f.StringVar(&queue, "queue", "", "only of this queue")
	f.StringVar(&device, "device", "", "only at this device")
	f.StringVar(&person, "person", "", "only this person's")
	f.StringVar(&state, "state", "", "only in this state, such as pending-held; open for all that have not ended, ended "+
		"for all others")
	f.IntVar(&limit, "limit", 50, "how many at most, up to 1000")
	return c
}

// pagesOf are the pages that a job came to, or is estimated to come to.
func pagesOf(j job.Job) string {
	switch {
	case j.Impressions != nil && *j.Impressions > 0:
		return strconv.Itoa(*j.Impressions)
	case j.Pages != nil:
		return strconv.Itoa(*j.Pages)
	}
	return "?"
}

func writeJob(r *root, w io.Writer, v api.ShownJob) {
	line := func(name, format string, args ...any) {
		if s := fmt.Sprintf(format, args...); s != "" {
			fmt.Fprintf(w, "%-10s %s\n", name, s)
		}
	}
	j := v.Job
	line("Job", "%d", j.ID)
	line("Name", "%s", j.Name)
	line("Owner", "%s%s", j.Owner, map[bool]string{false: " (nobody here is called so)"}[j.Known])
	line("Queue", "%s, which takes it as %s", j.Queue, j.Take)
	line("State", "%s: %s", j.State, j.Says)
	line("Reasons", "%s", strings.Join(j.Reasons, ", "))
	line("Device", "%s", j.Device)
	line("Document", "%s, %s, %s pages", j.Format, words.Size(j.Bytes), pagesOf(j))
	line("Charged to", "%s", j.Charge)
	if j.Unknown {
		fmt.Fprintf(w, "\nIt is not known whether it printed. Look at the device, and then: cirque job decide %d --printed, "+
			"or --again\n", j.ID)
	}
	if options := optionsOf(j); len(options) > 0 {
		fmt.Fprintln(w)
		t := r.table("OPTION", "ASKED", "DEFAULT", "DONE")
		for _, o := range options {
			t.add(o, shownOption(j.Asked[o]), shownOption(j.Defaults[o]), shownOption(j.Did[o]))
		}
		t.write(w)
	}
	fmt.Fprintln(w)
	t := r.table("AT", "EVENT", "STATE", "DEVICE", "BY", "DETAIL").main(5)
	for _, p := range v.Past {
		t.add(p.At.Local().Format("2006-01-02 15:04:05"), string(p.Event), string(p.State), p.Device, p.Person, p.Says)
	}
	t.write(w)
}

// optionsOf are the names of a job's options, asked for, filled in or done.
func optionsOf(j job.Job) []string {
	all := map[string]bool{}
	for _, o := range []job.Options{j.Asked, j.Defaults, j.Did} {
		for k := range o {
			all[k] = true
		}
	}
	return slices.Sorted(maps.Keys(all))
}

func shownOption(v any) string {
	if v == nil {
		return ""
	}
	return fmt.Sprint(v)
}
