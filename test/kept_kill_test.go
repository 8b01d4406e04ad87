package test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/server"
	"cirque/internal/agent"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// serve is a process that keeps a print server.
func (j agentJob) serve() {
	u, err := agent.NewUnixServer(j.Socket)
	if err == nil {
		var k *agent.Keeper
		if k, err = agent.NewKeeper(agent.Config{Service: j.Service, Token: j.Token, State: j.State, Version: "test",
			Machine: serverMachine(j.Serves)}, u); err == nil {
			err = k.Run(contextOfProcess())
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(0)
}

// randomServer makes an estate whose queues lead through a kept server, or do not.
func randomServer(r *rand.Rand) string {
	var b strings.Builder
	b.WriteString(`estate: 1
locations: [{path: ard, title: Ardholm}, {path: ard/hall, title: Hall}]
drivers: [{name: mono, exact: "Skerrymark Mono 40", platform: linux}, {name: wide, exact: "Northreach Wide 90 PS", platform: linux}]
servers: [{name: ps, uri: "ipp://ps.example:631/", kept: true}]
devices: [{name: p0, uri: "ipp://192.0.2.1/ipp/print"}, {name: p1, uri: "ipp://192.0.2.2/ipp/print"}, {name: p2, uri: "ipp://192.0.2.3/ipp/print"}]
queues:
  - {name: always, devices: [p0], paths: [{device: p0}]}
`)
	for i := range 7 {
		if r.IntN(5) == 0 {
			continue // it is gone
		}
		one := func(list ...string) string { return list[r.IntN(len(list))] }
		fmt.Fprintf(&b, "  - {name: q%d, title: %q, location: ard/hall, devices: %s, paths: [%s]%s%s%s%s%s}\n", i,
			one("Mono", "Wide"), one("[p0]", "[p1]", "[p0, p1]", "[p2, p0, p1]"),
			one("{server: ps}", "{server: ps}", fmt.Sprintf("{server: ps, remote_name: R%d}", i%3), "{gateway: true}"),
			one("", "", `, drivers: {linux/x64: mono}`, `, drivers: {linux/x64: wide}`),
			one("", ", defaults: {sides: two-sided-long-edge}", ", defaults: {sides: one-sided, print-quality: 5}"),
			one("", "", `, access: {allow: ["user:mira", "group:clerks"]}`, `, access: {deny: ["user:jonas"]}`,
				`, access: {allow: ["user:nobody-here"]}`),
			one("", "", "", ", paused: true"), one("", "", ", on_servers: {comment: By the window, render: client}",
				", units: {two-sided: true}"))
	}
	return b.String()
}

// TestKeptServerSurvives: after 200 random changes, with agent, service, database and spooler killed along the way, a real
// spooler is exactly as the estate wants it, and what somebody else made on it is as it was, word for word.
func TestKeptServerSurvives(t *testing.T) {
	t.Parallel()
	spooler, own := unixServer(t)
	b := besiege(t, spooler)
	people := directory.Records{Users: []directory.User{{Name: "mira"}, {Name: "jonas"}, {Name: "ida"}},
		Groups: []directory.Group{{Name: "clerks", Members: []string{"user:ida"}}}}
	if _, err := apiclient.Post[directory.Import](t.Context(), b.p.c, "/api/v1/directory/import",
		api.Import{Files: []document.File{{Name: "d.yaml", Text: "directory: 1\nusers: [{name: mira}, {name: jonas}, " +
			"{name: ida}]\ngroups: [{name: clerks, members: [\"user:ida\"]}]\n"}}}); err != nil {
		t.Fatal(err)
	}
	theirs := []string{"by-hand", "R1"} // the second stands in the way of queues of the estate now and then
	before := map[string]string{}
	for _, q := range theirs {
		if err := spooler.SetUpByHand(t.Context(), q, "ipp://192.0.2.99/"); err != nil {
			t.Fatal(err)
		}
		before[q] = spooler.Entry(q)
		if before[q] == "" {
			t.Fatal("the spooler has kept nothing of", q)
		}
	}
	b.follows("ps", agentJob{Serves: "ps"})
	last := ""
	publish := func() {
		last = randomServer(b.r)
		b.publish(last)
	}
	b.change(200, publish)
	for strings.Count(last, "server: ps") < 3 {
		publish() // an empty server would prove little
	}
	doc, err := estate.Parse([]document.File{{Name: "estate.yaml", Text: last}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	var drift []server.Difference
	var found []server.Found
	defer func() {
		if t.Failed() {
			t.Logf("drift %+v\nfound %+v\nof %s", drift, found, last)
		}
	}()
	within(t, "the server is as the estate wants it", func() bool {
		if found, err = own.Shared(t.Context()); err != nil {
			return false
		}
		plan := server.Wanted(doc, directory.New(people), "ps", time.Now(), nil)
		for i := range plan.Wants { // which package has a driver the estate does not say
			for _, f := range found {
				if f.Name == plan.Wants[i].Name && f.Package != "" {
					plan.Wants[i].Package = f.Package
				}
			}
		}
		wants, _ := server.At(plan.Wants, time.Now(), nil)
		drift = nil
		for _, d := range server.Drift(wants, found, false) {
			if d.Kind != "in-the-way" {
				drift = append(drift, d)
			}
		}
		return len(drift) == 0
	})
	for _, f := range found {
		if f.Own && (f.Place != "Hall, Ardholm" || f.Exact != "" && f.Package == "") {
			t.Errorf("%s is said to be at %q, with the package %q", f.Name, f.Place, f.Package)
		}
	}
	for _, q := range theirs {
		if after := spooler.Entry(q); after != before[q] {
			t.Errorf("what somebody else made was\n%s\nand is\n%s", before[q], after)
		}
	}
}
