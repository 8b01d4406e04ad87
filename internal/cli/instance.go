package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/instance"
	"cirque/core/span"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// instanceCommand are the commands for what a service keeps besides the estate.
func instanceCommand(r *root) *cobra.Command {
	return cmdline.Group("instance", "What a service keeps besides the estate, as a file: accounts, directories, keys' "+
		"names, packages", instanceExportCommand(r), instanceApplyCommand(r))
}

// gathered is an instance as it is, with the numbers by which some of it is taken out.
type gathered struct {
	instance.Document
	rules map[string]int64 // by what a step calls them
	links map[string]int64
}

// gather reads all of an instance that a document speaks of.
func gather(ctx context.Context, client *apiclient.Client) (g gathered, err error) {
	g = gathered{Document: instance.Document{Instance: 1}, rules: map[string]int64{}, links: map[string]int64{}}
	for _, read := range []func() error{
		each(ctx, client, accountsPath, func(a access.Account) {
			if a.Source == "" && !a.Emergency { // the others follow from rules, or are an envelope's
				g.Accounts = append(g.Accounts, instance.Account{Name: a.Name, Role: string(a.Role), Sites: a.Sites})
			}
		}),
		each(ctx, client, rulesPath, func(v access.Rule) {
			rule := instance.Rule{Who: v.Who, Source: v.Source, Role: string(v.Role), Sites: v.Sites}
			g.Rules = append(g.Rules, rule)
			g.rules[rule.Title()] = v.ID
		}),
		each(ctx, client, sourcesPath, func(v directory.SourceView) { g.Sources = append(g.Sources, sourceOf(v.Source)) }),
		each(ctx, client, "/api/v1/credentials", func(v stock.Credential) {
			c := instance.Credential{Name: v.Name, Kind: v.Kind, User: v.User, For: v.For, AllowClear: v.Clear}
			if v.Expires != nil {
				c.Expires = v.Expires.UTC().Format(time.RFC3339)
			}
			g.Credentials = append(g.Credentials, c)
		}),
		each(ctx, client, "/api/v1/stock/servers", func(v stock.ServerView) {
			if v.Registered {
				g.Servers = append(g.Servers, watchOf(v.Watch))
			}
		}),
		each(ctx, client, "/api/v1/stock/devices", func(v stock.DeviceView) {
			if v.Registered {
				g.Devices = append(g.Devices, watchOf(v.Watch))
			}
		}),
		each(ctx, client, placesPath, func(v driver.PlaceView) {
			g.Places = append(g.Places, instance.Place{Name: v.Name, URL: v.URL, CA: v.CA, AllowClear: v.AllowClear,
				Note: v.Note})
		}),
		each(ctx, client, "/api/v1/drivers/packages", func(v driver.Package) {
			g.Packages = append(g.Packages, instance.Package{Name: v.Name, Digest: v.Digest, Note: v.Note})
		}),
		each(ctx, client, notesPath, func(v directory.WrittenNote) {
			g.Notes = append(g.Notes, instance.Note{About: v.Kind + ":" + v.Name, Note: v.Says})
		}),
	} {
		if err := read(); err != nil {
			return g, err
		}
	}
	v, err := apiclient.Get[linked](ctx, client, linksPath, nil)
	if err != nil {
		return g, err
	}
	g.People = &instance.People{ByAddress: v.ByAddress, ByEmployee: v.ByEmployee, Primary: v.Primary}
	for _, j := range v.ByHand {
		l := instance.Link{A: of(j.A), B: of(j.B), Unlinked: j.Unlinked, Reason: j.Reason}
		g.People.Links = append(g.People.Links, l)
		g.links[l.Title()] = j.ID
	}
	return g, nil
}

// each reads a list to its end.
func each[T any](ctx context.Context, client *apiclient.Client, path string, take func(T)) func() error {
	return func() error {
		list, err := apiclient.List[T](ctx, client, path, nil)
		for _, v := range list {
			take(v)
		}
		return err
	}
}

func sourceOf(v directory.Source) instance.Source {
	s := instance.Source{Name: v.Name, URL: v.URL, StartTLS: v.StartTLS, CA: v.CA, Bind: v.Bind, Base: v.Base,
		Preset: v.Preset, RemovalLimit: v.RemovalLimit, ListUnder: v.ListUnder, SignIn: v.SignIn, Paused: v.Paused}
	if b, err := json.Marshal(v.Map); err == nil {
		_ = json.Unmarshal(b, &s.Map) // texts by their keys, those that are set
	}
	if len(s.Map) == 0 {
		s.Map = nil
	}
	if v.Every > 0 {
		s.Every = span.Format(time.Duration(v.Every) * time.Second)
	}
	if v.Whole > 0 {
		s.Whole = span.Format(time.Duration(v.Whole) * time.Second)
	}
	return s
}

