package adopt

import (
	"context"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/adopt"
	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/internal/testkit/rooms"
)

// reports are what agents told, by machine.
type reports map[string]endpoint.Report

func (r reports) Endpoint(_ context.Context, machine string) (endpoint.Record, error) {
	told, ok := r[machine]
	if !ok {
		return endpoint.Record{}, fault.New(fault.Unknown, "endpoint-unknown", "see them", "no endpoint %s", machine)
	}
	return endpoint.Record{Report: told}, nil
}

// TestProposeAttached: of what an agent tells, printers that are plugged in are proposed, what tells nothing of itself
// or says that it is none where it is named, and what is not plugged in never.
func TestProposeAttached(t *testing.T) {
	t.Parallel()
	r, _ := furnish(t)
	no := false
	const slip, line, camera, net = "usb://T/Slip?serial=S1", "serial:/dev/ttyS0", "usb://T/Eye?serial=S2",
		"ipp://192.0.2.66/"
	r.cfg.Endpoints = reports{"till-07": {Machine: "till-07", Attached: []endpoint.Attached{{URI: slip, Model: "T Slip"},
		{URI: line}, {URI: camera, Model: "T Eye", Printer: &no}, {URI: net, Model: "T Net"}}}, "old": {Machine: "old"}}
	for _, c := range []struct {
		from  string
		found []string
		want  string // the devices, or the refusal
	}{
		{"till-07", nil, slip}, {"till-07", []string{line}, line}, {"till-07", []string{camera, slip}, slip + " " + camera},
		{"till-07", []string{net}, "attached-unknown"}, {"till-07", []string{"usb://T/Slip?serial=S9"}, "attached-unknown"},
		{"old", nil, "attached-untold"}, {"nowhere", nil, "endpoint-unknown"},
	} {
		list, err := r.Propose(t.Context(), rooms.Who(access.Administrator), "mine", "", []adopt.Selection{{
			Kind: adopt.KindAttached, From: c.from, Found: c.found}})
		var got []string
		for _, p := range list {
			if p.Device == nil || p.Device.Machine != c.from {
				t.Errorf("%+v: %+v", c, p)
				continue
			}
			got = append(got, p.Device.URI)
		}
		if err != nil {
			got = []string{fault.As(err).Code}
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%+v: %v", c, got)
		}
	}
}
