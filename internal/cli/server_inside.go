package cli

import (
	"cmp"
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/driver"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// insideCommand shows what a server has besides its queues.
func insideCommand(r *root) *cobra.Command {
	return ask(r, "inside SERVER", "A print server's drivers, paper forms and ports", cmdline.Args(1, 1),
		get[stock.Inside](named("/api/v1/stock/servers", "/inside")), func(w io.Writer, v stock.Inside) {
			if len(v.Drivers)+len(v.Forms)+len(v.Ports) == 0 {
				fmt.Fprintf(w, "%s told of nothing, or has not been read: cirque server read %s\n", v.Server, v.Server)
				return
			}
			t := r.table("DRIVER", "VERSION", "PACKAGES HERE", "QUEUES")
			for _, d := range v.Drivers {
				version := d.Version
				if d.Newer {
					version += " (another package has it now)"
				}
				t.add(d.Exact, version, cmp.Or(strings.Join(d.Packages, ", "), "none"), words.Few(d.Queues, 4))
			}
			t.write(w)
			t = r.table("FORM", "QUEUES", "USUAL PAPER OF")
			for _, f := range v.Forms {
				t.add(f.Media, words.Few(f.Queues, 4), words.Few(f.Loaded, 4))
			}
			t.write(w)
			t = r.table("PORT", "DEVICE", "QUEUES")
			for _, p := range v.Ports {
				t.add(p.URI, cmp.Or(p.Device, "none of the estate"), words.Few(p.Queues, 4))
			}
			t.write(w)
		})
}

// matrixCommand sets queues against servers and platforms.
func matrixCommand(r *root) *cobra.Command {
	var find string
	var holes bool
	c := ask(r, "matrix", "Which queue is on which print server, and with which driver on which platform, with the holes",
		cmdline.Args(0, 0), func(c *cobra.Command, client *apiclient.Client, _ []string) (stock.ServerMatrix, error) {
			return apiclient.Get[stock.ServerMatrix](c.Context(), client, "/api/v1/stock/matrix", url.Values{"find": {find},
				"holes": {fmt.Sprint(holes)}, "limit": {"10000"}})
		}, func(w io.Writer, v stock.ServerMatrix) { writeMatrix(&r.screen, w, v) })
	c.Flags().StringVar(&find, "find", "", "only queues with this in their name")
	c.Flags().BoolVar(&holes, "holes", false, "only queues with a hole")
	return c
}

func writeMatrix(r *screen, w io.Writer, v stock.ServerMatrix) {
	head := []string{"QUEUE"}
	for _, s := range v.Servers {
		head = append(head, s.Name)
	}
	t := r.table(append(head, v.Platforms...)...)
	for _, row := range v.Rows {
		line := []string{row.Queue}
		for _, c := range row.Servers {
			says := map[string]string{"not-wanted": "", "missing": "MISSING", "there": cmp.Or(c.Model, "there"),
				"unread": "not read"}[c.State]
			line = append(line, says)
		}
		for _, c := range row.Platforms {
			line = append(line, platformSays(c))
		}
		t.add(line...)
	}
	if len(v.Rows) > 0 {
		t.write(w)
	}
	fmt.Fprintf(w, "%s, %d with a hole.\n", words.Count(len(v.Rows), "queue"), v.Holes)
	var unread []string
	for _, s := range v.Servers {
		if s.Unread > 0 {
			unread = append(unread, s.Name)
		}
	}
	if len(unread) > 0 {
		fmt.Fprintf(w, "What is on %s is not known: cirque server read %s\n", words.Few(unread, 5), unread[0])
	}
}

// platformSays says in a cell with which driver a queue's people print.
func platformSays(c driver.Cell) string {
	switch c.State {
	case "none":
		return "NONE"
	case "near", "absent":
		return c.Driver + " (in no package)"
	}
	return c.Driver
}
