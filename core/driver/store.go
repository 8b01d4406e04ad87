package driver

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
)

// A Holding says how one driver of the estate stands to the packages.
type Holding struct {
	Driver   string   `json:"driver"`
	Exact    string   `json:"exact"`
	Platform string   `json:"platform"`
	State    string   `json:"state" enum:"found,near,absent" doc:"found: a package accepts the name to the letter, on that platform; near: one accepts a name that is nearly it; absent: none."`
	Packages []string `json:"packages" doc:"Digests of those that accept it."`
	Near     string   `json:"near,omitempty" doc:"The name that is nearly it."`
	Says     string   `json:"says"`
	Queues   []string `json:"queues" doc:"The queues that name it."`
}

// Holdings compares the estate's drivers with the packages, by the driver's name.
func Holdings(doc *estate.Document, packages []Package) []Holding {
	names := map[string][]string{} // exact names by platform
	for _, p := range packages {
		for _, m := range p.Models {
			names[m.Platform] = append(names[m.Platform], m.Exact)
		}
	}
	using := map[string][]string{}
	for _, q := range doc.Queues {
		for _, d := range q.Drivers {
			if !slices.Contains(using[d], q.Name) {
				using[d] = append(using[d], q.Name)
			}
		}
	}
	out := make([]Holding, 0, len(doc.Drivers))
	for _, d := range doc.Drivers {
		h := Holding{Driver: d.Name, Exact: d.Exact, Platform: d.Platform, State: "absent", Packages: []string{},
			Queues: using[d.Name]}
		if h.Queues == nil {
			h.Queues = []string{}
		}
		slices.Sort(h.Queues)
		for _, p := range packages {
			if slices.ContainsFunc(p.Models, func(m Model) bool { return m.Exact == d.Exact && fits(m.Platform, d.Platform) }) {
				h.Packages = append(h.Packages, p.Digest)
			}
		}
		switch {
		case len(h.Packages) > 0:
			h.State, h.Says = "found", "a package accepts it to the letter"
		default:
			var known []string
			for platform, list := range names {
				if fits(platform, d.Platform) {
					known = append(known, list...)
				}
			}
			slices.Sort(known)
			if h.Near = Nearest(d.Exact, known); h.Near != "" {
				h.State, h.Says = "near", fmt.Sprintf("no package accepts it; one accepts %s: %s", "“"+h.Near+"”", Compare(d.Exact,
					h.Near).Says)
			} else if elsewhere := platformsOf(names, d.Exact); len(elsewhere) > 0 {
				h.Says = fmt.Sprintf("packages accept it for %s, not for %s", strings.Join(elsewhere, " and "), d.Platform)
			} else {
				h.Says = "no package accepts it"
			}
		}
		out = append(out, h)
	}
	slices.SortFunc(out, func(a, b Holding) int { return cmp.Compare(a.Driver, b.Driver) })
	return out
}

// Fits says whether a name for one platform serves a machine of another; the first may be a bare system.
func Fits(model, platform string) bool {
	system, _, _ := strings.Cut(platform, "/")
	return model == platform || model == system
}

// fits says whether a model for one platform serves a driver of another; either may be a bare system.
func fits(model, driver string) bool {
	if model == driver {
		return true
	}
	system, _, _ := strings.Cut(model, "/")
	other, _, _ := strings.Cut(driver, "/")
	return system == other && (system == model || other == driver)
}

func platformsOf(names map[string][]string, exact string) []string {
	var out []string
	for platform, list := range names {
		if slices.Contains(list, exact) {
			out = append(out, platform)
		}
	}
	slices.Sort(out)
	return out
}

// Unused lists the packages of which no driver of the estate is.
func Unused(packages []Package, holdings []Holding) []string {
	used := map[string]bool{}
	for _, h := range holdings {
		for _, d := range h.Packages {
			used[d] = true
		}
	}
	out := []string{}
	for _, p := range packages {
		if !used[p.Digest] {
			out = append(out, p.Digest)
		}
	}
	return out
}

// Superseded lists packages that are used, all of whose names that the estate uses a newer package has as well.
func Superseded(packages []Package, holdings []Holding) []string {
	newest := func(h Holding) string {
		best, of := "", ""
		for _, p := range packages {
			for _, m := range p.Models {
				if m.Exact == h.Exact && fits(m.Platform, h.Platform) && (of == "" || m.Date > best) {
					best, of = m.Date, p.Digest
				}
			}
		}
		return of
	}
	used, needed := map[string]bool{}, map[string]bool{}
	for _, h := range holdings {
		for _, d := range h.Packages {
			used[d] = true
		}
		needed[newest(h)] = true
	}
	out := []string{}
	for _, p := range packages {
		if used[p.Digest] && !needed[p.Digest] {
			out = append(out, p.Digest)
		}
	}
	return out
}

// Trouble is a failure of an endpoint to install a queue with a driver, in its spooler's own words.
type Trouble struct {
	Driver  string    `json:"driver"`
	Exact   string    `json:"exact"`
	Machine string    `json:"machine"`
	Queue   string    `json:"queue"`
	Says    string    `json:"says"`
	Since   time.Time `json:"since"`
	Remote  bool      `json:"remote" doc:"The endpoint hosts remote or virtual sessions, where some drivers misbehave that do well on a desk."`
}

// A Cell says how a queue is served on a platform.
type Cell struct {
	Platform string `json:"platform"`
	Driver   string `json:"driver" doc:"The driver's name or driverless; empty where none fits."`
	Exact    string `json:"exact,omitempty"`
	State    string `json:"state" enum:"driverless,found,near,absent,none" doc:"none: no driver fits the platform; else as of the driver."`
	Machines int    `json:"machines" doc:"Machines of that platform."`
	Receive  int    `json:"receive" doc:"People and machines to whom the queue is granted there, as they were last seen."`
}

// A Row is one queue of the matrix of drivers.
type Row struct {
	Queue string `json:"queue"`
	Cells []Cell `json:"cells"`
}

// Matrix shows each queue against each platform that machines have; machines counts them, receive who is granted a
// queue there.
func Matrix(doc *estate.Document, machines map[string]int, holdings []Holding, receive func(queue,
	platform string) int) []Row {
	var platforms []string
	for p := range machines {
		platforms = append(platforms, p)
	}
	slices.Sort(platforms)
	state := map[string]Holding{}
	for _, h := range holdings {
		state[h.Driver] = h
	}
	out := make([]Row, 0, len(doc.Queues))
	for _, q := range doc.Queues {
		if q.Retired {
			continue
		}
		r := Row{Queue: q.Name, Cells: make([]Cell, 0, len(platforms))}
		for _, p := range platforms {
			c := Cell{Platform: p, State: "none", Machines: machines[p], Receive: receive(q.Name, p)}
			switch d := Choose(q, p, state); {
			case d == estate.Driverless:
				c.Driver, c.State = d, "driverless"
			case d != "":
				c.Driver, c.Exact, c.State = d, state[d].Exact, state[d].State
			}
			r.Cells = append(r.Cells, c)
		}
		out = append(out, r)
	}
	return out
}

// Choose gives the driver that a queue has for a platform, as a lineup would choose it for a path that is not the
// gateway.
func Choose(q estate.Queue, platform string, known map[string]Holding) string {
	if len(q.Drivers) == 0 {
		return estate.Driverless
	}
	system, _, _ := strings.Cut(platform, "/")
	for _, key := range []string{platform, system, "*"} {
		d, ok := q.Drivers[key]
		if ok && (d == estate.Driverless || known[d].Platform == platform || known[d].Platform == system) {
			return d
		}
	}
	return ""
}
