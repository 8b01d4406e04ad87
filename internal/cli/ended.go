package cli

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/estate"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// westernmost is the last clock on which a day ends: whatever has ended by it has ended everywhere.
var westernmost = time.FixedZone("", -12*60*60)

// draftEndedCommand takes out what has ended.
func draftEndedCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "remove-ended", Short: "Take out of your draft whatever has ended by its until",
		Args: cmdline.Args(0, 0),
		Long: `Take out of your draft the grants, queues, notices and promises whose until lies behind. They have had
no effect since, and stay until they are taken out. A queue that something else still names cannot
go; then nothing is changed, and what names it is said.`}
	var e editing
	e.flags(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		now, err := apiclient.Get[api.Estate](c.Context(), client, "/api/v1/draft/document", e.name())
		if err != nil {
			return err
		}
		edits, ended := endedEdits(now.Document, time.Now())
		if len(edits) == 0 {
			return r.say(c, nil, "Nothing has ended.")
		}
		var d api.Draft
		if err := client.Do(c.Context(), "POST", "/api/v1/draft/edits", withDry(e.name(), e.dry), api.Edits{Edits: edits},
			&d); err != nil {
			return err
		}
		return r.print(c, d, func(w io.Writer) {
			for _, x := range ended {
				fmt.Fprintf(w, "%s ended: %s\n", x.Ref, x.Until)
			}
			writeEdited(w, d, e.dry, refsOf(edits)...)
		})
	}
	return c
}

func endedEdits(doc *estate.Document, now time.Time) (edits []estate.Edit, ended []estate.Ending) {
	for _, x := range doc.Endings() {
		if at, ok := x.End.In(westernmost); ok && !at.After(now) {
			edits, ended = append(edits, estate.Edit{Ref: x.Ref, Remove: true}), append(ended, x)
		}
	}
	return edits, ended
}

func refsOf(edits []estate.Edit) (out []estate.Ref) {
	for _, e := range edits {
		out = append(out, e.Ref)
	}
	return out
}
