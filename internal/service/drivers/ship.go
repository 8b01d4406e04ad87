package drivers

import (
	"context"
	"io"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/fault"
)

// A Shipment is what an endpoint needs to install a driver.
type Shipment struct {
	Package   string // digest
	SetUpFile string
	Files     []driver.Entry
}

// Ship finds the driver of an exact name for a platform among the packages, the newest first, without what else lies in
// its package.
func (s *Room) Ship(ctx context.Context, p *access.Principal, exact, platform string) (Shipment, error) {
	if err := access.Check(p, access.Report); err != nil {
		return Shipment{}, err
	}
	of, best, ok := driver.Best(s.present.Stock().Packages, exact, platform)
	if !ok {
		return Shipment{}, driver.NotHeld(s.present.Stock().Packages, exact, platform)
	}
	if len(best.Missing) > 0 {
		return Shipment{}, fault.New(fault.Conflict, "driver-incomplete", "add a whole package",
			"the package %s lacks files of %q: %s", of.Name, exact, strings.Join(best.Missing, ", "))
	}
	var err error
	if of.Files, err = s.store.PackageFiles(ctx, of.Digest); err != nil {
		return Shipment{}, err
	}
	out := Shipment{Package: of.Digest, SetUpFile: best.SetUpFile}
	needs := of.Needs(best)
	for _, f := range of.Files {
		if slices.Contains(needs, f.Path) {
			out.Files = append(out.Files, f)
		}
	}
	return out, nil
}

// ShippedFile streams one file of a package to an endpoint.
func (s *Room) ShippedFile(ctx context.Context, p *access.Principal, digest, path string, w io.Writer) error {
	if err := access.Check(p, access.Report); err != nil {
		return err
	}
	i := slices.IndexFunc(s.present.Stock().Packages, func(k driver.Package) bool { return k.Digest == digest })
	if i < 0 {
		return fault.New(fault.Unknown, "package-unknown", "ask for the driver anew", "there is no driver package %q", digest)
	}
	files, err := s.store.PackageFiles(ctx, digest)
	if err != nil {
		return err
	}
	return s.writeFile(ctx, files, path, w)
}

// Closed says why a queue takes no jobs just now, and until when, for the agents that install it; "" where it does.
func (s *Room) Closed(queue string) (says string, until *time.Time) {
	return s.present.View().World.Refuses(queue, s.now())
}

// Fitted says what is fitted to the printers of queues, where the estate says so.
func (s *Room) Fitted(queues []string) map[string]estate.Units {
	doc := s.present.View().Document()
	out := map[string]estate.Units{}
	for _, n := range queues {
		if q, ok := doc.Find(estate.Ref{List: "queues", Name: n}).(*estate.Queue); ok && q.Units.Some() {
			out[n] = *q.Units
		}
	}
	return out
}

// Places says in words where queues are, the inmost place first.
func (s *Room) Places(_ context.Context, p *access.Principal, queues []string) (map[string]string, error) {
	if err := access.Check(p, access.Report); err != nil {
		return nil, err
	}
	doc := s.present.View().Document()
	out := map[string]string{}
	for _, n := range queues {
		q, ok := doc.Find(estate.Ref{List: "queues", Name: n}).(*estate.Queue)
		if !ok || q.Location == "" {
			continue
		}
		out[n] = estate.InWords(q.Location, func(at string) *estate.Location {
			l, _ := doc.Find(estate.Ref{List: "locations", Name: at}).(*estate.Location)
			return l
		})
	}
	return out, nil
}
