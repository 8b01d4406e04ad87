package cli

import (
	"cmp"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func driverTryCommand(r *root) *cobra.Command {
	var machine, platform string
	wait := cmdline.Span(time.Minute)
	c := &cobra.Command{Use: "try QUEUE [DRIVER]", Short: "Print with another driver, or list which to try",
		Args: cmdline.Args(1, 2),
		Long: `Where output is garbled or nothing comes out: without DRIVER, what to try with the queue's device,
in order, with what is remembered of each. With DRIVER (an exact name, driverless, or plain for
plain text as it is) the endpoint makes a queue beside the real one with that driver, prints a test
page through it, and takes it away again; the real queue is not touched. Then tell what came out,
and it is remembered of the model: cirque endpoint print-result NUMBER good|garbled|nothing.`,
		Example: "  cirque driver try hall-mono --machine desk-112\n  cirque driver try hall-mono plain --machine " +
			"desk-112\n  cirque driver try hall-mono \"Skerrymark Mono 40 PS\" --machine desk-112",
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if len(a) == 1 {
				v, err := apiclient.Get[api.Alternatives](c.Context(), client, apiclient.Path("/api/v1/queues", a[0])+
					"/alternatives", url.Values{"machine": {machine}, "platform": {platform}})
				if err != nil {
					return err
				}
				return r.print(c, v, func(w io.Writer) { r.writeAlternatives(w, a[0], v) })
			}
			if machine == "" {
				return usagef("say from which endpoint it is tried with --machine")
			}
			k, err := r.runCheckup(c, client, machine, url.Values{"queue": {a[0]}, "try": {a[1]}}, time.Duration(wait))
			if err != nil {
				return err
			}
			if err := r.print(c, k, func(w io.Writer) { writeTrial(w, k) }); err != nil {
				return err
			}
			if t := k.Tested(); t != nil && t.Result == endpoint.No {
				return cmdline.ErrNo
			}
			return nil
		}}
	c.Flags().StringVar(&machine, "machine", "", "the endpoint from which it is tried")
	c.Flags().StringVar(&platform, "platform", "", "list names for this platform only, such as windows/x64")
	c.Flags().Var(&wait, "wait", "how long to wait for the endpoint")
	return c
}

func (r *screen) writeAlternatives(w io.Writer, queue string, v api.Alternatives) {
	fmt.Fprintf(w, "The device behind %s is %s.\n", queue, cmp.Or(v.Model, "of a model that is not known: read the "+
		"device first"))
	if len(v.Alternatives) == 0 {
		fmt.Fprintln(w, "Nothing else is known to try: add a driver package.")
		return
	}
	t := r.table("", "TRY", "CAME OUT LAST", "WHY")
	for i, a := range v.Alternatives {
		now := ""
		if a.Now {
			now = " (now)"
		}
		t.add(fmt.Sprint(i+1), r.exact(a.Try)+now, a.Last, a.Why)
	}
	t.write(w)
}

// writeTrial shows what belongs to the trial alone: the last of the checks.
func writeTrial(w io.Writer, k endpoint.Checkup) {
	if k.Done == nil {
		fmt.Fprintf(w, "%s has not answered; its answer comes later: cirque endpoint checkup %s.\n", k.Machine, k.Machine)
		return
	}
	from := slices.IndexFunc(k.Checks, func(r endpoint.Check) bool {
		return r.Check == endpoint.SetUpCheck || r.Check == endpoint.TestCheck(k.Queue, k.Try)
	})
	for _, x := range k.Checks[max(0, from):] {
		fmt.Fprintf(w, "%-9s %s %s.\n", x.Result, x.Check, strings.TrimSuffix(x.Says, "."))
	}
	if t := k.Tested(); t != nil && t.Result != endpoint.No {
		fmt.Fprintf(w, "Tell what came out, and it is remembered of %s: cirque endpoint print-result %d "+
			"good|garbled|nothing\n",
			cmp.Or(k.Model, "the device, once its model is known"), k.ID)
	}
}

func driverTriedCommand(r *root) *cobra.Command {
	return ask(r, "tried [MODEL]", "What came out with which driver on which model, as people told", cmdline.Args(0, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) ([]driver.Seen, error) {
			return apiclient.List[driver.Seen](c.Context(), client, "/api/v1/drivers/print-results",
				url.Values{"model": {strings.Join(a, "")}})
		}, func(w io.Writer, list []driver.Seen) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nobody has told of any: cirque driver try QUEUE, then cirque endpoint print-result NUMBER "+
					"good|garbled|nothing.")
				return
			}
			t := r.table("MODEL", "DRIVER", "CAME OUT", "QUEUE", "FROM", "TOLD", "BY", "NOTE")
			for _, s := range list {
				t.add(s.Model, r.exact(s.Driver), s.Result, s.Queue, s.Machine, ago(s.At, time.Now()), s.By, s.Note)
			}
			t.write(w)
		})
}

