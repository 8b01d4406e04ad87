package updates

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/update"
)

// AddPackage keeps a package of the agent, and says whether it was kept already.
func (s *Room) AddPackage(ctx context.Context, p *access.Principal, file string, data []byte) (update.AgentPackage,
	bool, error) {
	if err := access.Check(p, access.UpdateAgents); err != nil {
		return update.AgentPackage{}, false, err
	}
	pkg, err := update.Named(file)
	if err != nil {
		return pkg, false, err
	}
	if err := pkg.Holds(data); err != nil {
		return pkg, false, err
	}
	sum := sha256.Sum256(data)
	pkg.Digest, pkg.Bytes, pkg.Author, pkg.At = hex.EncodeToString(sum[:]), int64(len(data)), p.Name, s.now()
	known, err := s.store.AddAgentPackage(ctx, pkg, data, event.Event{Kind: event.AgentPackage, Subject: file,
		Author: p.Name}.Saying("The agent's package {file} was added", "file", file).With(nil, pkg))
	if err != nil {
		return pkg, false, err
	}
	return pkg, known, s.read(ctx)
}

// Packages lists packages of the agent.
func (s *Room) Packages(_ context.Context, p *access.Principal) ([]update.AgentPackage, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	return *s.packages.Load(), nil
}

// RemovePackage forgets a package, by its digest or the beginning of it, or by its file's name.
func (s *Room) RemovePackage(ctx context.Context, p *access.Principal, called string) error {
	if err := access.Check(p, access.UpdateAgents); err != nil {
		return err
	}
	pkg, err := s.packageBy(called)
	if err != nil {
		return err
	}
	if o := s.order.Load(); o != nil && o.State != update.Ended && o.Version == pkg.Version {
		return fault.New(fault.Conflict, "agent-package-used", "end it first: cirque endpoint update end",
			"machines are being brought to %s, for which %s is", o.Version, pkg.File)
	}
	if err := s.store.RemoveAgentPackage(ctx, pkg.Digest, event.Event{Kind: event.AgentPackageGone, Subject: pkg.File,
		Author: p.Name}.Saying("The agent's package {file} was removed", "file", pkg.File).With(pkg, nil)); err != nil {
		return err
	}
	return s.read(ctx)
}

func (s *Room) packageBy(called string) (update.AgentPackage, error) {
	list := *s.packages.Load()
	fits := slices.DeleteFunc(slices.Clone(list), func(k update.AgentPackage) bool {
		return k.File != called && (len(called) < 6 || !strings.HasPrefix(k.Digest, strings.ToLower(called)))
	})
	if len(fits) != 1 {
		return update.AgentPackage{}, fault.New(fault.Unknown, "agent-package-unknown", "see cirque endpoint package list; "+
			"give the file's name, or at least six characters of the digest", "there is no package of the agent %q, or several",
			called)
	}
	return fits[0], nil
}

// chunkWaits is how long a part of a package waits for its turn.
const chunkWaits = 10 * time.Second

// Chunk gives a part of a package, nil after the last: to machines, and to whoever hands packages on.
func (s *Room) Chunk(ctx context.Context, p *access.Principal, digest string, n int) ([]byte, error) {
	if access.Check(p, access.Report) != nil {
		if err := access.Check(p, access.Enrol); err != nil {
			return nil, err
		}
	}
	waits, cancel := context.WithTimeout(ctx, chunkWaits)
	defer cancel()
	if err := s.slots.Acquire(waits, 1); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fault.New(fault.TooMany, "agent-package-busy", "it is asked again by itself", "many machines are being "+
			"handed packages just now")
	}
	defer s.slots.Release(1)
	return s.store.AgentPackageChunk(ctx, digest, n)
}
