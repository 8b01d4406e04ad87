package test

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"cirque/internal/testkit"
)

// TestUnitsAtEndpoints: what the estate says is fitted to a printer stands in the driver's options at the endpoint that
// prints through it, and goes out of them again.
func TestUnitsAtEndpoints(t *testing.T) {
	t.Parallel()
	u := testkit.NewUnixSpooler(t, false)
	s := startService(t)
	ppd := strings.Replace(somePPD("Skerrymark Mono 40"), "*OpenUI *PageSize", "*OpenGroup: InstallableOptions/Options "+
		"Installed\n*OpenUI *Option1/Duplex Unit: Boolean\n*DefaultOption1: False\n*Option1 True/Installed: \"\"\n*Option1 "+
		"False/Not Installed: \"\"\n*CloseUI: *Option1\n*CloseGroup: InstallableOptions\n*OpenUI *PageSize", 1)
	s.must("driver", "add", folder(t, map[string]string{"mono.ppd": ppd}), "--name", "mono")
	publish := func(units string) {
		s.publish(`estate: 1
devices: [{name: p, uri: "ipp://127.0.0.1:9/ipp/print"}]
drivers: [{name: mono, exact: "Skerrymark Mono 40", platform: linux}]
queues: [{name: hall, devices: [p], paths: [{device: p}], drivers: {linux: mono}` + units + `}]
grants: [{name: g, effect: place, queues: [hall], on: ["machine:desk-1"]}]
`)
	}
	publish(", units: {two-sided: true}")
	s.followsOn(u, "desk-1")
	duplex := func() string {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, strings.Replace(u.URI, "ipp://", "http://",
			1)+"printers/hall.ppd", nil)
		if err != nil {
			t.Fatal(err)
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			return ""
		}
		defer func() { _ = resp.Body.Close() }()
		b, _ := io.ReadAll(resp.Body)
		_, rest, _ := strings.Cut(string(b), "*DefaultOption1:")
		line, _, _ := strings.Cut(rest, "\n")
		return strings.TrimSpace(line)
	}
	within(t, "the duplex unit is there", func() bool { return duplex() == "True" })
	publish("")
	within(t, "it is gone", func() bool { return duplex() == "False" })
	contains(t, "no drift", s.must("endpoint", "show", "desk-1"), "It has what it should")
	publish(", units: {two-sided: true}")
	within(t, "it is there again", func() bool { return duplex() == "True" })
}
