package cli

import (
	"cmp"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/span"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/cmdline"
)

func queueMoveCommand(r *root) *cobra.Command {
	var in api.Move
	var wave string
	c := &cobra.Command{Use: "move [QUEUE...] --from-server SERVER --to device", Short: "Rewrite queues in your draft " +
		"so that they lead elsewhere than through a server", Args: cmdline.Args(0, -1),
		Long: `Lead queues straight to their device (or with --to gateway through the gateway, or with --to-server
through another server), where they led through a server; all that do, when no queue is named. Where
and in which sessions a path held stays as it was. Rehearse afterwards: nobody should lose anything.

With --wave only so many of the server's queues go at a time, and the same command again takes the
next. Then, and always from server to server, the old path stays behind the new one: its queue stays
while somebody uses it, and --back leads there again. Once nothing leads there and nobody has printed
there for a while, cirque server end takes the old paths out.`}
	c.Flags().StringVar(&in.Server, "from-server", "", "the server that they shall no longer lead through")
	c.Flags().StringVar(&in.To, "to", "", "device (when absent) or gateway")
	c.Flags().StringVar(&in.ToServer, "to-server", "", "the server that they shall lead through")
	c.Flags().StringVar(&wave, "wave", "", "how many of all its queues go now, such as 20%")
	c.Flags().BoolVar(&in.Back, "back", false, "the way back: lead through the old server again")
	c.Flags().BoolVar(&in.Dry, "dry-run", false, "only say which would be moved")
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		if in.Server == "" {
			return usagef("name the server with --from-server")
		}
		if in.ToServer != "" && in.To != "" {
			return usagef("name one place to move them to: --to or --to-server")
		}
		if in.ToServer != "" {
			in.To = "server"
		}
		if in.To = cmp.Or(in.To, "device"); in.To != "device" && in.To != "gateway" && in.To != "server" {
			return usagef("%q is no place to move queues to: device or gateway, or --to-server", in.To)
		}
		if wave != "" {
			n, err := strconv.Atoi(strings.TrimSuffix(wave, "%"))
			if err != nil || n < 1 || n > 100 {
				return usagef("%q is no part of the queues: 1%% to 100%%", wave)
			}
			in.Wave = n
		}
		in.Queues = a
		return moveQueues(r, c, name(), "/api/v1/draft/move", in, "moved")
	}
	return c
}

// serverEndCommand takes the old paths out.
func serverEndCommand(r *root) *cobra.Command {
	var in api.EndServer
	var quiet cmdline.Span
	c := &cobra.Command{Use: "end SERVER", Short: "Take the paths through a server out of your draft, where " +
		"nothing leads " +
		"there and nobody has printed there for a while", Args: cmdline.Args(1, 1),
		Long: `Take the paths through a server out of the queues in your draft: of each that leads elsewhere first,
by which no endpoint leads there any more, and through which nobody has printed for --quiet, as far as
that is kept. Of each of the others it is said what still holds it.`}
	c.Flags().Var(&quiet, "quiet", "for so long nobody has to have printed there; 14d when absent")
	c.Flags().BoolVar(&in.Dry, "dry-run", false, "only say which would go")
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		in.Server = a[0]
		in.Quiet = span.Span(quiet)
		return moveQueues(r, c, name(), "/api/v1/draft/end-server", in, "ended")
	}
	return c
}

// moveQueues asks for a change of where queues lead, and says what came of it.
func moveQueues(r *root, c *cobra.Command, draft map[string][]string, path string, in any, did string) error {
	client, err := r.client()
	if err != nil {
		return err
	}
	var out api.MovedQueues
	if err := client.Do(c.Context(), "POST", path, draft, in, &out); err != nil {
		return err
	}
	moved := 0
	for _, m := range out.Moved {
		if m.Moved {
			moved++
		}
	}
	err = r.print(c, out, func(w io.Writer) {
		t := r.table("QUEUE", strings.ToUpper(did), "HOW", "REMARKS")
		for _, m := range out.Moved {
			yes := "no"
			if m.Moved {
				yes = "yes"
			}
			t.add(m.Queue, yes, m.Says, strings.Join(m.Remarks, "; "))
		}
		if len(out.Moved) > 0 {
			t.write(w)
		}
		if p := out.Progress; p != nil {
			fmt.Fprintf(w, "Then %s.\n", p)
		}
		if out.Draft == nil {
			fmt.Fprintf(w, "%d of %s would be %s. Nothing was changed.\n", moved, words.Count(len(out.Moved), "queue"), did)
			return
		}
		if out.Draft.Total == 0 {
			fmt.Fprintf(w, "%d of %s %s. Your draft is empty now.\n", moved, words.Count(len(out.Moved), "queue"), did)
			return
		}
		fmt.Fprintf(w, "%d of %s %s in your draft, which has %s now. Rehearse it: cirque rehearse --fail-on "+
			"'loses>0,empty>0'\n", moved, words.Count(len(out.Moved), "queue"), did, words.Count(out.Draft.Total, "change"))
	})
	if err == nil && moved < len(out.Moved) {
		return cmdline.ErrNo
	}
	return err
}
