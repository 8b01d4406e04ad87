package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"path/filepath"

	"github.com/spf13/cobra"

	"cirque/core/update"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const agentPackagesPath = "/api/v1/agent-packages"

func endpointPackageCommand(r *root) *cobra.Command {
	list := ask(r, "list", "Packages of the agent that the service hands out", cmdline.Args(0, 0),
		items[update.AgentPackage](fixed(agentPackagesPath)), func(w io.Writer, list []update.AgentPackage) {
			if len(list) == 0 {
				fmt.Fprintln(w, "None. make packages leaves them in dist/; to add them: cirque endpoint package add "+
					"dist/cirque-agent*")
				return
			}
			t := r.table("VERSION", "FOR", "FILE", "SIZE", "SHA-256", "ADDED", "BY")
			for _, p := range list {
				t.add(p.Version, p.Platform, p.File, words.Size(p.Bytes), p.Digest[:12], r.zone().Day(p.At), p.Author)
			}
			t.write(w)
		})
	remove := done(r, "remove DIGEST", "Hand out a package of the agent no more", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "DELETE", apiclient.Path(agentPackagesPath, a[0]), nil, nil, nil)
		}, func(a []string) string { return a[0] + " is handed out no more. Machines that have it keep it." })
	return cmdline.Group("package", "Packages of the agent that the service hands out", endpointPackageAddCommand(r), list,
		remove)
}

func endpointPackageAddCommand(r *root) *cobra.Command {
	c := ask(r, "add FILE...", "Have the service hand out packages of the agent", cmdline.Args(1, 100),
		func(c *cobra.Command, client *apiclient.Client, a []string) (out []api.AddedAgentPackage, err error) {
			for _, file := range a { // all of them are known before the first is sent
				if _, err := update.Named(filepath.Base(file)); err != nil {
					return nil, err
				}
			}
			for _, file := range a {
				one, err := addAgentPackage(c.Context(), client, file)
				if err != nil {
					return nil, err
				}
				out = append(out, one)
			}
			return out, nil
		}, func(w io.Writer, list []api.AddedAgentPackage) {
			for _, p := range list {
				says := "is handed out"
				if p.Known {
					says = "was handed out already"
				}
				fmt.Fprintf(w, "%s %s: version %s for %s, %s.\n", p.Package.File, says, p.Package.Version, p.Package.Platform,
					words.Size(p.Package.Bytes))
			}
			fmt.Fprintf(w, "\nWhich machines they suit: cirque endpoint update show %s\n", list[0].Package.Version)
		})
	c.Long = `Have the service hand out packages of the agent, as make packages leaves them (.deb, .rpm, .msi,
.tar.gz): to machines that are brought to another version (cirque endpoint update), and to
cirque enrol package. Nothing else is needed for it, and no way to the internet.`
	return c
}

func addAgentPackage(ctx context.Context, client *apiclient.Client, file string) (out api.AddedAgentPackage,
	err error) {
	b, err := readFile("package", file)
	if err != nil {
		return out, err
	}
	resp, err := client.Upload(ctx, agentPackagesPath, url.Values{"file": {filepath.Base(file)}},
		"application/octet-stream", bytes.NewReader(b))
	if err != nil {
		return out, err
	}
	defer func() { _ = resp.Body.Close() }()
	return out, json.NewDecoder(resp.Body).Decode(&out)
}
