package cli

import (
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/driver"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func driverNamesCommand(r *root) *cobra.Command {
	var model, platform string
	var uses []string
	var limit int
	c := ask(r, "names [WORD...]", "Exact names to choose from, as packages and servers have them", cmdline.Args(0, -1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (api.Choices, error) {
			if len(uses) > 0 && model == "" {
				return api.Choices{}, usagef("say the model that --uses is about with --model")
			}
			return apiclient.Get[api.Choices](c.Context(), client, "/api/v1/drivers/names", url.Values{"model": {model},
				"platform": {platform}, "find": {strings.Join(a, " ")}, "limit": {fmt.Sprint(limit)},
				"uses": uses})
		}, func(w io.Writer, list api.Choices) {
			t := r.table("", "EXACT NAME", "PLATFORM", "LANGUAGE", "VERSION", "KNOWN FROM", "DRIVER HERE", "WHY")
			for _, x := range list.Choices {
				mark := ""
				if x.Marked {
					mark = "*"
				} else if x.Fits {
					mark = "fits"
				}
				var from []string
				if len(x.Packages) > 0 {
					from = append(from, words.Count(len(x.Packages), "package"))
				}
				if len(x.Servers) > 0 {
					from = append(from, strings.Join(x.Servers, ", "))
				}
				if len(x.Places) > 0 {
					from = append(from, "the spooler at "+strings.Join(x.Places, ", "))
				}
				why := x.Why
				if len(x.For) > 0 {
					why = "for " + joined(x.For) + ": " + why
				}
				t.add(mark, r.exact(x.Exact), x.Platform, x.Language, x.Version, strings.Join(from, "; "), x.Driver, why)
			}
			t.write(w)
			blanks := ""
			if r.width > 0 {
				blanks = "; spaces are shown as ·"
			}
			fmt.Fprintf(w, "%d of %s%s.\n", len(list.Choices), words.Count(list.Total, "name"), blanks)
			if list.Advice != "" {
				fmt.Fprintf(w, "\n%s\n", list.Advice)
			}
		})
	c.Flags().StringVar(&model, "model", "", "a device's model: names that fit it come first, the one to take has a *")
	c.Flags().StringVar(&platform, "platform", "", "only for this platform")
	c.Flags().StringSliceVar(&uses, "uses", nil, "with --model: what is printed, of "+joined(driver.Uses)+"; the "+
		"language that suits each is marked; where two are needed: cirque queue second")
	c.Flags().IntVar(&limit, "limit", 50, "how many to list")
	return c
}

// joined lists what people print, as the page language depends on it.
func joined(uses []driver.Use) string {
	out := make([]string, 0, len(uses))
	for _, u := range uses {
		out = append(out, string(u))
	}
	return strings.Join(out, ", ")
}
