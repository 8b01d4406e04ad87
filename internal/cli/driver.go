package cli

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/driver"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
	"cirque/internal/whole"
)

func driverCommand(r *root) *cobra.Command {
	const base = "/api/v1/drivers"
	packages := ask(r, "list", "Driver packages", cmdline.Args(0, 0), items[driver.Package](fixed(base+"/packages")),
		func(w io.Writer, list []driver.Package) {
			t := r.table("PACKAGE", "NAME", "NAMES", "FILES", "SIZE", "ADDED BY", "PROBLEMS")
			for _, p := range list {
				t.add(p.Digest[:12], p.Name, fmt.Sprint(len(p.Models)), fmt.Sprint(p.Count), words.Size(p.Bytes), p.Author,
					fmt.Sprint(len(p.Problems)))
			}
			t.write(w)
			fmt.Fprintf(w, "%s.\n", words.Count(len(list), "package"))
		})
	show := ask(r, "show PACKAGE", "One driver package: the exact names that it accepts, and its files",
		cmdline.Args(1, 1), get[driver.Package](named(base+"/packages", "")), r.writePackage)
	return cmdline.Group("driver", "Driver packages and the exact names of drivers", packages, show, driverAddCommand(r),
		driverRemoveCommand(r), driverGetCommand(r), driverNamesCommand(r), driverCompareCommand(r),
		driverReportCommand(r), driverTryCommand(r), driverTriedCommand(r),
		driverOnCommand(r), driverPlaceCommand(r))
}

func (r *screen) writePackage(w io.Writer, p driver.Package) {
	fmt.Fprintf(w, "%s: %s in %s, %s. SHA-256 %s.\n\n", p.Name, words.Count(len(p.Models), "name"),
		words.Count(p.Count, "file"),
		words.Size(p.Bytes), p.Digest)
	t := r.table("EXACT NAME", "PLATFORM", "LANGUAGE", "VERSION", "DATE", "HARDWARE IDS", "SET-UP FILE")
	for _, m := range p.Models {
		t.add(r.exact(m.Exact), m.Platform, m.Language, m.Version, m.Date, strings.Join(m.HardwareIDs, ", "),
			m.SetUpFile)
	}
	t.write(w)
	for _, d := range p.Problems {
		fmt.Fprintln(w, "  "+d.String())
	}
}

func driverAddCommand(r *root) *cobra.Command {
	var called, note string
	dry := false
	c := ask(r, "add ARCHIVE|FOLDER", "Keep a driver package: a zip archive, or a folder with the unpacked driver",
		cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (api.AddedPackage, error) {
			b, err := packed(c, a[0])
			if err != nil {
				return api.AddedPackage{}, err
			}
			if called == "" && a[0] == "-" {
				return api.AddedPackage{}, usagef("say what the package is called, with --name")
			}
			if called == "" {
				called = strings.TrimSuffix(filepath.Base(filepath.Clean(a[0])), ".zip")
			}
			resp, err := client.Upload(c.Context(), "/api/v1/drivers/packages", withDry(url.Values{"name": {called},
				"note": {note}}, dry),
				"application/zip", bytes.NewReader(b))
			if err != nil {
				return api.AddedPackage{}, err
			}
			defer func() { _ = resp.Body.Close() }()
			var out api.AddedPackage
			return out, json.NewDecoder(resp.Body).Decode(&out)
		}, func(w io.Writer, p api.AddedPackage) {
			if p.Known {
				fmt.Fprintf(w, "These files are kept already, as %s; nothing was added.\n", p.Package.Name)
				return
			}
			r.writePackage(w, p.Package)
			if dry {
				fmt.Fprintln(w, "Nothing was stored.")
			}
		})
	c.Flags().BoolVar(&dry, "dry-run", false, "say which names it has, and store nothing")
	c.Flags().StringVar(&called, "name", "", "what it is called here; the file's name when absent")
	c.Flags().StringVar(&note, "note", "", "a note that stays with it")
	return c
}

