package cli

import (
	"fmt"
	"io"
	"maps"
	"net/url"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/adopt"
	"cirque/core/estate"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
	"cirque/internal/whole"
)

func adoptCommand(r *root) *cobra.Command {
	var servers, queues, devices, machines, attached []string
	var dry, all bool
	var table, write, pattern string
	c := &cobra.Command{Use: "adopt", Short: "Take found queues and devices into your draft", Args: cmdline.Args(0, 0),
		Long: `Propose names, titles, locations, labels, paths, drivers and defaults for queues that were found on
print servers, for devices, for what is plugged into machines, and for what was captured of reference
machines, and put them into your draft. Queues to which the estate leads already are left out, unless
--all is given.

With --write FILE the proposals go into a table, to be looked through in a spreadsheet; with --table
FILE it is read back: lines that were taken out are not adopted, and names, titles, locations and
labels are those of the table.`,
		Example: "  cirque adopt --server ps-brannoy --dry-run\n  cirque adopt --server ps-brannoy --write found.csv\n  " +
			"cirque adopt --server ps-brannoy --table found.csv\n  " +
			"cirque adopt --device 10.43.0.77 --names '{last}-{model}-{n}'"}
	f := c.Flags()
	f.StringSliceVar(&servers, "server", nil, "the queues of this print server; may be repeated")
	f.StringSliceVar(&queues, "queue", nil, "of them only this; may be repeated")
	f.StringSliceVar(&devices, "device", nil, "a device, by name or by the address at which it was found; may be repeated")
	f.StringSliceVar(&machines, "machine", nil, "the queues of this reference machine; may be repeated")
	f.StringSliceVar(&attached, "attached", nil, "what is plugged into this machine: cirque endpoint attached; may be "+
		"repeated")
	f.BoolVar(&dry, "dry-run", false, "only say what would be adopted")
	f.BoolVar(&all, "all", false, "also queues to which the estate leads already")
	f.StringVar(&table, "table", "", "adopt what this table still has, with its names")
	f.StringVar(&pattern, "names", "", "call new queues and devices by this pattern, such as '{last}-{model}-{n}'; "+
		"{name}, {title}, {location}, {site}, {last}, {model}, {address} and {n}")
	f.StringVar(&write, "write", "", "write the proposals into this table, and adopt nothing")
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		in := api.Selections{Draft: name().Get("name"), Names: pattern}
		for _, s := range servers {
			in.Selections = append(in.Selections, adopt.Selection{Kind: "server", From: s, Found: queues})
		}
		for _, m := range machines {
			in.Selections = append(in.Selections, adopt.Selection{Kind: adopt.KindCapture, From: m, Found: queues})
		}
		for _, d := range devices {
			in.Selections = append(in.Selections, adopt.Selection{Kind: "device", From: d})
		}
		for _, m := range attached {
			in.Selections = append(in.Selections, adopt.Selection{Kind: adopt.KindAttached, From: m})
		}
		if len(in.Selections) == 0 {
			return usagef("say what to adopt with --server, --device, --machine or --attached")
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		list, err := apiclient.Post[[]adopt.Proposal](c.Context(), client, "/api/v1/stock/proposals", in)
		if err != nil {
			return err
		}
		kept := list[:0:0]
		for _, p := range list {
			if p.Already == "" || all {
				kept = append(kept, p)
			}
		}
		if write != "" {
			if err := whole.Write(write, []byte(adopt.ProposalTable(kept)), 0o644); err != nil {
				return err
			}
			return r.say(c, []string{write}, "%s written to %s. Look through it, then run the same with --table %s.",
				words.Count(len(kept), "proposal"), write, write)
		}
		if table != "" {
			files, err := readFiles(c, []string{table})
			if err != nil {
				return err
			}
			if kept, err = adopt.ChosenFrom(list, files[0].Name, files[0].Text); err != nil {
				return err
			}
		}
		if dry || len(kept) == 0 {
			return r.print(c, kept, func(w io.Writer) {
				r.writeProposals(w, kept)
				fmt.Fprintf(w, "%s would be adopted, %d lead here already. Nothing was changed.\n", words.Count(len(kept), "queue"),
					len(list)-len(kept))
			})
		}
		d, err := apiclient.Post[api.Draft](c.Context(), client, "/api/v1/stock/adoptions",
			api.Adoption{Draft: name().Get("name"), Proposals: kept})
		if err != nil {
			return err
		}
		return r.print(c, d, func(w io.Writer) {
			r.writeProposals(w, kept)
			fmt.Fprintf(w, "%s adopted into your draft, which has %s now. See cirque draft, then cirque rehearse.\n",
				words.Count(len(kept), "queue"), words.Count(d.Total, "change"))
		})
	}
	return c
}

