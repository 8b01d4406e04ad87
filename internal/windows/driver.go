package windows

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/internal/winspool"
)

// driverless is the system's own driver for whatever speaks IPP.
const driverless = "Microsoft IPP Class Driver"

// driver sees to it that a queue's driver is installed, and gives the name under which the spooler has it. One that is
// there under the exact name is used as it is.
func (s *Spooler) driver(ctx context.Context, k *kept, w endpoint.Want) (string, error) {
	exact := w.Exact
	if exact == "" {
		if !strings.HasPrefix(w.URI, "ipp") {
			return "", endpoint.NoDriver{Err: fmt.Errorf("without a driver a queue leads to IPP on this system, and not to %s",
				w.URI)}
		}
		exact = driverless
	}
	there := func() (bool, error) {
		list, err := s.parts.Drivers.Installed()
		return slices.ContainsFunc(list, func(d winspool.Driver) bool { return d.Name == exact }), err
	}
	if has, err := there(); has || err != nil {
		return exact, err
	}
	if w.Exact == "" {
		if err := s.parts.Drivers.OfTheSystem(exact); err != nil {
			return "", endpoint.NoDriver{Err: fmt.Errorf("the driver %q of the system cannot be installed: %w", exact, err)}
		}
		return exact, nil
	}
	if s.packages == nil {
		return "", endpoint.NoDriver{Err: fmt.Errorf("the driver %q is not here", exact)}
	}
	p, err := s.packages(ctx, exact)
	if err != nil {
		return "", endpoint.NoDriver{Err: err}
	}
	if err := s.parts.Drivers.Install(p); err != nil {
		return "", endpoint.NoDriver{Err: fmt.Errorf("the driver %q was not installed: %w", exact, err)}
	}
	if has, err := there(); !has || err != nil {
		return "", endpoint.NoDriver{Err: fmt.Errorf("the package was installed, and the system has no driver called %q: %v",
			exact, err)}
	}
	k.Drivers[exact] = installed{p.Digest, s.parts.Drivers.Signed(p)}
	return exact, s.keep(*k)
}

// InstalledDrivers lists the drivers of the machine by their exact names, whoever installed them.
func (s *Spooler) InstalledDrivers(context.Context) ([]endpoint.InstalledDriver, error) {
	k, err := s.kept()
	if err != nil {
		return nil, err
	}
	list, err := s.parts.Drivers.Installed()
	if err != nil {
		return nil, err
	}
	out := []endpoint.InstalledDriver{}
	for _, d := range list {
		out = append(out, endpoint.InstalledDriver{Exact: d.Name, Version: winspool.Version(d.Number),
			Package: k.Drivers[d.Name].Package, Signed: k.Drivers[d.Name].Signed})
	}
	slices.SortFunc(out, func(x, y endpoint.InstalledDriver) int { return strings.Compare(x.Exact, y.Exact) })
	return out, nil
}

// BuiltIn says whether a queue came with the system: one that makes files or sends faxes, and is nobody's to adopt.
func (s *Spooler) BuiltIn(i endpoint.Installed) bool {
	return slices.Contains([]string{"PORTPROMPT:", "SHRFAX:", "nul:", "FILE:", "XPSPort:"}, i.URI) ||
		!estate.PrintsTo(i.URI) && strings.HasPrefix(i.Exact, "Microsoft ")
}
