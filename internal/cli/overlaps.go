package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/lineup"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// overlapsCommand lists grants that can hold for somebody at once.
func overlapsCommand(r *root) *cobra.Command {
	var person, place string
	c := &cobra.Command{Use: "overlaps [--user NAME] [--location PATH]",
		Short: "Grants that speak of the same queues and can hold for somebody at once", Args: cmdline.Args(0, 0),
		Long: `List pairs of grants that speak of the same queues and can hold for somebody at once, with what they
come to together: a queue that is withheld is kept away whatever else gives it, and one that is placed is
placed though another grant offers it. Hours, and machines named by group or unit, are taken to be
possible; an address to be where the estate's subnets say.`}
	c.Flags().StringVar(&person, "user", "", "only those for this person")
	c.Flags().StringVar(&place, "location", "", "only those at this place or below")
	when := r.whenFlags(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		q := when()
		if person != "" {
			q.Set("user", person)
		}
		if place != "" {
			q.Set("location", place)
		}
		list, err := apiclient.List[lineup.Overlap](c.Context(), client, "/api/v1/overlaps", q)
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) { writeOverlaps(r, w, list) })
	}
	return c
}

func writeOverlaps(r *root, w io.Writer, list []lineup.Overlap) {
	if len(list) == 0 {
		fmt.Fprintln(w, "No two grants speak of the same queue for anybody at once.")
		return
	}
	t := r.table("GRANT", "AND", "TOGETHER", "PEOPLE", "QUEUES")
	for _, v := range list {
		t.add(v.A, v.B, outcomeOf(v), overlapPeople(v), strings.Join(v.Queues, ", "))
	}
	t.write(w)
	fmt.Fprintf(w, "%s.\n", words.Count(len(list), "pair"))
}

// outcomeOf says what two grants come to: "placed by a; default by b".
func outcomeOf(v lineup.Overlap) string {
	says := v.Outcome
	if v.Decides != "" {
		says += " by " + v.Decides
	}
	switch {
	case v.Default != "":
		says += "; default by " + v.Default
	case v.Tie:
		says += "; their defaults tie"
	}
	return says
}

func overlapPeople(v lineup.Overlap) string {
	switch {
	case v.Everyone:
		return "everybody"
	case v.People <= len(v.Names):
		return strings.Join(v.Names, ", ")
	}
	return fmt.Sprintf("%d: %s, …", v.People, strings.Join(v.Names[:min(2, len(v.Names))], ", "))
}
