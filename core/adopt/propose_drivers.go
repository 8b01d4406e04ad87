package adopt

import (
	"maps"
	"slices"
	"strings"

	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/stock"
)

// driversFor gives a queue the drivers of the name that the server's driver has, one for each platform that is known.
func (p *Proposer) driversFor(q stock.Queue, out *Proposal, remark func(string, ...any)) {
	if q.Model == "" {
		return
	}
	drivers := map[string]string{}
	for _, d := range p.exact[q.Model] {
		drivers[d.Platform] = d.Name
	}
	for _, m := range p.models[q.Model] {
		if drivers[m.Platform] != "" || p.platforms != nil && !p.platforms[m.Platform] {
			continue
		}
		drivers[m.Platform] = p.newDriver(m.Exact, m.Platform)
	}
	if len(drivers) == 0 {
		if near := driver.Nearest(q.Model, p.names); near != "" {
			remark("its driver is called %q; the nearest known name is %q: %s", q.Model, near,
				driver.Compare(q.Model, near).Says)
		}
		return // driverless everywhere
	}
	p.give(out, drivers)
}

// newDriver is the name of a driver that is not in the estate yet.
func (p *Proposer) newDriver(exact, platform string) string {
	d := estate.Driver{Name: p.unique(p.drivers, exact+" "+strings.TrimPrefix(platform, "windows/"), ""), Exact: exact,
		Platform: platform}
	p.exact[exact] = append(p.exact[exact], d)
	p.newDrivers[d.Name] = d
	return d.Name
}

// driverNamed is the driver of an exact name for a platform: the estate's, one that is proposed already, or a new one.
func (p *Proposer) driverNamed(exact, platform string) string {
	for _, d := range p.exact[exact] {
		if d.Platform == platform {
			return d.Name
		}
	}
	return p.newDriver(exact, platform)
}

// give has a queue use drivers, by platform, and come with those that the estate lacks.
func (p *Proposer) give(out *Proposal, drivers map[string]string) {
	for _, platform := range slices.Sorted(maps.Keys(drivers)) {
		if d, ok := p.newDrivers[drivers[platform]]; ok {
			out.Drivers = append(out.Drivers, d)
		}
	}
	drivers["*"] = estate.Driverless
	out.Queue.Drivers = drivers
}

// driversForModel gives a device's queue the marked driver of each platform that machines have, and says why it is the
// marked one.
func (p *Proposer) driversForModel(model string, out *Proposal, remark func(string, ...any)) {
	if model == "" {
		return
	}
	choices, looked := p.choices[model]
	if !looked {
		choices = driver.Choices(p.packages, p.doc, nil, driver.Wanted{Model: model})
		p.choices[model] = choices
	}
	drivers := map[string]string{}
	for _, c := range choices {
		if !c.Marked || p.platforms != nil && !p.platforms[c.Platform] {
			continue
		}
		drivers[c.Platform] = p.driverNamed(c.Exact, c.Platform)
		remark("for %s the driver %q is proposed: %s", c.Platform, c.Exact, c.Why)
	}
	if len(drivers) > 0 {
		p.give(out, drivers)
	}
}
