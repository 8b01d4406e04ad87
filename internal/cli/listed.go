package cli

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/advert"
	"cirque/internal/cmdline"
)

func listedCommand(r *root) *cobra.Command {
	c := ask(r, "listed", "How the queues that are listed stand as printer entries in each directory", cmdline.Args(0, 0),
		items[advert.Listing](fixed("/api/v1/directory/listings")), func(w io.Writer, list []advert.Listing) {
			if len(list) == 0 {
				fmt.Fprintln(w, "No directory has printer entries of Cirque's. To have the queues that are listed written into "+
					"one: cirque directory source add NAME ... --list-under DN")
				return
			}
			t := r.table("SOURCE", "BELOW", "STATUS", "AS OF")
			for _, l := range list {
				t.add(l.Source, l.Under, l.Says, ago(l.At, time.Now()))
			}
			t.write(w)
			for _, l := range list {
				if l.Fix != "" {
					fmt.Fprintf(w, "%s: %s.\n", l.Source, l.Fix)
				}
				for _, why := range l.Refused {
					fmt.Fprintf(w, "%s: not written: %s.\n", l.Source, why)
				}
			}
		})
	c.Long = `How the queues that are listed stand as printer entries (RFC 7612) in each directory. A queue is
listed where its key listed is true. People find them with their own directory's tools, such as:

  ldapsearch -x -H ldaps://HOST -b DN '(&(objectClass=printerService)(printer-location=*Quay House*))'`
	return c
}
