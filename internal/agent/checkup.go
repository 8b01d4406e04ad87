package agent

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/words"
	"cirque/internal/agentproto"
	"cirque/internal/probe/dial"
	ippclient "cirque/internal/probe/ipp"
)

// checkWithin bounds one question of a checkup, printWithin a test page.
const (
	checkWithin = 8 * time.Second
	printWithin = 15 * time.Second
)

// printsPages is a spooler that can print a page itself, as a program at the machine would.
type printsPages interface {
	// TestPage prints a page to a queue, as a user where it is one person's, and follows the job; done says that it is
	// completed.
	TestPage(ctx context.Context, queue, user string, page Page) (says string, done bool, err error)
}

// A Testing says to which queue a checkup prints, and with which driver instead of the queue's own.
type Testing struct{ Queue, Try string }

// heed does what the service asked for besides.
func (a *Agent) heed(ctx context.Context, facts Facts) {
	id, test := readAsk(a.client.asked)
	a.client.asked = ""
	if id == 0 {
		return
	}
	answer := agentproto.CheckupAnswer{ID: id, Checks: a.Checkup(ctx, facts, test), Tried: test.Try}
	if _, _, err := a.client.post(ctx, agentproto.CheckupPath, answer, nil, 30*time.Second); err != nil &&
		ctx.Err() == nil {
		a.cfg.Log.Warn("the checkup's answer did not arrive", "error", err)
	}
}

// readAsk reads what the service asks for; 0 where it asks for no checkup.
func readAsk(asked string) (id int64, test Testing) {
	for part := range strings.SplitSeq(asked, ";") {
		switch k, v, _ := strings.Cut(strings.TrimSpace(part), "="); k {
		case "checkup":
			id, _ = strconv.ParseInt(v, 10, 64)
		case "queue":
			test.Queue = v
		case "try":
			test.Try, _ = url.QueryUnescape(v)
		}
	}
	return id, test
}

// reach asks printers as this machine does, which may be one itself.
func (a *Agent) reach() *ippclient.Client {
	return ippclient.New(dial.New(a.cfg.Reach, &dial.Rules{Local: true}))
}

// Checkup looks from the machine's own place: spooler, queues, drivers, and whether each path answers from here; with a
// test page where a queue is named.
func (a *Agent) Checkup(ctx context.Context, facts Facts, test Testing) []agentproto.Check {
	out := []agentproto.Check{}
	add := func(check, result, fix, says string, args ...any) {
		if result == endpoint.Yes {
			fix = ""
		}
		out = append(out, agentproto.Check{Check: check, Result: result, Says: fmt.Sprintf(says, args...), Fix: fix})
	}
	if s, ok := a.cfg.Spooler.(knowsLogins); ok {
		s.SignedIn(a.logins)
	}
	const spooler = "Does its spooler work?"
	installed, _, err := a.cfg.Spooler.List(ctx, peopleOf(a.kept.Contexts))
	if err != nil {
		add(spooler, endpoint.No, "start the machine's spooler", "%v", err)
		return out
	}
	add(spooler, endpoint.Yes, "", "%s answers, with %s", a.cfg.Spooler.Name(),
		words.Count(len(installed), "queue"))
	a.fromSpooler(installed)
	found := map[endpoint.Key]endpoint.Installed{}
	for _, i := range installed {
		found[i.Key()] = i
	}
	reach := a.reach()
	tried := map[string]error{}
	for _, w := range endpoint.PlanFor(a.kept.Lineups).Wants {
		of := w.Queue
		if w.User != "" {
			of += " of " + w.User
		}
		i, there := found[w.Key()]
		what, wanted, has := endpoint.Differs(w, i.Want)
		switch {
		case !there:
			says := "it is not installed"
			if f, ok := a.failed[w.Key()]; ok {
				says = f.Says
			}
			add("Is "+of+" there?", endpoint.No, "call the endpoint; where it fails again, see what the "+
				"spooler says", "%s", says)
			continue
		case what != "":
			add("Is "+of+" there?", endpoint.No, "call the endpoint", "it is, with another %s: %s, not %s", what, has, wanted)
		case i.Halted:
			add("Is "+of+" there?", endpoint.No, "see what the spooler says of it, and start it", "it is, and it is stopped")
		case i.Closed != "":
			add("Is "+of+" there?", endpoint.Yes, "", "installed, and held closed: %s", i.Closed)
		default:
			add("Is "+of+" there?", endpoint.Yes, "", "installed, with the driver %s", cmp.Or(w.Exact, w.Driver))
		}
		a.waiting(ctx, w, of, add)
		if strings.HasPrefix(w.URI, "/") {
			add("Does its path answer?", endpoint.Yes, "", "it leads through the service, which this machine reaches")
			continue
		}
		err, done := tried[w.URI]
		if !done {
			within, cancel := context.WithTimeout(ctx, checkWithin)
			err = reach.Alive(within, w.URI)
			cancel()
			tried[w.URI] = err
		}
		if err == nil {
			add("Does its path answer?", endpoint.Yes, "", "%s answers from this machine", w.URI)
		} else {
			f := fault.As(err)
			add("Does its path answer?", endpoint.No, cmp.Or(f.Fix, "look at what lies between this machine and it, such "+
				"as a firewall"), "%s does not, from this machine: %s", w.URI, f.What)
		}
	}
	switch {
	case test.Try != "":
		a.trial(ctx, facts, test, add)
	case test.Queue != "":
		a.testPage(ctx, facts, test.Queue, found, add)
	}
	return out
}

