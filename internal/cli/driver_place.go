package cli

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/driver"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const placesPath = "/api/v1/drivers/places"

// driverPlaceCommand are the commands for places that drivers are fetched from.
func driverPlaceCommand(r *root) *cobra.Command {
	list := ask(r, "list", "The places that drivers are fetched from, with what they offer", cmdline.Args(0, 0),
		items[driver.PlaceView](fixed(placesPath)), func(w io.Writer, list []driver.PlaceView) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Drivers are fetched from no place. To have one: cirque driver place add NAME --folder "+
					"https://HOST/FOLDER/")
				return
			}
			t := r.table("PLACE", "FOLDER", "NEW", "CHANGED", "KEPT", "LOOKED AT")
			for _, v := range list {
				seen := ago(v.Look.At, time.Now())
				if v.Look.Error != nil {
					seen += "; fails since"
				}
				t.add(v.Name, v.URL, fmt.Sprint(v.New), fmt.Sprint(v.Changed), fmt.Sprint(v.Kept), seen)
			}
			t.write(w)
			for _, v := range list {
				if v.Look.Error != nil {
					fmt.Fprintf(w, "%s: %s; %s.\n", v.Name, v.Look.Error.What, v.Look.Error.Fix)
				}
			}
		})
	var find string
	var limit int
	show := ask(r, "show NAME", "One place: what it offers, and what was fetched lately", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (api.PlaceOffers, error) {
			return apiclient.Get[api.PlaceOffers](c.Context(), client, apiclient.Path(placesPath, a[0]),
				url.Values{"find": {find}, "limit": {fmt.Sprint(limit)}})
		}, writePlace(r))
	show.Flags().StringVar(&find, "find", "", "only what has these words in its name")
	show.Flags().IntVar(&limit, "limit", 100, "how much of it to list")
	look := ask(r, "look NAME", "Ask a place anew what it offers; each is asked once a day by itself", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (api.PlaceOffers, error) {
			return apiclient.Post[api.PlaceOffers](c.Context(), client, apiclient.Path(placesPath, a[0])+"/looks", nil)
		}, writePlace(r))
	remove := done(r, "remove NAME", "Forget a place; packages that came from it stay", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "DELETE", apiclient.Path(placesPath, a[0]), nil, nil, nil)
		}, func(a []string) string {
			return "The place " + a[0] + " is forgotten. The packages that came from it stay."
		})
	return cmdline.Group("place", "Places that drivers are fetched from", list, show, placeAddCommand(r), look,
		placeFetchCommand(r), placeStopCommand(r), remove)
}

func placeAddCommand(r *root) *cobra.Command {
	var in api.NewPlace
	var caFile string
	c := ask(r, "add NAME --folder URL", "Try a place that drivers are fetched from and keep it, or change one",
		cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (out api.PlaceOffers, err error) {
			if in.CA, err = authorityFrom(caFile); err != nil {
				return out, err
			}
			err = client.Do(c.Context(), "PUT", apiclient.Path(placesPath, a[0]), nil, in, &out)
			return out, err
		}, func(w io.Writer, v api.PlaceOffers) {
			writePlace(r)(w, v)
			if in.Try {
				fmt.Fprintln(w, "It was only tried; nothing is kept.")
			}
		})
	c.Long = `Try a place that drivers are fetched from, and keep it: a folder of zip archives on a web server, with
the list of their checksums, which whoever keeps the place makes with
  sha256sum *.zip > ` + driver.SumsFile + `
With ipps://HOST/ it is the collection of drivers that a print server's spooler brings along. A place
of that name is changed. What is not encrypted is taken only where it is allowed.`
	f := c.Flags()
	f.StringVar(&in.URL, "folder", "", "the folder's `URL`: https://HOST/FOLDER/, or ipps://HOST/ for a spooler")
	f.StringVar(&caFile, "folder-ca", "", "the authority of the web server's certificate, a PEM file; the system's when "+
		"absent")
	f.BoolVar(&in.AllowClear, "allow-clear", false, "take plain HTTP or IPP, where others can change drivers on the "+
		"way, and their checksums")
	f.StringVar(&in.Note, "note", "", "a note that stays with it")
	f.BoolVar(&in.Try, "dry-run", false, "only try it; nothing is kept")
	_ = c.MarkFlagRequired("folder")
	return c
}

