package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/cmdline"
)

// rename gives an object another name, in the draft.
func (o objectsOf) rename() *cobra.Command {
	c := &cobra.Command{Use: "rename " + o.arg() + " NEW", Short: "Give " + o.one() + " another name, in your draft; " +
		"what names it follows", Args: cmdline.Args(2, -1)}
	if o.list == "locations" {
		c.Long = `Give a location another path, in your draft, and with it what lies in it. Everything that names
one of them follows: subnets, stations, servers, devices, queues, grants, notices and
promises.`
	}
	var e editing
	e.flags(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		o, a, err := o.of(a)
		if err != nil {
			return err
		}
		if len(a) != 2 {
			return usagef("name the %s and its new name", o.word())
		}
		client, err := o.r.client()
		if err != nil {
			return err
		}
		var v api.Renamed
		if err := client.Do(c.Context(), "POST", "/api/v1/draft/rename-object", e.name(), api.RenameObject{List: o.list,
			Object: a[0], To: a[1], Dry: e.dry}, &v); err != nil {
			return err
		}
		return o.r.print(c, v, func(w io.Writer) { writeRenamed(w, o, v, e.dry) })
	}
	return c
}

func writeRenamed(w io.Writer, o objectsOf, v api.Renamed, dry bool) {
	is, follow := "is", "follow"
	if dry {
		is, follow = "would be", "would follow"
	}
	for _, n := range v.Names {
		if n.Also == 1 && !dry {
			follow = "follows"
		}
		fmt.Fprintf(w, "The %s %s %s called %s; %s that %s %s.\n", o.word(), n.From, is, n.To, words.Count(n.Also, "object"),
			map[bool]string{true: "names it", false: "name it"}[n.Also == 1], follow)
	}
	if o.list == "servers" || o.list == "devices" {
		fmt.Fprintln(w, "What was read and decided beside the estate under the old name, such as keys and drains, "+
			"stays there.")
	}
	if dry {
		fmt.Fprintln(w, "Nothing was changed.")
	}
}
