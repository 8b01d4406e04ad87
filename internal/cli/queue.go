package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func queueCommand(r *root) *cobra.Command {
	var location, label, word string
	list := &cobra.Command{Use: "list", Short: "List queues", Args: cmdline.Args(0, 0), RunE: func(c *cobra.Command,
		_ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		all, err := apiclient.List[lineup.QueueSheet](c.Context(), client, "/api/v1/queues", nil)
		if err != nil {
			return err
		}
		kept := []lineup.QueueSheet{}
		for _, q := range all {
			if (location == "" || q.Location == location || strings.HasPrefix(q.Location, location+"/")) && (label == "" ||
				slices.Contains(q.Labels, label)) &&
				(word == "" || findsQueue(q, word)) {
				kept = append(kept, q)
			}
		}
		if len(kept) == 0 {
			places, err := apiclient.List[estate.Location](c.Context(), client, "/api/v1/locations", nil)
			if err != nil {
				return err
			}
			if err := knownOf(all, places, location, label); err != nil {
				return err
			}
		}
		return r.print(c, kept, func(w io.Writer) {
			t := r.table("QUEUE", "TITLE", "LOCATION", "THROUGH", "STATE", "GIVEN BY")
			for _, q := range kept {
				t.add(q.Name, q.Title, q.Location, through(q), queueState(q), givenBy(q.Given))
			}
			t.write(w)
			practice := 0
			for _, q := range all {
				if q.Purpose == estate.Practice {
					practice++
				}
			}
			fmt.Fprintf(w, "%d of %s%s.\n", len(kept), words.Count(len(all), "queue"), map[bool]string{true: fmt.Sprintf(", of "+
				"which %d for practice", practice)}[practice > 0])
		})
	}}
	list.Flags().StringVar(&location, "location", "", "only at this location or under it")
	list.Flags().StringVar(&label, "label", "", "only with this label")
	list.Flags().StringVar(&word, "find", "", "only with this in name, old names, title, location, labels or note")
	return cmdline.Group("queue", "See queues, and change many at once", append(append([]*cobra.Command{list},
		r.queueTools()...), objectsOf{r: r, list: "queues"}.edits()...)...)
}

// knownOf gives an Unknown fault where the estate has no such location, or no queue has the label, that is asked for.
func knownOf(all []lineup.QueueSheet, locations []estate.Location, location, label string) error {
	var labels, places []string
	for _, q := range all {
		labels = append(labels, q.Labels...)
	}
	for _, l := range locations {
		places = append(places, l.Path)
	}
	check := func(what, word, says string, known []string) error {
		if word == "" || slices.Contains(known, word) {
			return nil
		}
		fix := "see cirque queue list"
		if near := document.Nearest(word, known); near != "" {
			fix = fmt.Sprintf("did you mean %q?", near)
		}
		return fault.New(fault.Unknown, what+"-unknown", fix, says, word)
	}
	if err := check("location", location, "the estate has no location %q", places); err != nil {
		return err
	}
	return check("label", label, "no queue has the label %q", labels)
}

func findsQueue(q lineup.QueueSheet, word string) bool {
	text := strings.Join(append(append([]string{q.Name, q.Title, q.Location, q.Note}, q.Labels...), q.Formerly...), " ")
	return strings.Contains(strings.ToLower(text), strings.ToLower(word))
}

// besides says what a queue is for, where that is not people's work.
func besides(q lineup.QueueSheet) string {
	return map[string]string{estate.Practice: ", for practice", estate.Helper: ", for programs alone"}[q.Purpose]
}

// through says how a queue is reached, and that it is a pool.
func through(q lineup.QueueSheet) string {
	out := strings.Join(q.Through, ", ")
	if len(q.Devices) > 1 {
		out += fmt.Sprintf(" (a pool of %d)", len(q.Devices))
	}
	return out
}

func queueState(q lineup.QueueSheet) string {
	switch {
	case q.Retired:
		return "retired"
	case q.Paused:
		return "paused" + besides(q)
	}
	return "open" + besides(q)
}

func givenBy(g lineup.Given) string {
	switch {
	case g.State == lineup.IsRetired:
		return "nobody: it is retired"
	case g.State == lineup.ToNobody && len(g.By) == 0:
		return "nobody gets this"
	case g.State == lineup.ToNobody:
		return "nobody gets this, though given by " + strings.Join(g.By, ", ")
	}
	return strings.Join(g.By, ", ")
}