func (r *screen) writeProposals(w io.Writer, list []adopt.Proposal) {
	t := r.table("FOUND", "ON", "QUEUE", "TITLE", "LOCATION", "LABELS", "PATHS", "DEVICE", "DRIVERS", "REMARKS")
	for _, p := range list {
		device := strings.Join(p.Queue.Devices, ", ")
		if p.Device != nil {
			device += " (new)"
		}
		var paths []string
		for _, x := range p.Queue.Paths {
			paths = append(paths, first(x.Server, x.Set, x.Device, "gateway"))
		}
		t.add(p.Found, p.From, p.Queue.Name, p.Queue.Title, p.Queue.Location, strings.Join(p.Queue.Labels, " "),
			strings.Join(paths, ", "), device, strings.Join(driversOf(p.Queue), ", "), strings.Join(p.Remarks, "; "))
	}
	if len(list) > 0 {
		t.write(w)
	}
}

// driversOf are a queue's drivers, each once.
func driversOf(q estate.Queue) []string {
	out := slices.Sorted(maps.Values(q.Drivers))
	return slices.DeleteFunc(slices.Compact(out), func(d string) bool { return d == estate.Driverless })
}

func withQueues(v url.Values, queues []string) url.Values {
	if v == nil {
		v = url.Values{}
	}
	v["queue"] = queues
	return v
}

// queueTools are those commands of cirque queue that change many queues of a draft at once.
func (r *root) queueTools() []*cobra.Command {
	return []*cobra.Command{queueTableCommand(r), queueApplyTableCommand(r), queueRenameCommand(r), queueMoveCommand(r),
		queueSecondCommand(r)}
}

func queueTableCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "table [QUEUE...]", Short: "Write the queues of your draft as CSV, for a spreadsheet",
		Args: cmdline.Args(0, -1)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		t, err := apiclient.Get[api.Text](c.Context(), client, "/api/v1/draft/queue-table", withQueues(name(), a))
		if err != nil {
			return err
		}
		return r.print(c, t, func(w io.Writer) { _, _ = io.WriteString(w, t.Text) })
	}
	return c
}

func queueApplyTableCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "apply-table FILE", Short: "Put a table of queues into your draft: it changes those that " +
		"are there, and adds the others", Args: cmdline.Args(1, 1),
		Long: `Read CSV with a head line into your draft. The column name is needed; of title, location, labels,
devices, paths, drivers, defaults, listed and note only those change that the table has, and an
empty cell empties the key. Labels and devices are divided by blanks, the others by semicolons, such
as "device:hall-40; set:ardholm-pair=Hall Mono".`}
	dry := c.Flags().Bool("dry-run", false, "say what would change, and store nothing")
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		return r.applyTable(c, "/api/v1/draft/queue-table", withDry(name(), *dry), a, *dry)
	}
	return c
}

func queueRenameCommand(r *root) *cobra.Command {
	var in api.Rename
	c := &cobra.Command{Use: "rename PATTERN QUEUE...", Short: "Give queues new names by a pattern; old names go on " +
		"leading there", Args: cmdline.Args(2, -1),
		Long: "In PATTERN, {name}, {title}, {location}, {site}, {last} (of the location) and {n} (1, 2, ...) stand for " +
			"the queue's own.",
		Example: "  cirque queue rename '{site}-{name}' hall-mono hall-colour --dry-run"}
	c.Flags().BoolVar(&in.Dry, "dry-run", false, "only say which names they would have")
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		in.Pattern, in.Queues = a[0], a[1:]
		client, err := r.client()
		if err != nil {
			return err
		}
		var out api.Renamed
		if err := client.Do(c.Context(), "POST", "/api/v1/draft/rename", name(), in, &out); err != nil {
			return err
		}
		return r.print(c, out, func(w io.Writer) {
			t := r.table("QUEUE", "NEW NAME")
			for _, x := range out.Names {
				t.add(x.From, x.To)
			}
			t.write(w)
			if out.Draft == nil {
				fmt.Fprintln(w, "Nothing was changed.")
				return
			}
			fmt.Fprintf(w, "Your draft has %s now. Old names go on leading there.\n", words.Count(out.Draft.Total, "change"))
		})
	}
	return c
}