type addCheck func(check, result, fix, says string, args ...any)

func (a *Agent) testPage(ctx context.Context, facts Facts, queue string, found map[endpoint.Key]endpoint.Installed,
	add addCheck) {
	check := endpoint.TestCheck(queue, "")
	for k, i := range found {
		if k.Queue == queue {
			a.printPage(ctx, facts, check, Testing{Queue: queue}, i.Want, cmp.Or(i.Exact, i.Driver), add)
			return
		}
	}
	add(check, endpoint.No, "see the check of the queue", "the queue is not on this machine")
}

// trial prints with another driver, through a queue of its own that goes afterwards, whatever happens: the real one is
// never touched.
func (a *Agent) trial(ctx context.Context, facts Facts, test Testing, add addCheck) {
	check := endpoint.TestCheck(test.Queue, test.Try)
	wants := a.plan().Wants
	i := slices.IndexFunc(wants, func(w endpoint.Want) bool { return w.Queue == test.Queue })
	if i < 0 {
		add(check, endpoint.No, "choose a queue that this machine or somebody on it receives",
			"the queue is not for this machine")
		return
	}
	w := wants[i].Trial(test.Try)
	s := endpoint.Step{Do: "add", Want: w}
	within, cancel := context.WithTimeout(ctx, driverWithin)
	err := a.do(within, s)
	cancel()
	if err != nil {
		add(endpoint.SetUpCheck, endpoint.No, "see what the spooler says", "%v", err)
	} else {
		add(endpoint.SetUpCheck, endpoint.Yes, "", "%s was made for the trial", w.Queue)
		a.printPage(ctx, facts, check, test, w, endpoint.TryName(test.Try), add)
	}
	s.Do = "remove"
	after, cancel := context.WithTimeout(context.WithoutCancel(ctx), checkWithin)
	defer cancel()
	if err := a.do(after, s); err != nil {
		add("Is everything as it was?", endpoint.No, "call the endpoint: it takes the queue away then",
			"%s is still there: %v", w.Queue, err)
	} else {
		add("Is everything as it was?", endpoint.Yes, "", "the queue of the trial is gone, and %s was "+
			"not touched", test.Queue)
	}
}

// printPage prints a page that says where it comes from, to a queue that is installed.
func (a *Agent) printPage(ctx context.Context, facts Facts, check string, test Testing, i endpoint.Want, driver string,
	add addCheck) {
	page := Page{Plain: test.Try == endpoint.TryPlain, Lines: []string{"Test page", "", "Queue    " + test.Queue,
		"Machine  " + facts.Machine, "For      " + cmp.Or(i.User, "everybody"), "Path     " + i.URI, "Driver   " + driver,
		"Time     " + time.Now().Format(time.RFC3339)}}
	within, cancel := context.WithTimeout(ctx, printWithin)
	defer cancel()
	const look = "look whether paper came out, and tell: cirque endpoint print-result NUMBER good, garbled or nothing"
	p, ok := a.cfg.Spooler.(printsPages)
	if !ok {
		_, text, _ := page.in(nil) // plain text cannot fail
		out, err := a.reach().Print(within, a.absolute(i.URI), job.Document{Name: "Test page",
			Owner: cmp.Or(i.User, "checkup"), Format: "text/plain"}, bytes.NewReader(text))
		if err != nil {
			add(check, endpoint.No, fault.As(err).Fix, "%s", fault.As(err).What)
		} else {
			add(check, endpoint.Unproven, look, "this spooler only stands in, so it went straight along the path, which "+
				"took it: %s", out.Says)
		}
		return
	}
	switch says, done, err := p.TestPage(within, i.Queue, i.User, page); {
	case err != nil:
		add(check, endpoint.No, "see what the spooler says", "%v", err)
	case done:
		add(check, endpoint.Unproven, look, "%s; the paper has the last word", says)
	default:
		add(check, endpoint.Unproven, look, "the spooler took it: %s", says)
	}
}

// CheckHere is a checkup by whoever sits at the machine: what Status says, then the checks, in lines. bad says that one
// of them says no.
func CheckHere(ctx context.Context, o Opened, test Testing) (lines []string, bad bool, err error) {
	lines, statusErr := Status(ctx, o.State, o.Machine)
	var checks []agentproto.Check
	if statusErr != nil {
		checks = append(checks, agentproto.Check{Check: "Does it reach the service?", Result: endpoint.No,
			Says: statusErr.Error(), Fix: "see that the service's port is open from here, and that the machine is enrolled"})
	}
	a, err := Kept(Config{State: o.State, Spooler: o.Spooler, Machine: o.Machine, Reach: o.Reach})
	if err != nil {
		return lines, true, err
	}
	facts, err := o.Machine.Facts(ctx)
	if err != nil {
		return lines, true, err
	}
	for _, r := range append(checks, a.Checkup(ctx, facts, test)...) {
		lines = append(lines, fmt.Sprintf("%-9s %s %s.", r.Result, r.Check, strings.TrimSuffix(r.Says, ".")))
		if r.Fix != "" {
			lines = append(lines, fmt.Sprintf("%-9s   To mend it: %s.", "", r.Fix))
		}
		bad = bad || r.Result == endpoint.No
	}
	return lines, bad, nil
}
