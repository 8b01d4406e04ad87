package agent

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"cirque/core/endpoint"
	"cirque/internal/whole"
	"cirque/internal/windows"
)

// takesPackages is a spooler that installs drivers out of whole packages.
type takesPackages interface {
	PackagesFrom(get func(ctx context.Context, exact string) (windows.Package, error))
}

// tellsDrivers is a spooler whose system has drivers under their exact names.
type tellsDrivers interface {
	InstalledDrivers(ctx context.Context) ([]endpoint.InstalledDriver, error)
}

// driverPackage lays a driver's package out on the disk, each file under its own name and held to its checksum, so that
// the system can install it, also while the service is away.
func (a *Agent) driverPackage(ctx context.Context, exact string) (windows.Package, error) {
	facts, err := a.cfg.Machine.Facts(ctx)
	if err != nil {
		return windows.Package{}, err
	}
	if a.cfg.State == "" {
		return windows.Package{}, fmt.Errorf("the driver %q is not here: the agent keeps nothing", exact)
	}
	d, err := a.driverOf(ctx, exact, facts.Platform)
	if err != nil {
		return windows.Package{}, notHere(exact, err)
	}
	p := windows.Package{Exact: exact, Digest: d.Package, SetUp: d.SetUpFile,
		Dir: a.driverPath(filepath.Join("packages", sumOf([]byte(d.Package))))}
	for _, f := range d.Files {
		at := filepath.FromSlash(f.Path)
		if !filepath.IsLocal(at) {
			return p, notWhole(exact, fmt.Errorf("the file %s would lie outside of its package", f.Path))
		}
		at = filepath.Join(p.Dir, at)
		if b, err := os.ReadFile(at); err == nil && sumOf(b) == f.SHA256 {
			continue
		}
		b, err := a.driverFile(ctx, d.Package, f)
		if err != nil {
			return p, notWhole(exact, err)
		}
		if err := os.MkdirAll(filepath.Dir(at), 0o700); err != nil {
			return p, err
		}
		if err := whole.Write(at, b, 0o600); err != nil {
			return p, err
		}
	}
	return p, nil
}

// tellDrivers puts the drivers of the system into a report.
func (a *Agent) tellDrivers(ctx context.Context, r *endpoint.Report) {
	s, ok := a.cfg.Spooler.(tellsDrivers)
	if !ok {
		return
	}
	list, err := s.InstalledDrivers(ctx)
	if err != nil {
		a.cfg.Log.Warn("the system's drivers cannot be read", "error", err)
		return
	}
	r.Drivers = list[:min(len(list), endpoint.MostDrivers)]
}
