package drivers

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// AddPackage keeps a driver package out of a zip archive, and says whether the same files were kept already.
func (s *Room) AddPackage(ctx context.Context, p *access.Principal, name, note string, archive []byte,
	dry bool) (driver.Package, bool, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return driver.Package{}, false, err
	}
	if name = strings.TrimSpace(name); name == "" || len(name) > 200 {
		return driver.Package{}, false, fault.New(fault.Invalid, "package-name", "give it a name that says what it is for",
			"the package has no name")
	}
	leave, err := s.present.Crew.Enter(ctx)
	if err != nil {
		return driver.Package{}, false, err
	}
	defer leave()
	files, err := driver.Unpack(archive)
	if err != nil {
		return driver.Package{}, false, err
	}
	pkg := driver.Index(files)
	pkg.Name, pkg.Note, pkg.Author, pkg.At = name, note, p.Name, s.now().UTC()
	if len(pkg.Models) == 0 {
		return pkg, false, fault.New(fault.Invalid, "package-empty", "give the unpacked driver, with its .inf or .ppd "+
			"files; an installer is no package", "no set-up file in it names a printer").With(pkg.Problems)
	}
	if dry {
		i := slices.IndexFunc(s.present.Stock().Packages, func(k driver.Package) bool { return k.Digest == pkg.Digest })
		if i >= 0 {
			pkg = s.present.Stock().Packages[i]
		}
		return pkg, i >= 0, nil
	}
	known, err := s.store.AddPackage(ctx, pkg, files, event.Event{Kind: event.PackageAdded, Subject: name,
		Author: p.Name}.Saying(
		"The driver package {name} was added: {names}", "name", name, "names", words.Count(len(pkg.Models), "name")).With(nil,
		map[string]any{"name": name, "digest": pkg.Digest, "names": len(pkg.Models)}))
	if err != nil {
		return pkg, known, err
	}
	s.present.Show(ctx, event.Signal{What: event.Drivers, Subject: pkg.Digest})
	if known {
		one, err := s.Package(ctx, p, pkg.Digest)
		return one, true, err
	}
	return pkg, false, nil
}

// Packages lists driver packages, without their files.
func (s *Room) Packages(_ context.Context, p *access.Principal) ([]driver.Package, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	return append([]driver.Package{}, s.present.Stock().Packages...), nil
}

// Package gives one package by its digest, or the beginning of it, with its files.
func (s *Room) Package(ctx context.Context, p *access.Principal, digest string) (driver.Package, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return driver.Package{}, err
	}
	var out driver.Package
	for _, k := range s.present.Stock().Packages {
		if strings.HasPrefix(k.Digest, digest) && len(digest) >= 6 || k.Name == digest {
			if out.Digest != "" {
				return out, fault.New(fault.Conflict, "package-ambiguous", "write more of its digest",
					"several packages are called %q", digest)
			}
			out = k
		}
	}
	if out.Digest == "" {
		return out, fault.New(fault.Unknown, "package-unknown", "see cirque driver list",
			"there is no driver package %q", digest)
	}
	var err error
	out.Files, err = s.store.PackageFiles(ctx, out.Digest)
	return out, err
}

// RemovePackage forgets a package. One of which the estate uses a driver stays, unless it is forced.
func (s *Room) RemovePackage(ctx context.Context, p *access.Principal, digest string, force bool) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	k, err := s.Package(ctx, p, digest)
	if err != nil {
		return err
	}
	if !force {
		for _, h := range driver.Holdings(s.present.View().Document(), s.present.Stock().Packages) {
			if len(h.Packages) == 1 && h.Packages[0] == k.Digest && len(h.Queues) > 0 {
				return fault.New(fault.Conflict, "package-used", "give those queues another driver first, or say --force",
					"%s its driver %s: %s", words.Count(len(h.Queues), "queue uses", "queues use"), h.Driver,
					strings.Join(h.Queues[:min(len(h.Queues), 5)], ", "))
			}
		}
	}
	if err := s.store.RemovePackage(ctx, k.Digest, event.Event{Kind: event.PackageGone, Subject: k.Name,
		Author: p.Name}.Saying(
		"The driver package {name} was removed", "name", k.Name)); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Drivers, Subject: k.Digest})
	return nil
}

// PackageFile streams one file of a package to w.
func (s *Room) PackageFile(ctx context.Context, p *access.Principal, digest, path string, w io.Writer) error {
	k, err := s.Package(ctx, p, digest)
	if err != nil {
		return err
	}
	return s.writeFile(ctx, k.Files, path, w)
}

