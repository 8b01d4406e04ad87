package drivers

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// AddPackage keeps a driver package out of a zip archive, and says whether the same files were kept already.
func (s *Room) AddPackage(ctx context.Context, p *access.Principal, name, note string, archive []byte,
	dry bool) (driver.Package, bool, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return driver.Package{}, false, err
	}
	sum := sha256.Sum256(archive)
	return s.TakePackage(ctx, p.Name, name, note, archive, driver.Archive{SHA256: hex.EncodeToString(sum[:])}, dry)
}

// TakePackage is AddPackage for an author who may, and an archive of which it is known where it came from.
func (s *Room) TakePackage(ctx context.Context, author, name, note string, archive []byte, from driver.Archive,
	dry bool) (driver.Package, bool, error) {
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
	pkg.Name, pkg.Note, pkg.Author, pkg.At = name, note, author, s.now().UTC()
	pkg.CameIn(from)
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
		Author: author}.Saying(
		"The driver package {name} was added: {names}", "name", name, "names", words.Count(len(pkg.Models), "name")).With(nil,
		map[string]any{"name": name, "digest": pkg.Digest, "names": len(pkg.Models)}))
	if err != nil {
		return pkg, known, err
	}
	s.present.Show(ctx, event.Signal{What: event.Drivers, Subject: pkg.Digest})
	if known {
		one, err := s.packageOf(ctx, pkg.Digest)
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
	return s.packageOf(ctx, digest)
}

func (s *Room) packageOf(ctx context.Context, digest string) (driver.Package, error) {
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

// DriversFor lists the names that packages have for a model, the best fitting first; words narrow it.
func (s *Room) DriversFor(ctx context.Context, p *access.Principal, wish driver.Wanted, limit int) ([]driver.Choice,
	int, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, 0, err
	}
	var err error
	if wish.Built, err = s.store.BuiltIn(ctx); err != nil {
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
