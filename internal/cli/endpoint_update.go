package cli

import (
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/update"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const agentUpdatePath = "/api/v1/agent-update"

func endpointUpdateCommand(r *root) *cobra.Command {
	show := ask(r, "show [VERSION]", "How the latest update stands, and which machines a version suits",
		cmdline.Args(0, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (update.Standing, error) {
			return apiclient.Get[update.Standing](c.Context(), client, agentUpdatePath, url.Values{
				"version": {strings.Join(a, "")}})
		}, func(w io.Writer, s update.Standing) {
			writeStanding(&r.screen, w, s)
		})
	var state string
	machines := ask(r, "machines", "What came of the machines that began", cmdline.Args(0, 0),
		func(c *cobra.Command, client *apiclient.Client, _ []string) ([]update.Record, error) {
			return apiclient.List[update.Record](c.Context(), client, agentUpdatePath+"/machines", url.Values{"state": {state}})
		}, func(w io.Writer, list []update.Record) {
			t := r.table("MACHINE", "HAD", "STATE", "SINCE", "SAYS")
			for _, m := range list {
				t.add(m.Machine, m.Former, m.State, r.zone().At(m.At), m.Says)
			}
			t.write(w)
			fmt.Fprintf(w, "%s.\n", words.Count(len(list), "machine"))
		})
	machines.Flags().StringVar(&state, "state", "", "only those that stand so: begun, came, failed, silent, back")
	return cmdline.Group("update", "Bring endpoints to another version of the agent, a share of them first", show,
		endpointUpdateBeginCommand(r), machines,
		updateAct(r, "pause", "Bring no more machines to the version for now", update.Pause),
		updateAct(r, "go-on", "Go on with a paused update; what failed until now counts no more", update.GoOn),
		updateAct(r, "back", "Have the machines that came by the update go back to what they had", update.GoBack),
		updateAct(r, "end", "End the update; machines stay at what they have", update.End))
}

func updateAct(r *root, word, short, do string) *cobra.Command {
	return ask(r, word, short, cmdline.Args(0, 0),
		func(c *cobra.Command, client *apiclient.Client, _ []string) (update.Standing, error) {
			return apiclient.Post[update.Standing](c.Context(), client, agentUpdatePath+"/act", api.UpdateAct{Do: do})
		}, func(w io.Writer, s update.Standing) {
			writeStanding(&r.screen, w, s)
		})
}

func endpointUpdateBeginCommand(r *root) *cobra.Command {
	var want api.NewUpdate
	var each time.Duration
	c := ask(r, "begin VERSION [--shares P,P,100] [--each SPAN] [--faults N] [--site S]",
		"Begin to bring endpoints to a version of the agent", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (update.Standing, error) {
			want.Version, want.Each = a[0], int(each/time.Second)
			return apiclient.Post[update.Standing](c.Context(), client, agentUpdatePath, want)
		}, func(w io.Writer, s update.Standing) {
			writeStanding(&r.screen, w, s)
		})
	c.Long = `Bring endpoints to a version of the agent whose packages the service hands out. Each is told with its
next report, fetches the package from the service, installs it by the system's own means, and goes
back by itself where the new agent does not come up.

A share of the machines comes first. Each stage is watched for a while; where more machines fail than
may, nobody more is told, and it waits for you: go-on, back or end. Machines whose set-up file says
updates: left are left to device management, as are print servers that Cirque keeps.`
	f := c.Flags()
	f.IntSliceVar(&want.Shares, "shares", update.DefaultShares(), "the stages, in percent of the machines")
	f.DurationVar(&each, "each", update.DefaultEach, "how long each stage is watched, at least")
	f.IntVar(&want.Faults, "faults", update.DefaultFaults, "how many machines may fail before it pauses")
	f.StringVar(&want.Site, "site", "", "only the machines of this site")
	return c
}

func writeStanding(r *screen, w io.Writer, s update.Standing) {
	if o := s.Order; o != nil {
		writeOrder(r, w, *o, s.Counts)
	} else {
		fmt.Fprintln(w, "No update has been begun.")
	}
	if len(s.Machines) == 0 {
		fmt.Fprintln(w, "\nNo endpoint has reported yet.")
		return
	}
	title := "SUITS"
	if s.Version == "" {
		title = ""
	} else {
		fmt.Fprintf(w, "\nVersion %s and the machines:\n", s.Version)
	}
	t := r.table("MACHINES", "HAVE", "ON", "INSTALLED FROM", title)
	for _, m := range s.Machines {
		says := m.Why
		if m.Suits {
			says = "can be brought there"
			if !m.WayBack {
				says += "; there is no way back: the package of " + m.Version + " is not handed out"
			}
		}
		from := map[string]string{"": "unknown", update.Left: "device management"}[m.Updates]
		if from == "" {
			from = "." + m.Updates
		}
		t.add(fmt.Sprint(m.Machines), m.Version, m.Platform, from, says)
	}
	t.write(w)
}

func writeOrder(r *screen, w io.Writer, o update.Order, c update.Counts) {
	where := ""
	if o.Site != "" {
		where = " at " + o.Site
	}
	fmt.Fprintf(w, "Version %s%s, begun by %s, %s: ", o.Version, where, o.Author, r.zone().At(o.At))
	switch o.State {
	case update.Running:
		fmt.Fprintf(w, "stage %d of %d, %d %% of the machines", o.Stage+1, len(o.Shares), o.Shares[o.Stage])
		if o.Stage+1 < len(o.Shares) {
			fmt.Fprintf(w, "; %d %% not before %s", o.Shares[o.Stage+1], r.zone().At(o.StageAt.Add(time.Duration(o.Each)*
				time.Second)))
		}
	case update.Paused:
		fmt.Fprintf(w, "paused, %s. To go on: cirque endpoint update go-on; back: cirque endpoint update back", o.Why)
	case update.Back:
		fmt.Fprint(w, "going back, "+o.Why)
	case update.Ended:
		fmt.Fprint(w, "ended, "+o.Why)
	}
	fmt.Fprintf(w, ".\n%s came, %d failed, %d silent, %d under way, %d went back; it pauses when more than %d fail.\n",
		words.Count(c.Came, "machine"), c.Failed, c.Silent, c.Begun, c.Back, o.Faults)
}
