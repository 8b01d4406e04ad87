package test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/internal/agent"
	"cirque/internal/testkit"
)

// agentFor holds what a process is told that is to be an agent of a real spooler: an agentJob.
const agentFor = "CIRQUE_TEST_AGENT"

type agentJob struct {
	Service, Token, Socket, State, Homes string
	// Serves is the machine whose print server it keeps; empty for an endpoint's agent.
	Serves string
}

// open gives the spooler with made-up homes.
func (j agentJob) open() (*agent.Unix, error) {
	return agent.NewUnix(j.Socket, func(login string) (string, int, int, error) {
		home := filepath.Join(j.Homes, login)
		return home, os.Getuid(), os.Getgid(), os.MkdirAll(home, 0o755)
	})
}

// madeUp is a machine on which two people sit.
type madeUp struct{}

func (madeUp) Facts(context.Context) (agent.Facts, error) {
	return agent.Facts{Machine: "desk-1", Platform: "linux/x64", Sessions: []agent.Session{{User: "mira"},
		{User: "jonas"}}}, nil
}

func agentIfAsked() {
	var j agentJob
	if json.Unmarshal([]byte(os.Getenv(agentFor)), &j) != nil {
		return
	}
	if j.Serves != "" {
		j.serve()
	}
	s, err := j.open()
	if err == nil {
		var a *agent.Agent
		if a, err = agent.New(agent.Config{Service: j.Service, Token: j.Token, State: j.State, Version: "test", Spooler: s,
			Machine: madeUp{}}); err == nil {
			err = a.Run(contextOfProcess())
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(0)
}

// somePPD is a description that needs no filter, of a model.
func somePPD(model string) string {
	return strings.ReplaceAll(`*PPD-Adobe: "4.3"
*FormatVersion: "4.3"
*FileVersion: "1.0"
*LanguageVersion: English
*LanguageEncoding: ISOLatin1
*PCFileName: "MODEL.PPD"
*Manufacturer: "Skerrymark"
*Product: "(MODEL)"
*ModelName: "MODEL"
*ShortNickName: "MODEL"
*NickName: "MODEL"
*PSVersion: "(3010.000) 0"
*ColorDevice: False
*DefaultColorSpace: Gray
*cupsFilter2: "application/pdf application/pdf 0 -"
*OpenUI *PageSize/Media Size: PickOne
*DefaultPageSize: A4
*PageSize A4/A4: ""
*CloseUI: *PageSize
*OpenUI *PageRegion/Page Region: PickOne
*DefaultPageRegion: A4
*PageRegion A4/A4: ""
*CloseUI: *PageRegion
*DefaultImageableArea: A4
*ImageableArea A4/A4: "12 12 583 830"
*DefaultPaperDimension: A4
*PaperDimension A4/A4: "595 842"
`, "MODEL", model)
}

// randomEstate makes an estate of some queues, each placed for the machine, for a person, or for nobody.
func randomEstate(r *rand.Rand) string {
	var queues, grants strings.Builder
	for i := range 6 {
		if r.IntN(5) == 0 {
			continue // it is gone
		}
		driver := [...]string{"", `, drivers: {linux/x64: mono}`, `, drivers: {linux/x64: wide}`}[r.IntN(3)]
		options := [...]string{"", ", defaults: {sides: two-sided-long-edge}", ", defaults: {sides: one-sided, " +
			"print-quality: 5, media: iso_a5_148x210mm}"}[r.IntN(3)]
		fmt.Fprintf(&queues, "  - {name: q%d, location: ard/hall, title: \"Queue %d at %d\", devices: [p%d], paths: "+
			"[{device: p%d}]%s%s}\n", i, i, r.IntN(3), r.IntN(3), 0, driver, options)
		to := [...]string{`to: ["user:mira"]`, `to: ["user:mira", "user:jonas"]`, `on: ["machine:desk-1"]`,
			`to: ["user:nobody"]`}[r.IntN(4)]
		fmt.Fprintf(&grants, "  - {name: g%d, effect: place, queues: [q%d], %s, default: %d, insist: true}\n", i, i, to,
			1+r.IntN(9))
	}
	text := "estate: 1\nlocations: [{path: ard, title: Ardholm}, {path: ard/hall, title: Hall}]\ndevices: [{name: p0, " +
		"uri: \"ipp://192.0.2.1/ipp/print\"}, {name: p1, uri: \"ipp://192.0.2.2/ipp/print\"}, {name: p2, uri: " +
		"\"ipp://192.0.2.3/ipp/print\"}]\n" +
		"drivers: [{name: mono, exact: \"Skerrymark Mono 40\", platform: linux}, {name: wide, exact: \"Northreach Wide 90 " +
		"PS\", platform: linux}]\n"
	text = strings.ReplaceAll(text, "p0, uri: \"ipp://192.0.2.1", fmt.Sprintf("p0, uri: \"ipp://192.0.2.%d", 10+r.IntN(4)))
	if queues.Len() > 0 {
		text += "queues:\n" + strings.ReplaceAll(strings.ReplaceAll(strings.ReplaceAll(queues.String(), "devices: [p1]",
			"devices: [p0, p1]"), "devices: [p2]", "devices: [p0, p2]"), "devices: [p0, p0]", "devices: [p0]")
		text += "grants:\n" + grants.String()
	}
	return text
}

// TestRealSpoolerSurvives: after 200 random changes, with agent, service, database and spooler killed along the way, a
// real spooler is exactly as its lineups say, and what the agent did not install is as it was.
func TestRealSpoolerSurvives(t *testing.T) {
	t.Parallel()
	server := testkit.NewUnixSpooler(t, false)
	b := besiege(t, server)
	job := agentJob{Socket: server.Socket, Homes: filepath.Join(b.dir, "homes")}
	own, err := job.open()
	if err != nil {
		t.Fatal(err)
	}
	hand := endpoint.Want{Queue: "by-hand", URI: "ipp://192.0.2.99/"}
	if err := server.SetUpByHand(t.Context(), hand.Queue, hand.URI); err != nil {
		t.Fatal(err)
	}
	b.follows("desk-1", job)
	publish := func(least int) {
		text := randomEstate(b.r)
		for strings.Count(text, "user:mira")+strings.Count(text, "machine:desk-1") < least {
			text = randomEstate(b.r)
		}
		b.publish(text)
	}
	b.change(200, func() { publish(0) })
	publish(3) // an empty spooler would prove little
	queries := []map[string]any{{"machine": "desk-1", "platform": "linux/x64"}, {"user": "mira", "machine": "desk-1",
		"platform": "linux/x64"}, {"user": "jonas", "machine": "desk-1", "platform": "linux/x64"}}
	var drift []endpoint.Difference
	var installed []endpoint.Installed
	defer func() {
		if t.Failed() {
			t.Logf("drift %+v\ninstalled %+v", drift, installed)
		}
	}()
	within(t, "the spooler is as its lineups say", func() bool {
		var lineups []lineup.Lineup
		if err := b.p.c.Do(t.Context(), "POST", "/api/v1/lineups/batch", nil, queries, &lineups); err != nil {
			return false
		}
		if installed, _, err = own.List(t.Context(), []string{"mira", "jonas"}); err != nil {
			return false
		}
		drift = endpoint.Drift(endpoint.PlanFor(lineups), endpoint.Report{Installed: installed})
		return len(drift) == 0
	})
	for _, i := range installed {
		if i.Own && i.Place != "Hall, Ardholm" {
			t.Errorf("%s is said to be at %q", i.Queue, i.Place)
		}
	}
	kept := false
	for _, i := range installed {
		kept = kept || !i.Own && i.Queue == hand.Queue && i.URI == hand.URI
	}
	if !kept {
		t.Error("what somebody set up by hand is gone")
	}
}