// packed reads an archive, "-" from standard input, or packs a folder.
func packed(c *cobra.Command, name string) ([]byte, error) {
	if name == "-" {
		b, err := io.ReadAll(io.LimitReader(c.InOrStdin(), driver.MaxArchive+1))
		if err == nil && len(b) > driver.MaxArchive {
			err = fault.New(fault.TooLarge, "package-large", "leave out what the drivers do not need",
				"standard input has over %d MiB", driver.MaxArchive>>20)
		}
		return b, err
	}
	info, err := os.Stat(name)
	if err == nil && !info.IsDir() && info.Size() == 0 {
		return nil, fault.New(fault.Invalid, "package-empty", "fetch it again", "%s is empty: it is no zip archive", name)
	}
	if err == nil && !info.IsDir() {
		if info.Size() > driver.MaxArchive {
			return nil, fault.New(fault.TooLarge, "package-large", "leave out what the drivers do not need",
				"%s has over %d MiB", name, driver.MaxArchive>>20)
		}
		return os.ReadFile(name)
	}
	if err != nil {
		return nil, fault.New(fault.Invalid, "file-unreadable", "name a zip archive or a folder", "%s cannot be read: %s",
			name,
			cmdline.ReasonOf(err))
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	if err := z.AddFS(os.DirFS(name)); err != nil {
		return nil, fault.New(fault.Invalid, "folder-unreadable", "name a folder of plain files that this account may read",
			"the folder %s cannot be packed", name).Because(err)
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	if b.Len() > driver.MaxArchive {
		return nil, fault.New(fault.TooLarge, "package-large", "leave out what the drivers do not need",
			"%s packs to over %d MiB", name, driver.MaxArchive>>20)
	}
	return b.Bytes(), nil
}

func driverRemoveCommand(r *root) *cobra.Command {
	var force bool
	c := done(r, "remove PACKAGE", "Forget a driver package", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) error {
		q := url.Values{}
		if force {
			q.Set("force", "true")
		}
		return client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/drivers/packages", a[0]), q, nil, nil)
	}, func(a []string) string { return "The package " + a[0] + " is forgotten." })
	c.Flags().BoolVar(&force, "force", false, "also where the estate uses a driver of it")
	formerFlag(c, "insist", "force")
	return c
}

func driverGetCommand(r *root) *cobra.Command {
	var exact, platform string
	c := &cobra.Command{Use: "get PACKAGE FOLDER", Short: "Write a package's files into a folder: all, or only those " +
		"that one driver needs", Args: cmdline.Args(2, 2), RunE: func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		p, err := apiclient.Get[driver.Package](c.Context(), client, apiclient.Path("/api/v1/drivers/packages", a[0]), nil)
		if err != nil {
			return err
		}
		var want []string
		for _, e := range p.Files {
			want = append(want, e.Path)
		}
		if exact != "" {
			want = nil
			for _, m := range p.Models {
				if m.Exact == exact && (platform == "" || m.Platform == platform) {
					want = p.Needs(m)
				}
			}
			if want == nil {
				return fault.New(fault.Unknown, "name-unknown", "see cirque driver show "+a[0],
					"the package accepts no %q", exact)
			}
		}
		total := int64(0)
		for _, path := range want {
			n, err := fetch(c, client, p.Digest, path, a[1])
			if err != nil {
				return err
			}
			total += n
		}
		return r.say(c, a, "%s, %s, written to %s.", words.Count(len(want), "file"), words.Size(total), a[1])
	}}
	c.Flags().StringVar(&exact, "exact", "", "only what the driver of this exact name needs")
	c.Flags().StringVar(&platform, "platform", "", "of this platform")
	return c
}

// fetch writes one file below a folder; its path was checked when the package was taken in, and is again.
func fetch(c *cobra.Command, client *apiclient.Client, digest, path, folder string) (int64, error) {
	if !fs.ValidPath(path) {
		return 0, fault.New(fault.Invalid, "path-refused", "", "the package has a file %q, which leads out of it", path)
	}
	resp, err := client.Raw(c.Context(), http.MethodGet, apiclient.Path("/api/v1/drivers/packages", digest)+"/file",
		url.Values{"path": {path}}, nil, nil)
	if err != nil {
		return 0, err
	}
	defer func() { _ = resp.Body.Close() }()
	target := filepath.Join(folder, filepath.FromSlash(path))
	if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
		return 0, err
	}
	return whole.Copy(target, resp.Body, 0o644)
}

