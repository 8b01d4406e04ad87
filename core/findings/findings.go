// Package findings remarks on an estate by what was found: devices, print servers and driver packages as they were
// read. In go a document and readings, out come findings; lineup.Check adds what follows from estate and directory
// alone.
package findings

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/stock"
)

// Known is what was found. Device and Server give the last good reading of one, nil where there is none.
type Known struct {
	Device   func(name string) *stock.Device
	Server   func(name string) *stock.Server
	Packages []driver.Package
}

// Of remarks on a document, warnings first, then by object.
func Of(doc *estate.Document, known Known) []lineup.Finding {
	c := &checker{doc: doc, known: known, drivers: map[string]estate.Driver{}, devices: map[string]estate.Device{}}
	for _, d := range doc.Drivers {
		c.drivers[d.Name] = d
	}
	for _, d := range doc.Devices {
		c.devices[d.Name] = d
	}
	for i := range doc.Queues {
		if q := &doc.Queues[i]; !q.Retired {
			c.defaults(q)
			c.models(q)
			c.pool(q)
		}
	}
	c.exacts()
	c.alike()
	return sorted(c.out)
}

// sorted puts warnings first, then goes by object.
func sorted(list []lineup.Finding) []lineup.Finding {
	slices.SortStableFunc(list, func(a, b lineup.Finding) int {
		return cmp.Or(-cmp.Compare(a.Severity, b.Severity), cmp.Compare(a.Object, b.Object))
	})
	return list
}

type checker struct {
	doc     *estate.Document
	known   Known
	drivers map[string]estate.Driver
	devices map[string]estate.Device
	out     []lineup.Finding
}

const (
	warning = "warning"
	remark  = "note"
)

func (c *checker) add(severity, where, name, fix, format string, args ...any) {
	c.out = append(c.out, lineup.NewFinding(severity, where, name, fix, fmt.Sprintf(format, args...)))
}

// defaults remarks on values that no device behind a queue takes, by their readings; where none tells of an option, on
// words that the standard does not have.
func (c *checker) defaults(q *estate.Queue) {
	for _, option := range sortedKeys(q.Defaults) {
		value := stock.Text(q.Defaults[option])
		var takes []string
		said, taken, who := false, false, ""
		for _, name := range q.Devices {
			d := c.known.Device(name)
			if d == nil {
				continue
			}
			if values := d.Supported[option]; len(values) > 0 {
				said = true
				taken = taken || slices.Contains(values, value)
				who = cmp.Or(who, name)
				takes = append(takes, values...)
			}
		}
		switch {
		case taken:
		case said:
			slices.Sort(takes)
			takes = slices.Compact(takes)
			c.add(warning, "queues.defaults", q.Name, nearFix(value, takes),
				"its default %s = %s is taken by no device behind it: %s takes %s", option, value, who, few(takes))
		default:
			c.standard(q, option, value)
		}
	}
}

// standard remarks on what the standards do not have: there is nothing read to go by.
func (c *checker) standard(q *estate.Queue, option, value string) {
	values, known := keywords[option]
	switch {
	case option == "media" && !mediaName.MatchString(value):
		c.add(remark, "queues.defaults", q.Name, "write a name such as iso_a4_210x297mm",
			"its default media = %s is no name of a size of paper (PWG 5101.1), and no device behind it was read", value)
	case known && !slices.Contains(values, value):
		c.add(remark, "queues.defaults", q.Name, nearFix(value, values),
			"its default %s = %s is none of the values of that option (%s), and no device behind it was read", option, value,
			few(values))
	case !known && !slices.Contains(options, option):
		c.add(remark, "queues.defaults", q.Name, nearFix(option, options),
			"its default %s = %s is of an option that no device behind it tells of", option, value)
	}
}

// models remarks on drivers that packages have for other models than those behind a queue, where they have another for
// these.
func (c *checker) models(q *estate.Queue) {
	for _, key := range sortedKeys(q.Drivers) {
		d, ok := c.drivers[q.Drivers[key]]
		if !ok {
			continue // driverless
		}
		for _, name := range q.Devices {
			r := c.known.Device(name)
			if r == nil || r.Model == "" {
				continue
			}
			held, fits, other := false, false, ""
			for _, p := range c.known.Packages {
				for _, m := range p.Models {
					if !driver.Fits(m.Platform, d.Platform) && !driver.Fits(d.Platform, m.Platform) {
						continue
					}
					meant := driver.FitsModel(m, r.Model)
					held = held || m.Exact == d.Exact
					fits = fits || m.Exact == d.Exact && meant
					if meant && other == "" {
						other = m.Exact
					}
				}
			}
			if held && !fits && other != "" {
				c.add(warning, "queues.drivers", q.Name, "take the driver "+other,
					"its driver %s (%s) is for other models than %s, which is %s behind it", d.Name, d.Exact, r.Model, name)
			}
		}
	}
}

