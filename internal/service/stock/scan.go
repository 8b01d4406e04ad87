package stock

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/core/words"
)

// Rates of scans, in addresses a second, and how many are asked at once.
const (
	ScanRate    = 40
	MaxScanRate = 200

	scannersMost = 128
)

// PlanScan says what a scan would touch, and touches nothing.
func (s *Room) PlanScan(_ context.Context, p *access.Principal, ranges []string, rate int) (stock.ScanPlan, error) {
	plan, _, err := s.planScan(p, ranges, rate)
	return plan, err
}

func (s *Room) planScan(p *access.Principal, ranges []string, rate int) (stock.ScanPlan, []netip.Addr, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return stock.ScanPlan{}, nil, err
	}
	if rate == 0 {
		rate = ScanRate
	}
	if rate < 1 || rate > MaxScanRate {
		return stock.ScanPlan{}, nil, fault.New(fault.Invalid, "scan-rate", fmt.Sprintf("write 1 to %d addresses a second",
			MaxScanRate), "a scan cannot ask %d addresses a second", rate)
	}
	all, err := stock.Addresses(ranges)
	if err != nil {
		return stock.ScanPlan{}, nil, err
	}
	plan := stock.ScanPlan{Ranges: ranges, Total: len(all), First: all[0].String(),
		Last: all[len(all)-1].String(), Rate: rate,
		Asks: []string{"IPP at port 631: its attributes", "SNMP at port 161: what kind of printer it is",
			"raw data at port 9100: whether something listens; nothing is sent"}}
	listed := s.listedHosts()
	all = slices.DeleteFunc(all, func(a netip.Addr) bool { return listed[a.String()] })
	plan.Listed = plan.Total - len(all)
	plan.Seconds = (len(all) + rate - 1) / rate
	plan.Until = s.now().UTC().Add(time.Duration(plan.Seconds) * time.Second)
	return plan, all, nil
}

// StartScan looks at every address of some ranges, in the background, at a bounded rate. What answers is proposed,
// never added by itself.
func (s *Room) StartScan(ctx context.Context, p *access.Principal, ranges []string, rate int) (stock.Scan, error) {
	plan, addresses, err := s.planScan(p, ranges, rate)
	if err != nil {
		return stock.Scan{}, err
	}
	if s.cfg.Prober == nil {
		return stock.Scan{}, fault.New(fault.Unavailable, "no-probing", "start the service with probing",
			"this service reads no devices")
	}
	running, err := s.store.Scans(ctx)
	if err != nil {
		return stock.Scan{}, err
	}
	for _, c := range running {
		if c.State == "running" {
			return c, fault.New(fault.Conflict, "scan-running", fmt.Sprintf("wait for it, or stop it: cirque device "+
				"scan --stop %d", c.ID), "the scan %d of %s is still running", c.ID, strings.Join(c.Ranges, ", "))
		}
	}
	c, err := s.store.AddScan(ctx, stock.Scan{Author: p.Name, Ranges: plan.Ranges, Rate: plan.Rate, Total: len(addresses)},
		event.Event{Kind: event.Scanned, Subject: strings.Join(plan.Ranges, ", "), Author: p.Name}.Saying(
			"A scan of {ranges} began: {count} addresses", "ranges", strings.Join(plan.Ranges, ", "), "count", len(addresses)))
	if err != nil {
		return c, err
	}
	select {
	case s.scans <- scanning{c, addresses}:
	default:
		c.State = "stopped"
		_, err := s.store.SaveScan(ctx, c)
		return c, fault.New(fault.Unavailable, "scan-busy", "try again",
			"this process is busy with another scan").Because(err)
	}
	return c, nil
}

// scanning is a scan on its way to whoever runs it.
type scanning struct {
	scan      stock.Scan
	addresses []netip.Addr
}

// runScans runs scans one at a time.
func (s *Room) runScans(ctx context.Context) error {
	for {
		select {
		case <-ctx.Done():
			return nil
		case w := <-s.scans:
			s.runScan(ctx, w.scan, w.addresses)
		}
	}
}

//nolint:funlen // one scan from its beginning to its end
func (s *Room) runScan(ctx context.Context, c stock.Scan, addresses []netip.Addr) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	type result struct {
		address netip.Addr
		reading *stock.Device
		uri     string
	}
	results := make(chan result, 64)
	go func() {
		defer close(results)
		var g errgroup.Group
		defer func() { _ = g.Wait() }()
		g.SetLimit(scannersMost)
		tick := time.NewTicker(time.Second / time.Duration(c.Rate))
		defer tick.Stop()
		for i, a := range addresses {
			if i > 0 {
				select {
				case <-ctx.Done():
					return
				case <-tick.C:
				}
			}
			g.Go(func() error {
				uri := "ipp://" + netip.AddrPortFrom(a, 0).String()
				uri = strings.TrimSuffix(uri, ":0") + "/ipp/print"
				keys := s.cfg.Keys.KeysFor(stock.Watch{Kind: stock.KindDevice, URI: uri})
				d, err := s.cfg.Prober.ReadDevice(ctx, uri, keys)
				if err == nil && d.URI == "" {
					uri = strings.Replace(strings.TrimSuffix(uri, "/ipp/print"), "ipp://", "socket://", 1)
				}
				if err != nil {
					d = nil
				}
				words.Clean(&d)
				results <- result{a, d, uri}
				return nil
			})
		}
	}()
	var fresh []stock.Unlisted
	save := func() {
		if len(fresh) > 0 {
			if err := s.store.SaveFound(context.WithoutCancel(ctx), fresh); err != nil {
				s.log.Warn("what a scan found could not be kept", "error", err)
			}
			fresh = nil
		}
		stop, err := s.store.SaveScan(context.WithoutCancel(ctx), c)
		if err != nil {
			s.log.Warn("a scan's progress could not be kept", "error", err)
		}
		if stop {
			cancel()
		}
	}
	saved := time.Now()
	for r := range results {
		if ctx.Err() == nil {
			c.Done++
		}
		if r.reading != nil {
			c.Found++
			fresh = append(fresh, stock.Unlisted{Address: r.address.String(), URI: r.uri, Reading: *r.reading})
		}
		if time.Since(saved) > 400*time.Millisecond {
			saved = time.Now()
			save()
		}
	}
	c.State = "done"
	if ctx.Err() != nil {
		c.State = "stopped"
	}
	save()
	e := event.Event{Kind: event.Scanned, Subject: strings.Join(c.Ranges, ", "), Author: c.Author}.Saying(
		"The scan of {ranges} is {state}: {done} of {total} addresses were asked, {found} answered that are not listed",
		"ranges", strings.Join(c.Ranges, ", "), "state", c.State, "done", c.Done, "total", c.Total, "found", c.Found)
	if err := s.store.AddEvent(context.WithoutCancel(ctx), e); err != nil {
		s.log.Warn("a scan's end could not be recorded", "error", err)
	}
}

// Scans lists the latest scans.
func (s *Room) Scans(ctx context.Context, p *access.Principal) ([]stock.Scan, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	list, err := s.store.Scans(ctx)
	if list == nil {
		list = []stock.Scan{}
	}
	return list, err
}

// StopScan stops a scan, whichever process runs it.
func (s *Room) StopScan(ctx context.Context, p *access.Principal, id int64) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	return s.store.StopScan(ctx, id, p.Name)
}
