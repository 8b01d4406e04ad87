package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/page"
	"cirque/core/rehearse"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func rehearseCommand(r *root) *cobra.Command {
	var in api.Rehearse
	var failOn, kind string
	var limit int
	c := &cobra.Command{Use: "rehearse [FILE...]", Short: "Who would gain and lose what: of your draft, or were " +
		"something to fail",
		Long: `Compare the present with what would be, for every user and machine that the directory knows, in the
contexts in which they were last seen. Without flags it is your draft that is rehearsed; with files it
is they, as one estate or with --merge only what they name; with --revision a former revision, were it
current again.

With --without it is a failure: of server:NAME, set:NAME (all its members), device:NAME, site:NAME
or location:PATH (every server and device there), or subnet:CIDR (whose address lies in it). With
--move somebody moves in the directory: user:NAME=unit:PATH, user:NAME=+group:NAME or
user:NAME=-group:NAME, and machine: likewise. With --draft the draft is taken besides.`,
		Example: "  cirque rehearse --fail-on 'loses>0,empty>0'\n  cirque rehearse --without server:ps-ardholm-1 --show " +
			"stranded\n  cirque rehearse --move user:mira.solvang=unit:office"}
	c.Flags().StringVar(&in.Draft, "draft", "", "one of your drafts; main unless --without or --move is given")
	c.Flags().IntVar(&in.Revision, "revision", 0, "a former revision, were it current again")
	c.Flags().BoolVar(&in.Merge, "merge", false, "the files add and replace only the objects that they name")
	c.Flags().StringSliceVar(&in.Without, "without", nil, "what fails; may be repeated")
	c.Flags().StringSliceVar(&in.Moves, "move", nil, "who moves where in the directory; may be repeated")
	c.Flags().BoolVar(&in.All, "all", false, "look at everybody, even where the change cannot touch them (the result "+
		"is the same)")
	c.Flags().StringVar(&failOn, "fail-on", "", "limits such as loses>0,empty>0,promises: exit with 8 where one "+
		"is passed")
	c.Flags().StringVar(&kind, "show", "", "also list the contexts with this kind of change, or all")
	c.Flags().IntVar(&limit, "limit", 50, "how many contexts to list")
	c.RunE = func(c *cobra.Command, a []string) error {
		given := 0
		for _, is := range []bool{in.Draft != "", in.Revision > 0, len(a) > 0} {
			if is {
				given++
			}
		}
		if given > 1 || in.Merge && len(a) == 0 {
			return usagef("rehearse a draft, a revision or files, one of them; --merge is for files")
		}
		var err error
		if len(a) > 0 {
			if in.Files, err = readFiles(c, a); err != nil {
				return err
			}
		}
		var limits []rehearse.Limit
		if failOn != "" {
			if limits, err = rehearse.ParseLimits(failOn); err != nil {
				return err
			}
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		done, err := r.runRehearsal(c, client, in)
		if err != nil {
			return err
		}
		exceeded := done.Exceeded(limits)
		var effects page.Page[rehearse.EffectSheet]
		if kind != "" {
			q := url.Values{"limit": {fmt.Sprint(limit)}}
			if kind != "all" {
				q.Set("kind", kind)
			}
			if effects, err = apiclient.Page[rehearse.EffectSheet](c.Context(), client, "/api/v1/rehearsals/"+done.ID+"/effects",
				q); err != nil {
				return err
			}
		}
		err = r.print(c, done, func(w io.Writer) {
			r.writeRehearsal(w, in, done)
			if kind != "" {
				r.writeEffects(w, effects)
			}
			for _, x := range exceeded {
				fmt.Fprintf(w, "\nOver the limit: %s.\n", x)
			}
		})
		if err == nil && len(exceeded) > 0 {
			return cmdline.ErrNo
		}
		return err
	}
	return c
}

// runRehearsal reads the stream; on a terminal it shows the progress.
func (r *root) runRehearsal(c *cobra.Command, client *apiclient.Client, in api.Rehearse) (*api.Rehearsal, error) {
	resp, err := client.Raw(c.Context(), "POST", "/api/v1/rehearsals", nil, nil, in)
	if err != nil {
		return nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	dec := json.NewDecoder(resp.Body)
	for {
		var line api.RehearsalLine
		if err := dec.Decode(&line); err != nil {
			if c.Context().Err() != nil {
				return nil, c.Context().Err()
			}
			if errors.Is(err, io.EOF) {
				err = nil
			}
			return nil, fault.New(fault.Unavailable, "stream-broken", "rehearse again", "the rehearsal broke off").Because(err)
		}
		switch {
		case line.Rehearsal != nil:
			if r.width > 0 {
				fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
			}
			return line.Rehearsal, nil
		case line.Problem != nil:
			return nil, line.Problem.Fault()
		case line.Progress != nil && r.width > 0:
			fmt.Fprintf(c.ErrOrStderr(), "\r%d of %d", line.Progress.Done, line.Progress.Total)
		}
	}
}

// kindWords says a kind of change for people.
var kindWords = map[rehearse.Kind]string{rehearse.Gains: "gain a queue", rehearse.Loses: "lose a queue",
	rehearse.Empty: "end with nothing", rehearse.Stranded: "have a stranded queue",
	rehearse.NoDriver: "lack a driver", rehearse.NoPath: "lack a path", rehearse.Effects: "placed, picked, offered",
	rehearse.Defaults: "default changes", rehearse.Paths: "path changes",
	rehearse.Drivers: "driver changes", rehearse.Renames: "a queue's name changes", rehearse.Settings: "settings change"}

func (r *screen) writeRehearsal(w io.Writer, in api.Rehearse, x *api.Rehearsal) {
	if len(x.Down) > 0 {
		fmt.Fprintf(w, "Were down: %s.\n", words.Few(x.Down, 8))
	}
	what := ""
	switch {
	case len(in.Files) > 0:
		what = "The files change"
	case in.Revision > 0:
		what = fmt.Sprintf("Revision %d, were it current again, changes", in.Revision)
	case len(in.Without)+len(in.Moves) == 0 || in.Draft != "":
		what = "The draft changes"
	}
	if what != "" {
		fmt.Fprintf(w, "%s %s of revision %d.\n", what, words.Count(x.Changes, "object"), x.From)
	}
	fmt.Fprintf(w, "Of %s and %s, %s and %s would notice.\n", words.Count(x.Cases.People, "person"),
		words.Count(x.Cases.Machines,
			"machine"), words.Count(x.Touched.People, "person"), words.Count(x.Touched.Machines, "machine"))
	fmt.Fprintf(w, "Looked at %d of %d contexts, all that can be touched; %d of them as last seen, the others "+
		"without place.\n", x.Looked, x.Cases.Contexts, x.Seen)
	if len(x.Times) > 0 {
		fmt.Fprintf(w, "Looked at the present and at %s of opening hours until %s.\n", words.Count(len(x.Times), "edge"),
			x.Until.In(r.zone().Location).Format("Mon 2 January 15:04 MST"))
	}
	if x.Promises > 0 {
		fmt.Fprintf(w, "\nPromises: %d, %s.\n", x.Promises, map[bool]string{true: "and none is broken by this",
			false: fmt.Sprintf("of which %d would be broken", len(x.Broken))}[len(x.Broken) == 0])
		for _, v := range x.Broken {
			fmt.Fprintf(w, "  %s: %s\n", v.Name, strings.Join(v.Says, "; "))
		}
	}
	other := slices.DeleteFunc(slices.Clone(x.Findings), func(f lineup.Finding) bool { return f.At.List == "promises" })
	if len(other) > 0 {
		fmt.Fprintln(w, "\nWhat there would be to remark on, and is not so now:")
		r.writeFindings(w, other)
	}
	if x.Touched.Contexts == 0 {
		return
	}
	fmt.Fprintln(w)
	t := r.table("", "PEOPLE", "MACHINES", "CONTEXTS")
	for _, k := range rehearse.Kinds() {
		if n, ok := x.Totals[k]; ok {
			t.add(kindWords[k], fmt.Sprint(n.People), fmt.Sprint(n.Machines), fmt.Sprint(n.Contexts))
		}
	}
	t.write(w)
	for _, by := range []rehearse.By{rehearse.ByGrant, rehearse.ByQueue, rehearse.ByGroup, rehearse.ByLocation} {
		r.writeGroups(w, by, x.By[by])
	}
	if len(x.Holes) > 0 {
		fmt.Fprintln(w, "\nQueues that are granted and cannot be had:")
		t := r.table("QUEUE", "PLATFORM", "REASON", "PEOPLE", "MACHINES")
		for _, h := range x.Holes {
			t.add(h.Queue, first(h.Platform, "not known"), string(h.Reason), fmt.Sprint(h.People), fmt.Sprint(h.Machines))
		}
		t.write(w)
	}
}

const groupsShown = 12

func (r *screen) writeGroups(w io.Writer, by rehearse.By, groups []rehearse.Group) {
	if len(groups) == 0 {
		return
	}
	fmt.Fprintf(w, "\nBy %s:\n", by)
	t := r.table(strings.ToUpper(string(by)), "GAINS", "LOSES", "EMPTY", "STRANDED", "DEFAULT", "PATH", "OTHER")
	figure := func(g rehearse.Group, kinds ...rehearse.Kind) string {
		n := 0
		for _, k := range kinds {
			n += g.Counts[k].People + g.Counts[k].Machines
		}
		if n == 0 {
			return "-"
		}
		return fmt.Sprint(n)
	}
	for _, g := range groups[:min(len(groups), groupsShown)] {
		t.add(first(g.Key, "(unknown)"), figure(g, rehearse.Gains), figure(g, rehearse.Loses), figure(g, rehearse.Empty),
			figure(g, rehearse.Stranded), figure(g, rehearse.Defaults), figure(g, rehearse.Paths),
			figure(g, rehearse.Effects, rehearse.Drivers, rehearse.Renames, rehearse.Settings, rehearse.NoDriver,
				rehearse.NoPath))
	}
	t.write(w)
	if more := len(groups) - groupsShown; more > 0 {
		fmt.Fprintf(w, "and %d more; see them all with -o json.\n", more)
	}
}

func (r *screen) writeEffects(w io.Writer, list page.Page[rehearse.EffectSheet]) {
	fmt.Fprintf(w, "\n%s:\n", words.Count(list.Total, "context"))
	t := r.table("WHO", "WHERE", "MACHINE", "CHANGE", "QUEUE", "FROM", "TO", "WHEN")
	for _, e := range list.Items {
		for _, i := range e.Items {
			t.add(e.Name, first(e.Location, "-"), or(e.Context.Machine, "-"), string(i.Kind), i.Queue, i.From, i.To,
				r.when(i.Times))
		}
	}
	t.write(w)
	if more := list.Total - len(list.Items); more > 0 {
		fmt.Fprintf(w, "and %d more contexts; raise --limit.\n", more)
	}
}

func (r *screen) when(times []time.Time) string {
	if len(times) == 0 {
		return "always"
	}
	first := times[0].In(r.zone().Location).Format("Mon 15:04 MST")
	if len(times) == 1 {
		return "from " + first
	}
	return fmt.Sprintf("from %s, and %d later times", first, len(times)-1)
}

func coverageCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "coverage", Short: "On which single servers and devices how many people depend",
		Args: cmdline.Args(0, 0), RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			list, err := apiclient.List[rehearse.Dependence](c.Context(), client, "/api/v1/coverage", nil)
			if err != nil {
				return err
			}
			return r.print(c, list, func(w io.Writer) {
				if len(list) == 0 {
					fmt.Fprintln(w, "Nobody depends on a single server or device.")
					return
				}
				t := r.table("WITHOUT", "PEOPLE WITH NOTHING LEFT", "PEOPLE MISSING SOMETHING", "MACHINES", "QUEUES")
				for _, d := range list {
					t.add(d.Kind+" "+d.Name, fmt.Sprint(d.All.People), fmt.Sprint(d.Some.People), fmt.Sprint(d.Some.Machines),
						strings.Join(d.Queues, ", "))
				}
				t.write(w)
			})
		}}
}