func printResultCommand(r *root) *cobra.Command {
	var note string
	c := ask(r, "print-result NUMBER good|garbled|nothing", "Say what came out of a checkup's test page; it is "+
		"remembered of "+
		"the driver with that model", cmdline.Args(2, 2), func(c *cobra.Command, client *apiclient.Client,
		a []string) (endpoint.Checkup, error) {
		if results := []string{endpoint.PrintGood, endpoint.PrintGarbled, endpoint.PrintNothing}; !slices.Contains(
			results, a[1]) {
			return endpoint.Checkup{}, usagef("%q is not what may come out: write good, "+
				"garbled or nothing", a[1])
		}
		n, err := strconv.ParseInt(a[0], 10, 64)
		if err != nil || n < 1 {
			return endpoint.Checkup{}, usagef("%q is no checkup's number; the checkup said it", a[0])
		}
		return apiclient.Post[endpoint.Checkup](c.Context(), client, fmt.Sprintf("/api/v1/checkups/%d/print-result", n),
			api.TellPrintResult{Result: a[1], Note: note})
	}, func(w io.Writer, k endpoint.Checkup) {
		with := "its own driver"
		if k.Try != "" {
			with = endpoint.TryName(k.Try)
		}
		fmt.Fprintf(w, "Kept: %s from %s with %s: %s.\n", k.Queue, k.Machine, with, k.PrintResult.Result)
		switch {
		case k.Model == "":
			fmt.Fprintln(w, "The device's model is not known, so it is not remembered of a model.")
		case k.Try != "" && k.PrintResult.Result == endpoint.PrintGood && k.Try == endpoint.TryPlain:
			fmt.Fprintf(w, "It is remembered of %s. Device, path and spooler work, so the driver is at fault: cirque driver "+
				"try %s --machine %s\n", k.Model, k.Queue, k.Machine)
		case k.Try != "" && k.PrintResult.Result == endpoint.PrintGood:
			fmt.Fprintf(w, "It is remembered of %s. To have it for everybody, give it to the queue in the draft.\n", k.Model)
		case k.PrintResult.Result != endpoint.PrintGood:
			fmt.Fprintf(w, "It is remembered of %s. What to try next: cirque driver try %s --machine %s\n", k.Model,
				k.Queue, k.Machine)
		}
	})
	c.Flags().StringVar(&note, "note", "", "in a few words")
	return c
}

func driverOnCommand(r *root) *cobra.Command {
	var exact string
	c := ask(r, "on [MACHINE]", "Drivers on endpoints: used, staged, spare, wanted; of one machine also the files "+
		"they consist of", cmdline.Args(0, 1), func(c *cobra.Command, client *apiclient.Client,
		a []string) ([]endpoint.DriverHere, error) {
		return apiclient.List[endpoint.DriverHere](c.Context(), client, "/api/v1/drivers/endpoints",
			url.Values{"machine": {strings.Join(a, "")}, "exact": {exact}})
	}, func(w io.Writer, list []endpoint.DriverHere) {
		if len(list) == 0 {
			fmt.Fprintln(w, "No driver: the queues do without.")
			return
		}
		t := r.table("ENDPOINT", "EXACT NAME", "STATE", "QUEUES", "DETAIL")
		for _, d := range list {
			detail := []string{d.Says, d.Signed}
			if d.Version != "" {
				detail = append(detail, "version "+d.Version)
			}
			detail = slices.DeleteFunc(detail, func(s string) bool { return s == "" })
			t.add(d.Machine, r.exact(d.Exact), string(d.State), strings.Join(d.Queues, ", "), strings.Join(detail, "; "))
		}
		t.write(w)
		for _, d := range list {
			if len(d.Files) > 0 {
				fmt.Fprintf(w, "\n%s is described by %s of the package %s, and needs:\n", r.exact(d.Exact), d.SetUpFile,
					d.Package[:min(12, len(d.Package))])
				for _, f := range d.Files {
					fmt.Fprintln(w, "  "+f)
				}
			}
		}
	})
	c.Long = `Drivers on endpoints. used: a queue has it. staged: its files are there, for a queue that is to have
it. spare: its files are there, and no queue is to have it. wanted: a queue is to have it, and it is
not there. foreign: a queue has it that somebody else set up. present: the system has it, and no
queue. Of one machine, where it works, the exact name, the set-up file and the files are those to
look for elsewhere; on Windows the version is the system's, and whether the package is signed.`
	c.Flags().StringVar(&exact, "exact", "", "only this driver, by its exact name")
	return c
}