// writePlace writes what a place offers.
func writePlace(r *root) func(w io.Writer, v api.PlaceOffers) {
	return func(w io.Writer, v api.PlaceOffers) {
		p := v.Place
		fmt.Fprintf(w, "%s: %s, %s: %d new, %d changed, %d kept. Looked at %s.\n", p.Name, p.URL,
			words.Count(p.New+p.Changed+p.Kept, p.Unit()), p.New, p.Changed, p.Kept, ago(p.Look.At, time.Now()))
		if p.Look.Error != nil {
			fmt.Fprintf(w, "It failed %s: %s; %s.\n", ago(p.Look.Tried, time.Now()), p.Look.Error.What, p.Look.Error.Fix)
		}
		if p.Note != "" {
			fmt.Fprintln(w, p.Note)
		}
		fmt.Fprintln(w)
		if p.BuiltIn() {
			t := r.table("EXACT NAME", "STATE", "PACKAGE", "THERE AS")
			for _, o := range v.Offers {
				t.add(r.exact(o.Title), o.State, o.Name, o.File)
			}
			t.write(w)
		} else {
			t := r.table("FILE", "STATE", "NAMES", "PACKAGE", "SHA-256")
			for _, o := range v.Offers {
				names := "-"
				if o.Names != nil {
					names = fmt.Sprint(*o.Names)
				}
				t.add(o.File, o.State, names, o.Name, o.SHA256[:min(12, len(o.SHA256))])
			}
			t.write(w)
		}
		if len(v.Offers) < v.Total {
			fmt.Fprintf(w, "%d of %d are listed: see --find and --limit.\n", len(v.Offers), v.Total)
		}
		if p.Look.Others > 0 {
			fmt.Fprintf(w, "%s no zip %s, and left.\n", words.Count(p.Look.Others, "other file is", "other files are"),
				map[bool]string{true: "archive", false: "archives"}[p.Look.Others == 1])
		}
		for _, d := range p.Look.Problems {
			fmt.Fprintln(w, "  "+d.String())
		}
		if len(p.Fetches) > 0 {
			fmt.Fprintln(w, "\nFetched lately:")
			t := r.table("FETCH", "FILE", "STATE", "BY", "WHEN", "DETAIL").main(1)
			for _, f := range p.Fetches {
				t.add(fmt.Sprint(f.ID), f.File, fetchState(f), f.Author, ago(f.At, time.Now()), f.Says)
			}
			t.write(w)
		}
	}
}

// fetchState says how a fetch stands.
func fetchState(f driver.Fetch) string {
	switch {
	case f.State == driver.FetchRunning && f.Total > 0:
		return fmt.Sprintf("%s of %s", words.Size(f.Got), words.Size(f.Total))
	case f.State == driver.FetchRunning:
		return words.Size(f.Got)
	case f.State == driver.FetchDone && f.Dry:
		return "looked into"
	case f.State == driver.FetchDone && f.Known:
		return "kept already"
	case f.State == driver.FetchDone:
		return "kept"
	}
	return f.State
}

func placeFetchCommand(r *root) *cobra.Command {
	var in api.NewFetch
	noWait := false
	c := &cobra.Command{Use: "fetch PLACE FILE", Short: "Fetch an archive of a place, and keep it as a driver package",
		Args: cmdline.Args(2, 2),
		Long: `Fetch an archive of a place, hold it against its checksum, and keep it as a driver package; with
--dry-run only say which names are in it. The service fetches it; leaving with Ctrl-C stops that, and
nothing of it is kept.`,
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			in.File = a[1]
			f, err := apiclient.Post[driver.Fetch](c.Context(), client, apiclient.Path(placesPath, a[0])+"/fetches", in)
			if err == nil && !noWait {
				f, err = r.followFetch(c, client, f)
			}
			if err != nil {
				return err
			}
			if f.State == driver.FetchFailed {
				return fault.New(fault.Unavailable, f.Code, f.Fix, "%s", f.Says).With(f.Details)
			}
			return r.print(c, f, func(w io.Writer) { writeFetch(r, w, f) })
		}}
	c.Flags().BoolVar(&in.Dry, "dry-run", false, "say which names it has, and keep nothing")
	c.Flags().StringVar(&in.Name, "name", "", "what the package is called here; the file's name when absent")
	c.Flags().BoolVar(&noWait, "no-wait", false, "do not wait for its end")
	return c
}

func writeFetch(r *root, w io.Writer, f driver.Fetch) {
	switch {
	case f.State == driver.FetchStopped:
		fmt.Fprintf(w, "%s of %s: %s.\n", f.File, f.Place, f.Says)
	case f.Package == nil:
		fmt.Fprintf(w, "%s is being fetched from %s: %s. To see how far it is: cirque driver place show %s\n", f.File,
			f.Place, f.State, f.Place)
	case f.Known:
		fmt.Fprintf(w, "These files are kept already, as %s; nothing was added.\n", f.Package.Name)
	default:
		r.writePackage(w, *f.Package)
		if f.Dry {
			fmt.Fprintln(w, "Nothing was kept.")
		}
	}
}

// followFetch waits for the end of a fetch, and stops it where whoever waits leaves.
func (r *root) followFetch(c *cobra.Command, client *apiclient.Client, f driver.Fetch) (driver.Fetch, error) {
	path := fetchPath(f)
	return follow(r, c, client, f, work[driver.Fetch]{over: driver.Fetch.Over, stop: path,
		again: func(ctx context.Context) (driver.Fetch, error) {
			return apiclient.Get[driver.Fetch](ctx, client, path, nil)
		},
		says: func(f driver.Fetch) string { return f.File + ": " + fetchState(f) }})
}

func fetchPath(f driver.Fetch) string {
	return apiclient.Path(placesPath, f.Place) + fmt.Sprintf("/fetches/%d", f.ID)
}

func placeStopCommand(r *root) *cobra.Command {
	return done(r, "stop PLACE FILE", "Stop fetching an archive; nothing of it is kept", cmdline.Args(2, 2),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			v, err := apiclient.Get[api.PlaceOffers](c.Context(), client, apiclient.Path(placesPath, a[0]), nil)
			if err != nil {
				return err
			}
			for _, f := range v.Place.Fetches {
				if f.File == a[1] && !f.Over() {
					return client.Do(c.Context(), "DELETE", fetchPath(f), nil, nil, nil)
				}
			}
			return fault.New(fault.Unknown, "fetch-unknown", "see cirque driver place show "+a[0],
				"%q is not being fetched from %s", a[1], a[0])
		}, func(a []string) string { return strings.Join([]string{a[1], "is being stopped."}, " ") })
}
