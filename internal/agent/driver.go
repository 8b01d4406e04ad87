package agent

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/internal/agentproto"
	"cirque/internal/whole"
)

// driverWithin bounds the fetching of one file.
const driverWithin = 2 * time.Minute

// driver gives the description (PPD) of a driver by its exact name. It is fetched with the files that belong to it,
// each held to its checksum, and kept, so that a queue can be set up anew while the service is away.
func (a *Agent) driver(ctx context.Context, exact string) ([]byte, error) {
	b, err := a.fetchDriver(ctx, exact)
	if err != nil {
		return nil, endpoint.NoDriver{Err: err}
	}
	return b, nil
}

func (a *Agent) fetchDriver(ctx context.Context, exact string) ([]byte, error) {
	facts, err := a.cfg.Machine.Facts(ctx)
	if err != nil {
		return nil, err
	}
	return a.fetchDriverFor(ctx, exact, facts.Platform)
}

func (a *Agent) fetchDriverFor(ctx context.Context, exact, platform string) ([]byte, error) {
	d, err := a.driverOf(ctx, exact, platform)
	if err != nil {
		return nil, notHere(exact, err)
	}
	if !strings.EqualFold(path.Ext(d.SetUpFile), ".ppd") {
		return nil, fmt.Errorf("the driver %q is described by %s, which this spooler does not take: it takes .ppd files",
			exact, path.Base(d.SetUpFile))
	}
	var out []byte
	for _, f := range d.Files {
		b, err := a.driverFile(ctx, d.Package, f)
		if err != nil {
			return nil, notWhole(exact, err)
		}
		if f.Path == d.SetUpFile {
			out = b
		}
	}
	ppd, err := driver.ParsePPD(out)
	if err != nil {
		return nil, fmt.Errorf("the driver %q cannot be read: %w", exact, err)
	}
	if !slices.ContainsFunc(ppd.Models(), func(m driver.Model) bool { return m.Exact == exact }) {
		return nil, fmt.Errorf("the description %s does not name the driver %q", path.Base(d.SetUpFile), exact)
	}
	return out, nil
}

func notHere(exact string, err error) error {
	return fmt.Errorf("the driver %q is not here: %w", exact, err)
}

func notWhole(exact string, err error) error {
	return fmt.Errorf("the driver %q is not whole: %w", exact, err)
}

// driverOf asks what a driver consists of; what was answered before holds while the service is away.
func (a *Agent) driverOf(ctx context.Context, exact, platform string) (d agentproto.Driver, err error) {
	sum := sha256.Sum256([]byte(exact + "\x00" + platform))
	file := a.driverPath(hex.EncodeToString(sum[:]) + ".json")
	_, b, err := a.client.signedPost(ctx, agentproto.DriverPath, agentproto.DriverRequest{Exact: exact,
		Platform: platform}, nil, 30*time.Second)
	if err != nil {
		kept, readErr := os.ReadFile(file)
		if readErr != nil || file == "" {
			return d, err
		}
		b = kept
	} else if file != "" {
		if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
			return d, err
		}
		if err := whole.Write(file, b, 0o600); err != nil {
			return d, err
		}
	}
	return d, json.Unmarshal(b, &d)
}

// driverPath is where something of drivers is kept; empty where nothing is.
func (a *Agent) driverPath(called string) string {
	if a.cfg.State == "" {
		return ""
	}
	return filepath.Join(a.cfg.State, "drivers", called)
}

// driverFile gives a file by its checksum, out of what is kept or fetched.
func (a *Agent) driverFile(ctx context.Context, digest string, f agentproto.DriverFile) ([]byte, error) {
	kept := a.driverPath(f.SHA256)
	if b, err := os.ReadFile(kept); err == nil && sumOf(b) == f.SHA256 {
		return b, nil
	}
	b, err := a.client.get(ctx, agentproto.DriverPath+"/"+digest+"/file", url.Values{"path": {f.Path}}, driverWithin)
	if err != nil {
		return nil, err
	}
	if sumOf(b) != f.SHA256 {
		return nil, fmt.Errorf("the file %s arrived with another checksum", f.Path)
	}
	if kept != "" {
		if err := os.MkdirAll(filepath.Dir(kept), 0o700); err != nil {
			return nil, err
		}
		if err := whole.Write(kept, b, 0o600); err != nil {
			return nil, err
		}
	}
	return b, nil
}

// staged lists the drivers whose files are kept.
func (a *Agent) staged() []endpoint.Staged {
	if a.cfg.State == "" {
		return nil
	}
	described, _ := filepath.Glob(a.driverPath("*.json")) // the pattern is right
	var out []endpoint.Staged
	for _, file := range described {
		var d agentproto.Driver
		b, err := os.ReadFile(file)
		if err != nil || json.Unmarshal(b, &d) != nil || d.Exact == "" {
			continue
		}
		s := endpoint.Staged{Exact: d.Exact, Package: d.Package, SetUpFile: d.SetUpFile, Files: len(d.Files), Whole: true}
		for _, f := range d.Files {
			s.Bytes += f.Bytes
			if at, err := os.Stat(a.driverPath(f.SHA256)); err != nil || at.Size() != f.Bytes {
				s.Whole = false
			}
		}
		out = append(out, s)
	}
	slices.SortFunc(out, func(x, y endpoint.Staged) int { return strings.Compare(x.Exact, y.Exact) })
	return out
}

func sumOf(b []byte) string {
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:])
}