func (s *Room) writeFile(ctx context.Context, files []driver.Entry, path string, w io.Writer) error {
	i := slices.IndexFunc(files, func(e driver.Entry) bool { return e.Path == path })
	if i < 0 {
		return fault.New(fault.Unknown, "file-unknown", "see the package's files", "the package has no file %q", path)
	}
	for n := 0; ; n++ {
		b, err := s.store.FileChunk(ctx, files[i].SHA256, n)
		if err != nil || b == nil {
			return err
		}
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
}

// DriverReport compares drivers, queues, machines and packages.
func (s *Room) DriverReport(ctx context.Context, p *access.Principal) (driver.Report, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return driver.Report{}, err
	}
	snap, st := s.present.View(), s.present.Stock()
	doc := snap.Document()
	demand, err := s.demand(ctx, snap)
	if err != nil {
		return driver.Report{}, err
	}
	out := driver.Report{Holdings: driver.Holdings(doc, st.Packages), Generic: []string{}, Unused: []string{}}
	out.Matrix = driver.Matrix(doc, s.present.View().Platforms(doc), out.Holdings, func(queue, platform string) int {
		return demand[rehearse.Wish{Queue: queue, Platform: platform}]
	})
	out.Unused, out.Superseded = driver.Unused(st.Packages, out.Holdings), driver.Superseded(st.Packages, out.Holdings)
	if out.Trouble, err = s.trouble(ctx, doc, out.Holdings); err != nil {
		return out, err
	}
	for _, q := range doc.Queues {
		if len(q.Drivers) > 0 || q.Retired || len(q.Devices) != 1 {
			continue
		}
		if r := st.Device(q.Devices[0]).Device; r != nil && r.Model != "" &&
			len(driver.ForModel(st.Packages, r.Model)) > 0 {
			out.Generic = append(out.Generic, q.Name)
		}
	}
	return out, nil
}

// DriversFor lists the names that packages have for a model, the best fitting first; words narrow it.
func (s *Room) DriversFor(_ context.Context, p *access.Principal, wish driver.Wanted, limit int) ([]driver.Choice, int,
	error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, 0, err
	}
	list := driver.Choices(s.present.Stock().Packages, s.present.View().Document(), s.registeredNames(), wish)
	if wish.Model != "" && !slices.ContainsFunc(list, func(c driver.Choice) bool { return c.Fits }) {
		if err := s.knownModel(wish.Model); err != nil {
			return nil, 0, err
		}
	}
	return list[:min(len(list), limit)], len(list), nil
}

// knownModel gives an Unknown fault for a model that no device was found to be, and no package has a name for.
func (s *Room) knownModel(model string) error {
	st := s.present.Stock()
	var models []string
	for _, k := range st.Kept.All() {
		if k.Device != nil && k.Device.Model != "" {
			models = append(models, k.Device.Model)
		}
	}
	if slices.Contains(models, model) || len(driver.ForModel(st.Packages, model)) > 0 {
		return nil
	}
	slices.Sort(models)
	fix := "name a model as cirque device list does"
	if near := driver.Nearest(model, slices.Compact(models)); near != "" {
		fix = fmt.Sprintf("did you mean %q?", near)
	}
	return fault.New(fault.Unknown, "model-unknown", fix, "no device is a %q, and no package has a name for one", model)
}

// registeredNames are the drivers' names as servers have them.
func (s *Room) registeredNames() map[string][]string {
	out := map[string][]string{}
	for k, v := range s.present.Stock().Kept.All() {
		if v.Server == nil {
			continue
		}
		for _, q := range v.Server.Queues {
			if q.Model != "" && !slices.Contains(out[q.Model], k.Name) {
				out[q.Model] = append(out[q.Model], k.Name)
			}
		}
	}
	for _, l := range out {
		slices.Sort(l)
	}
	return out
}

// CompareNames compares two drivers' names; the second may be left out, to be compared with the nearest known one.
func (s *Room) CompareNames(_ context.Context, p *access.Principal, a, b string) (string, driver.Comparison, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return "", driver.Comparison{}, err
	}
	if b == "" {
		var known []string
		for _, k := range s.present.Stock().Packages {
			for _, m := range k.Models {
				known = append(known, m.Exact)
			}
		}
		for n := range s.registeredNames() {
			known = append(known, n)
		}
		slices.Sort(known)
		if slices.Contains(known, a) {
			b = a
		} else if b = driver.Nearest(a, known); b == "" {
			return "", driver.Comparison{}, fault.New(fault.Unknown, "no-near-name", "see cirque driver names",
				"no known name is near %q", a)
		}
	}
	return b, driver.Compare(a, b), nil
}