func driverCompareCommand(r *root) *cobra.Command {
	return ask(r, "compare NAME [NAME]", "Two names letter by letter; with one, against the nearest that is known",
		cmdline.Args(1, 2), func(c *cobra.Command, client *apiclient.Client, a []string) (api.Compared, error) {
			q := url.Values{"a": {a[0]}}
			if len(a) == 2 {
				q.Set("b", a[1])
			}
			return apiclient.Get[api.Compared](c.Context(), client, "/api/v1/drivers/compare", q)
		}, func(w io.Writer, x api.Compared) {
			var a, b, mark strings.Builder
			for _, p := range x.Parts {
				va, vb := r.exact(p.A), r.exact(p.B)
				n := max(len([]rune(va)), len([]rune(vb)))
				pad := func(s string) string { return s + strings.Repeat(" ", n-len([]rune(s))) }
				a.WriteString(pad(va))
				b.WriteString(pad(vb))
				if p.Same {
					mark.WriteString(strings.Repeat(" ", n))
				} else {
					mark.WriteString(strings.Repeat("^", n))
				}
			}
			fmt.Fprintf(w, "  %s\n  %s\n", a.String(), b.String())
			if !x.Equal {
				fmt.Fprintf(w, "  %s\n", strings.TrimRight(mark.String(), " "))
			}
			fmt.Fprintf(w, "%s%s.\n", strings.ToUpper(x.Says[:1]), x.Says[1:])
		})
}

func driverReportCommand(r *root) *cobra.Command {
	var all bool
	c := ask(r, "report", "Which drivers no package has, which queue lacks one for which platform, which packages "+
		"nobody uses", cmdline.Args(0, 0), get[driver.Report](fixed("/api/v1/drivers/report")), func(w io.Writer,
		d driver.Report) {
		t := r.table("DRIVER", "EXACT NAME", "PLATFORM", "IN PACKAGES", "QUEUES")
		for _, h := range d.Holdings {
			t.add(h.Driver, r.exact(h.Exact), h.Platform, h.Says, fmt.Sprint(len(h.Queues)))
		}
		t.write(w)
		fmt.Fprintln(w)
		if len(d.Matrix) > 0 {
			head := []string{"QUEUE"}
			for _, c := range d.Matrix[0].Cells {
				head = append(head, fmt.Sprintf("%s (%d)", c.Platform, c.Machines))
			}
			m := r.table(head...)
			holes, idle := 0, 0
			for _, row := range d.Matrix {
				cells, hole, lacking := []string{row.Queue}, false, 0
				for _, c := range row.Cells {
					says := c.Driver
					switch c.State {
					case "none":
						says, hole = "NONE", true
					case "near", "absent":
						says, hole = c.Driver+" (in no package)", true
					default:
						cells = append(cells, says)
						continue
					}
					if c.Receive > 0 {
						says = fmt.Sprintf("%s: %s", says, map[bool]string{true: "1 gets it", false: fmt.Sprintf("%d get it",
							c.Receive)}[c.Receive == 1])
						lacking += c.Receive
					}
					cells = append(cells, says)
				}
				switch {
				case lacking > 0:
					holes++
				case hole:
					idle++
				}
				if lacking > 0 || all {
					m.add(cells...)
				}
			}
			if holes == 0 {
				fmt.Fprintln(w, "Every queue has a driver, and a package for it, on every platform on which somebody gets it.")
			}
			if holes > 0 || all {
				m.write(w)
			}
			if idle > 0 && !all {
				fmt.Fprintf(w, "%s a driver only on platforms on which nobody gets them: see --all.\n",
					map[bool]string{true: "1 queue lacks", false: fmt.Sprintf("%d queues lack", idle)}[idle == 1])
			}
		}
		if len(d.Trouble) > 0 {
			fmt.Fprintln(w, "\nDrivers that endpoints could not install:")
			t := r.table("DRIVER", "ENDPOINT", "QUEUE", "DETAIL")
			for _, x := range d.Trouble {
				on := x.Machine
				if x.Remote {
					on += " (remote sessions)"
				}
				t.add(x.Driver, on, x.Queue, x.Says)
			}
			t.write(w)
		}
		for _, x := range []struct {
			what string
			list []string
		}{{"Packages that nobody uses", short(d.Unused)}, {"Packages of which newer ones have all that is used",
			short(d.Superseded)}, {"Queues without their maker's driver, though a package has one", d.Generic}} {
			if len(x.list) > 0 {
				fmt.Fprintf(w, "\n%s: %s.\n", x.what, strings.Join(x.list, ", "))
			}
		}
	})
	c.Flags().BoolVar(&all, "all", false, "also queues that lack nothing")
	return c
}

func short(digests []string) []string {
	var out []string
	for _, d := range digests {
		out = append(out, d[:min(12, len(d))])
	}
	return out
}
