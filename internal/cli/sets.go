package cli

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/adopt"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// setsCommand compares the members of server sets.
func setsCommand(r *root) *cobra.Command {
	var all bool
	c := &cobra.Command{Use: "set [NAME]", Short: "The members of server sets beside one another, queue by queue",
		Args: cmdline.Args(0, 1),
		Long: `Compare the members of a server set by what was read of them last: which queues each has, and where
drivers, devices, defaults or sharing differ. Without a name, how each set stands.`,
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if len(a) == 0 {
				list, err := apiclient.List[stock.SetView](c.Context(), client, "/api/v1/stock/sets", nil)
				if err != nil {
					return err
				}
				return r.print(c, list, func(w io.Writer) { r.writeSets(w, list) })
			}
			v, err := apiclient.Get[stock.SetView](c.Context(), client, apiclient.Path("/api/v1/stock/sets", a[0]), nil)
			if err != nil {
				return err
			}
			return r.print(c, v, func(w io.Writer) { r.writeSet(w, v, all) })
		}}
	c.Flags().BoolVar(&all, "all", false, "also the queues that are the same everywhere")
	c.AddCommand(completeSetCommand(r))
	return c
}

// completeSetCommand proposes what makes the members of a set alike.
func completeSetCommand(r *root) *cobra.Command {
	var in api.CompleteSet
	c := &cobra.Command{Use: "complete SET", Short: "Propose in your draft what makes the members of a server set alike",
		Args: cmdline.Args(1, 1),
		Long: `Propose what makes the members of a server set alike. Queues that lead through one member alone lead
through the whole set, and queues that only some members have are taken into the estate. What the
estate says already and a member lacks, or has otherwise down to driver, device and defaults, is
told with who sees to it: on a server that Cirque keeps, its agent.`}
	c.Flags().BoolVar(&in.Dry, "dry-run", false, "only say what would be proposed")
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		in.Set = a[0]
		var out api.CompletedSet
		if err := client.Do(c.Context(), "POST", "/api/v1/draft/complete-set", name(), in, &out); err != nil {
			return err
		}
		return r.print(c, out, func(w io.Writer) {
			if len(out.Steps) == 0 {
				fmt.Fprintf(w, "The members of %s are alike, as far as they were read.\n", a[0])
				return
			}
			t := r.table("QUEUE", "ON", "IN THE DRAFT", "DETAIL")
			for _, s := range out.Steps {
				t.add(s.Queue, cmp.Or(s.On, "all members"), map[bool]string{true: "yes", false: "no"}[s.Done], s.Says)
			}
			t.write(w)
			if out.Draft == nil || !slices.ContainsFunc(out.Steps, func(s adopt.Completion) bool { return s.Done }) {
				fmt.Fprintln(w, "Nothing was changed.")
				return
			}
			fmt.Fprintf(w, "Your draft has %s now. Rehearse it: cirque rehearse\n", words.Count(out.Draft.Total, "change"))
		})
	}
	return c
}

func (r *screen) writeSets(w io.Writer, list []stock.SetView) {
	if len(list) == 0 {
		fmt.Fprintln(w, "The estate has no server set.")
		return
	}
	t := r.table("SET", "STYLE", "MEMBER", "DUTY", "ANSWERS", "QUEUES", "READ")
	for _, v := range list {
		for _, m := range v.Members {
			read := "never"
			if m.Read != nil {
				read = ago(*m.Read, time.Now())
			}
			t.add(v.Name, string(v.Style), m.Name, dutyOf(m), m.Health, fmt.Sprint(m.Queues), read)
		}
	}
	t.write(w)
	for _, v := range list {
		fmt.Fprintf(w, "%s: %s\n", v.Name, standingOf(v))
	}
}

// dutyOf names a member's duty, and how far it is where it returns.
func dutyOf(m stock.SetMember) string {
	if m.Duty == "serving" && m.Share < 1 {
		return fmt.Sprintf("returning, %.0f %%", m.Share*100)
	}
	return m.Duty
}

func standingOf(v stock.SetView) string {
	switch {
	case len(v.Rows) == 0:
		return "nothing was read yet, and no queue relies on it."
	case v.Missing > 0:
		return fmt.Sprintf("%s relied on and missing on a member; %d of %d not the same everywhere.", words.Count(v.Missing,
			"queue"), v.Differ, len(v.Rows))
	case v.Differ > 0:
		return fmt.Sprintf("%d of %s not the same everywhere.", v.Differ, words.Count(len(v.Rows), "queue"))
	}
	return fmt.Sprintf("%s, the same on every member that was read.", words.Count(len(v.Rows), "queue"))
}

func (r *screen) writeSet(w io.Writer, v stock.SetView, all bool) {
	head := []string{"QUEUE", "RELIED ON"}
	for _, m := range v.Members {
		head = append(head, m.Name+" ("+dutyOf(m)+")")
	}
	t := r.table(head...)
	hidden := 0
	for _, row := range v.Rows {
		if row.Same && !all {
			hidden++
			continue
		}
		line := []string{row.Queue, "no"}
		if row.Relied {
			line[1] = "yes"
		}
		for _, c := range row.Cells {
			text := c.State
			if c.State == "missing" {
				text = "MISSING"
			} else if c.Model != "" {
				text += ", " + c.Model
			}
			line = append(line, text)
		}
		t.add(line...)
	}
	if len(v.Rows) > hidden {
		t.write(w)
	}
	for _, row := range v.Rows {
		for i, c := range row.Cells {
			for _, says := range c.Says {
				fmt.Fprintf(w, "  %s on %s: %s\n", row.Queue, v.Members[i].Name, says)
			}
		}
	}
	fmt.Fprintf(w, "%s: %s\n", v.Name, standingOf(v))
	if hidden > 0 && len(v.Rows) > hidden {
		fmt.Fprintf(w, "The same on every member, and not shown: %s; --all shows them.\n", words.Count(hidden, "queue"))
	}
}