func watchOf(v stock.Watch) instance.Watch {
	return instance.Watch{Name: v.Name, Title: v.Title, URI: v.URI, Location: v.Location, MAC: v.MAC,
		AddressKeptBy: v.AddressKeptBy, Credential: v.Credential, Note: v.Note}
}

// packageFolder is where a package's files are kept below a folder.
func packageFolder(folder string, k instance.Package) string {
	return filepath.Join(folder, stock.Slug(k.Name)+"-"+k.Digest[:min(8, len(k.Digest))])
}

func instanceExportCommand(r *root) *cobra.Command {
	var packages string
	c := &cobra.Command{Use: "export", Short: "Write what a service keeps besides the estate",
		Args: cmdline.Args(0, 0),
		Long: `Write what a service keeps besides the estate: local accounts and access rules, directories that are
read, who is one person, keys to servers and devices by name, servers and devices that were registered,
driver packages and the places that they are fetched from, notes. No secret is in it, nor what comes
from elsewhere: people out of directories, readings, events, tokens, what agents report. The packages'
files go below --packages FOLDER.

A service is built anew from files with
  cirque estate apply estate.yaml --publish -m "Rebuilt"
  cirque instance apply instance.yaml --packages FOLDER --secrets secrets.yaml`,
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			g, err := gather(c.Context(), client)
			if err != nil {
				return err
			}
			if packages != "" {
				if err := r.packagesInto(c, client, packages, g.Packages); err != nil {
					return err
				}
			}
			if r.output == cmdline.JSON {
				return r.print(c, g.Sorted(), nil)
			}
			b, err := g.YAML()
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(b)
			return err
		}}
	c.Flags().StringVar(&packages, "packages", "", "write the files of the driver packages below this `FOLDER`, each "+
		"into one of its own")
	return c
}

// packagesInto writes the files of packages below a folder.
func (r *root) packagesInto(c *cobra.Command, client *apiclient.Client, folder string, list []instance.Package) error {
	for _, k := range list {
		p, err := apiclient.Get[driver.Package](c.Context(), client, apiclient.Path("/api/v1/drivers/packages", k.Digest),
			nil)
		if err != nil {
			return err
		}
		total := int64(0)
		for _, e := range p.Files {
			n, err := fetch(c, client, p.Digest, e.Path, packageFolder(folder, k))
			if err != nil {
				return err
			}
			total += n
		}
		fmt.Fprintf(c.ErrOrStderr(), "%s: %s, %s\n", packageFolder(folder, k), words.Count(len(p.Files), "file"),
			words.Size(total))
	}
	return nil
}

// writeInstanceSteps writes steps as a table, with what came of them where they were done.
func writeInstanceSteps(r *root, w io.Writer, list []instanceStep) {
	if len(list) == 0 {
		fmt.Fprintln(w, "It is so already: nothing to do.")
		return
	}
	t := r.table("STATE", "WHAT", "DETAIL").main(1)
	for _, s := range list {
		var detail []string
		for _, k := range s.Keys {
			detail = append(detail, fmt.Sprintf("%s: %s to %s", k.Key, valueText(k.From), valueText(k.To)))
		}
		if s.State == "would" && len(s.Secrets) > 0 {
			detail = append(detail, "asks for a secret")
		}
		if s.Says != "" {
			detail = append(detail, s.Says)
		}
		t.add(s.stateText(), s.Step.String(), strings.Join(detail, "; "))
	}
	t.write(w)
	if open := openSteps(list); len(open) > 0 && len(open) < len(list) {
		fmt.Fprintf(w, "%s done, %d open.\n", words.Count(len(list)-len(open), "step"), len(open))
	}
}

// valueText writes a value of a step's keys for people.
func valueText(v any) string {
	switch v := v.(type) {
	case []string:
		if len(v) == 0 {
			return "none"
		}
		return strings.Join(v, ", ")
	case string:
		if v == "" {
			return "none"
		}
		if first, _, more := strings.Cut(v, "\n"); more {
			return first + " …"
		}
		return v
	}
	return fmt.Sprint(v)
}

func openSteps(list []instanceStep) []instanceStep {
	return slices.DeleteFunc(slices.Clone(list), func(s instanceStep) bool { return s.State != "open" })
}