// trouble lists what endpoints could not install with a driver that is not driverless.
func (s *Room) trouble(ctx context.Context, doc *estate.Document,
	holdings []driver.Holding) ([]driver.Trouble, error) {
	out := []driver.Trouble{}
	all, err := s.cfg.Fleet.WithFailures(ctx)
	if err != nil {
		return out, err
	}
	known := map[string]driver.Holding{}
	for _, h := range holdings {
		known[h.Driver] = h
	}
	for _, e := range all {
		r := e.Report()
		remote := slices.ContainsFunc(r.Contexts, func(c lineup.Query) bool { return c.Host != nil })
		for _, f := range r.Failures {
			q, ok := doc.Find(estate.Ref{List: "queues", Name: f.Queue}).(*estate.Queue)
			if !ok || q == nil || f.Step != "add" && f.Step != "change" {
				continue
			}
			if d := driver.Choose(*q, r.Platform, known); d != "" && d != estate.Driverless {
				out = append(out, driver.Trouble{Driver: d, Exact: known[d].Exact, Machine: r.Machine, Queue: f.Queue,
					Says: f.Says, Since: f.Since, Remote: remote})
			}
		}
	}
	return out, nil
}

// DriversOn lists the drivers of endpoints: of one machine, or of all, and of them only one name where it is given.
// What a driver consists of is said of a single machine.
func (s *Room) DriversOn(ctx context.Context, p *access.Principal, machine,
	exact string) ([]endpoint.DriverHere, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	out := []endpoint.DriverHere{}
	look := func(r endpoint.Record) error {
		if ctx.Err() != nil {
			return present.Stopped()
		}
		for _, d := range endpoint.DriversHere(endpoint.PlanFor(s.present.View().Lineups(r, s.now())), r.Report) {
			if exact != "" && d.Exact != exact {
				continue
			}
			if machine != "" {
				if err := s.consistsOf(ctx, &d); err != nil {
					return err
				}
			}
			out = append(out, d)
		}
		return nil
	}
	if machine != "" {
		r, err := s.store.Endpoint(ctx, machine)
		if err != nil {
			return nil, err
		}
		err = look(r)
		return out, err
	}
	ends, _, err := s.cfg.Fleet.Every(ctx)
	if err != nil {
		return nil, err
	}
	for _, j := range ends {
		if err := look(j.Record()); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// consistsOf says in which package a driver is, which file describes it, and which belong to it.
func (s *Room) consistsOf(ctx context.Context, d *endpoint.DriverHere) error {
	k, m, ok := driver.Best(s.present.Stock().Packages, d.Exact, d.Platform)
	if !ok {
		if d.Says == "" {
			d.Says = "no driver package here has it"
		}
		return nil
	}
	var err error
	if k.Files, err = s.store.PackageFiles(ctx, k.Digest); err != nil {
		return err
	}
	d.Package, d.SetUpFile, d.Files = k.Digest, m.SetUpFile, k.Needs(m)
	return nil
}

// demandFresh is how long what demand counted is good, where endpoints may have reported since.
const demandFresh = time.Minute

// demand counts who receives which queue on which platform, once for an estate and a directory: it looks at everybody.
func (s *Room) demand(ctx context.Context, snap *present.View) (rehearse.Demand, error) {
	s.wanted.Lock()
	defer s.wanted.Unlock()
	if w := &s.wanted; w.demand != nil && w.estate == snap.World.Estate && w.directory == snap.World.Directory &&
		s.now().Sub(w.made) < demandFresh {
		return w.demand, nil
	}
	cases, err := s.cfg.Cases.Cases(ctx, snap)
	if err != nil {
		return nil, err
	}
	now, all := s.now().UTC(), rehearse.Demand{}
	if err := s.present.Crew.Share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		scratch := new(lineup.Scratch)
		return func(from, to int) func() {
			part := rehearse.Wanted(snap.World, cases.List, now, from, to, scratch)
			return func() { all.Add(part) }
		}
	}); err != nil {
		return nil, err
	}
	s.wanted.demand, s.wanted.estate, s.wanted.directory, s.wanted.made = all, snap.World.Estate,
		snap.World.Directory, s.now()
	return all, nil
}

// wanted keeps what demand counted last.
type wanted struct {
	sync.Mutex
	demand    rehearse.Demand // nil before the first time
	estate    *lineup.Estate
	directory *directory.Directory
	made      time.Time
}
