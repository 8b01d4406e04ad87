package endpoint

import (
	"cmp"
	"slices"
)

// A Staged driver lies with its files on an endpoint, ready to be installed.
type Staged struct {
	Exact     string `json:"exact" maxLength:"512"`
	Package   string `json:"package" maxLength:"64" doc:"The digest of the package from which it came."`
	SetUpFile string `json:"set_up_file" maxLength:"400"`
	Files     int    `json:"files"`
	Bytes     int64  `json:"bytes"`
	Whole     bool   `json:"whole" doc:"All its files are there."`
}

// A DriverState is how far a driver is on an endpoint.
type DriverState string

// The states of a driver on an endpoint.
const (
	DriverUsed    DriverState = "used"    // a queue has it
	DriverStaged  DriverState = "staged"  // its files are there, for a queue that is to have it
	DriverSpare   DriverState = "spare"   // its files are there, and no queue is to have it
	DriverWanted  DriverState = "wanted"  // a queue is to have it, and it is not there
	DriverForeign DriverState = "foreign" // a queue has it that somebody else set up
	DriverPresent DriverState = "present" // the system has it, and no queue does
)

// A DriverHere is one driver on one endpoint.
type DriverHere struct {
	Machine   string      `json:"machine"`
	Platform  string      `json:"platform"`
	Exact     string      `json:"exact"`
	State     DriverState `json:"state" enum:"used,staged,spare,wanted,foreign,present"`
	Queues    []string    `json:"queues" doc:"That have it, or are to have it."`
	Package   string      `json:"package,omitempty" doc:"The digest of the package from which its files came, or which has them."`
	SetUpFile string      `json:"set_up_file,omitempty" doc:"The file that describes it, in the package."`
	Files     []string    `json:"files,omitempty" doc:"What it consists of, in the package."`
	Version   string      `json:"version,omitempty" doc:"Which one the system has installed, where it tells."`
	Signed    string      `json:"signed,omitempty" doc:"Whether its package is signed, and by whom, as the endpoint's system found; absent where it did not look."`
	Says      string      `json:"says,omitempty" doc:"What is wrong with it there."`
}

// DriversHere lists the drivers of an endpoint by name: those of its queues, those that it is to have, and those whose
// files it keeps.
func DriversHere(p Plan, r Report) []DriverHere {
	at := map[string]*DriverHere{}
	of := func(exact string, s DriverState) *DriverHere {
		if at[exact] == nil {
			at[exact] = &DriverHere{Machine: r.Machine, Platform: r.Platform, Exact: exact, State: s, Queues: []string{}}
		}
		return at[exact]
	}
	add := func(d *DriverHere, queue string) {
		if !slices.Contains(d.Queues, queue) {
			d.Queues = append(d.Queues, queue)
		}
	}
	for _, own := range []bool{true, false} {
		for _, i := range r.Installed {
			if i.Own == own && i.Exact != "" {
				add(of(i.Exact, map[bool]DriverState{true: DriverUsed, false: DriverForeign}[own]), i.Queue)
			}
		}
	}
	for _, w := range p.Wants {
		if w.Exact == "" {
			continue
		}
		d := of(w.Exact, DriverWanted)
		if d.State == DriverForeign {
			d.State = DriverWanted
		}
		if d.State == DriverWanted {
			add(d, w.Queue)
		}
		for _, f := range r.Failures {
			if f.Queue == w.Queue && (f.Step == "add" || f.Step == "change") {
				d.Says = f.Says
			}
		}
	}
	for _, s := range r.Staged {
		d := of(s.Exact, DriverSpare)
		if d.State == DriverWanted && s.Whole {
			d.State = DriverStaged
		}
		d.Package, d.SetUpFile = s.Package, s.SetUpFile
		if !s.Whole && d.Says == "" {
			d.Says = "some of its files have not arrived"
		}
	}
	for _, i := range r.Drivers {
		d := of(i.Exact, DriverPresent)
		if d.State == DriverWanted || d.State == DriverSpare {
			d.State = map[DriverState]DriverState{DriverWanted: DriverStaged, DriverSpare: DriverPresent}[d.State]
		}
		d.Version, d.Signed, d.Package = i.Version, i.Signed, cmp.Or(d.Package, i.Package)
	}
	out := []DriverHere{}
	for _, d := range at {
		slices.Sort(d.Queues)
		out = append(out, *d)
	}
	slices.SortFunc(out, func(a, b DriverHere) int { return cmp.Compare(a.Exact, b.Exact) })
	return out
}

// An InstalledDriver is one that an endpoint's system has under its exact name, whoever installed it.
type InstalledDriver struct {
	Exact   string `json:"exact" maxLength:"512"`
	Version string `json:"version,omitempty" maxLength:"64"`
	Package string `json:"package,omitempty" maxLength:"64" doc:"The digest of the package out of which the agent installed it; absent where somebody else did."`
	Signed  string `json:"signed,omitempty" maxLength:"256" doc:"Whether its package is signed, and by whom, as the endpoint's system found; absent where it did not look."`
}

// MostDrivers bounds what a report tells of a system's drivers.
const MostDrivers = 1024

// A NoDriver is an error for want of a driver.
type NoDriver struct{ Err error }

func (e NoDriver) Error() string { return e.Err.Error() }

func (e NoDriver) Unwrap() error { return e.Err }