// pool remarks on devices that take turns and are not alike.
func (c *checker) pool(q *estate.Queue) {
	if len(q.Devices) < 2 {
		return
	}
	var differs []string
	note := func(what string, of func(name string) string) {
		first, by := "", ""
		for _, name := range q.Devices {
			v := of(name)
			switch {
			case v == "":
			case first == "":
				first, by = v, name
			case v != first:
				differs = append(differs, fmt.Sprintf("%s: %s of %s, %s of %s", what, first, by, v, name))
				return
			}
		}
	}
	read := func(f func(*stock.Device) string) func(string) string {
		return func(name string) string {
			if d := c.known.Device(name); d != nil {
				return f(d)
			}
			return ""
		}
	}
	note("model", read(func(d *stock.Device) string { return d.Model }))
	note("paper", read(func(d *stock.Device) string { return strings.Join(papers(d.Supported["media"]), " ") }))
	note("colour", read(func(d *stock.Device) string { return yesNo(d.Colour) }))
	note("both sides", read(func(d *stock.Device) string { return yesNo(d.TwoSided) }))
	note("location", func(name string) string { return c.devices[name].Location })
	if len(differs) > 0 {
		c.add(warning, "queues.devices", q.Name, "pool only what nobody can tell apart, or give each a queue of its own",
			"its devices take turns and are not alike: %s", strings.Join(differs, "; "))
	}
}

// exacts remarks on exact names that are a letter off one that is known.
func (c *checker) exacts() {
	known := map[string][]string{} // by platform
	for _, p := range c.known.Packages {
		for _, m := range p.Models {
			known[m.Platform] = append(known[m.Platform], m.Exact)
		}
	}
	registered := []string{}
	for _, s := range c.doc.Servers {
		if r := c.known.Server(s.Name); r != nil {
			for _, q := range r.Queues {
				if q.Model != "" {
					registered = append(registered, q.Model)
				}
			}
		}
	}
	for _, d := range c.doc.Drivers {
		names := slices.Clone(registered)
		for platform, list := range known {
			if driver.Fits(platform, d.Platform) {
				names = append(names, list...)
			}
		}
		if slices.Contains(names, d.Exact) {
			continue
		}
		slices.Sort(names)
		if near := driver.Nearest(d.Exact, slices.Compact(names)); near != "" {
			c.add(warning, "drivers.exact", d.Name, fmt.Sprintf("write %q", near),
				"its exact name is known to no package and no "+
					"server, and is close to one that is: %s", driver.Compare(d.Exact, near).Says)
		}
	}
}

// alike remarks on what stands there twice under two names.
func (c *checker) alike() {
	twice := func(list, what string, each func(f func(name, value string))) {
		first := map[string]string{}
		each(func(name, value string) {
			if value == "" {
				return
			}
			if other, taken := first[value]; taken {
				c.add(remark, list, name, "let one of the two be, or tell them apart", "%s is also that of %s",
					fmt.Sprintf(what, value), other)
				return
			}
			first[value] = name
		})
	}
	twice("devices.uri", "its address %s", func(f func(name, value string)) {
		for _, d := range c.doc.Devices {
			f(d.Name, stock.Authority(d.URI))
		}
	})
	twice("devices.mac", "its hardware address %s", func(f func(name, value string)) {
		for _, d := range c.doc.Devices {
			f(d.Name, d.MAC)
		}
	})
	twice("drivers.exact", "its exact name and platform %s", func(f func(name, value string)) {
		for _, d := range c.doc.Drivers {
			f(d.Name, d.Exact+" for "+d.Platform)
		}
	})
	twice("queues.title", "its title %q", func(f func(name, value string)) {
		for _, q := range c.doc.Queues {
			if !q.Retired {
				f(q.Name, q.Title)
			}
		}
	})
}
