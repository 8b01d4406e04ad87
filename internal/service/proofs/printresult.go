package proofs

import (
	"context"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
)

// TellPrintResult takes in what somebody saw come out of a checkup's test page. It is remembered of the driver with the
// device's model, where both are known.
func (s *Room) TellPrintResult(ctx context.Context, p *access.Principal, id int64, result,
	note string) (endpoint.Checkup, error) {
	if err := access.Check(p, access.SendTestPage); err != nil {
		return endpoint.Checkup{}, err
	}
	if !slices.Contains([]string{endpoint.PrintGood, endpoint.PrintGarbled, endpoint.PrintNothing}, result) {
		return endpoint.Checkup{}, fault.New(fault.Invalid, "print-result", "say good, garbled or nothing",
			"%q is not what may come out", result)
	}
	c, err := s.store.Checkup(ctx, id)
	if err != nil {
		return c, err
	}
	rec, err := s.store.Endpoint(ctx, c.Machine)
	if err != nil {
		return c, err
	}
	if err := access.CheckAt(p, access.SendTestPage, s.present.View().SiteOfMachine(rec.Report, s.now()), "the endpoint "+
		rec.Report.Machine); err != nil {
		return c, err
	}
	if c.Queue == "" || c.Done == nil {
		return c, fault.New(fault.Conflict, "print-result-early", "wait for the checkup's answer, or ask for one with "+
			"a test "+
			"page: cirque endpoint checkup MACHINE --queue QUEUE", "this checkup has sent no test page")
	}
	if t := c.Tested(); t == nil || t.Result == endpoint.No {
		return c, fault.New(fault.Conflict, "print-result-none", "mend that first", "no test page was sent: %s", c.First())
	}
	saw := driver.Seen{Model: c.Model, Driver: c.Try, Result: result, Machine: rec.Report.Machine, Queue: c.Queue,
		By: p.Name, Note: strings.TrimSpace(note)}
	if saw.Driver == "" {
		saw.Driver = rec.Report.DriverOf(c.Queue)
	}
	if c.Try != c.Tried {
		saw.Driver = "" // something else was printed
	}
	with, note := "", ""
	if c.Try != "" {
		with = ", with " + endpoint.TryName(c.Try)
	}
	if saw.Note != "" {
		note = ": " + saw.Note
	}
	came := map[string]string{endpoint.PrintGood: "well", endpoint.PrintGarbled: "garbled",
		endpoint.PrintNothing: "empty: nothing was printed"}[result]
	c, err = s.store.TellPrintResult(ctx, id, saw, event.Event{Kind: event.TestPage, Subject: c.Queue,
		Author: p.Name}.Saying("A test page to {queue} from {machine} came out {result}{with}{note}", "queue", c.Queue,
		"machine", rec.Report.Machine, "result", came, "with", with, "note", note))
	if err != nil {
		return c, err
	}
	return s.complete(ctx, c, rec)
}
