package agent

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/update"
	"cirque/internal/agentproto"
	"cirque/internal/install"
	"cirque/internal/whole"
)

// An Installer brings the agent itself to another version.
type Installer struct {
	// Kind is how the agent was installed: deb, rpm, msi, archive; "left" where that is device management's; "" for none.
	Kind  string
	Begin func(dir string) error
	// Restart has the program that lies there now take this process's place; nil where something else restarts it.
	Restart func() error
}

// SystemInstaller is that of the system; left says that it is to stay out of it.
func SystemInstaller(left bool) Installer {
	i := Installer{Kind: install.Kind(), Begin: install.Begin}
	if left {
		i.Kind = update.Left
	}
	if install.Restarts() {
		i.Restart = install.Restart
	}
	return i
}

const (
	partWithin   = 5 * time.Minute // over a thin line
	partTries    = 20              // in a row, before the package is given up until the next report
	updaterBegin = 15 * time.Minute
)

// upgrades bring the agent itself to other versions.
type upgrades struct {
	cfg      Config
	client   *client
	fetching chan error // of the package that is being fetched; nil while none is
}

// heed begins what the service told with its answer to a report: it asks for the package, and fetches it beside
// everything else.
func (u *upgrades) heed(ctx context.Context, order, platform string) {
	if u.fetching != nil {
		select {
		case err := <-u.fetching:
			u.fetching = nil
			if err != nil && ctx.Err() == nil {
				u.cfg.Log.Warn("the agent's package could not be fetched; it is tried again with the next report", "error", err)
			}
		default:
			return
		}
	}
	if order == "" || u.cfg.State == "" || u.cfg.Installer.Begin == nil || order == u.heeded() {
		return
	}
	dir := install.Folder(u.cfg.State)
	if _, ok, err := install.Read(dir); ok || err != nil {
		return // the last one is not over yet
	}
	_, body, err := u.client.signedPost(ctx, agentproto.UpdatePath, agentproto.UpdateRequest{Version: u.cfg.Version,
		Platform: platform, Kind: u.cfg.Installer.Kind}, nil, 30*time.Second)
	var offer agentproto.UpdateOffer
	if err == nil {
		err = json.Unmarshal(body, &offer)
	}
	if err != nil {
		u.cfg.Log.Warn("the service offers no package of the agent", "error", err)
		return
	}
	u.cfg.Log.Info("another version of the agent is fetched", "from", u.cfg.Version, "to", offer.To.Version)
	done := make(chan error, 1)
	u.fetching = done
	go func() { done <- u.bring(ctx, dir, offer, order) }()
}

// heeded gives the last order by which it began, whatever came of it: once is enough.
func (u *upgrades) heeded() string {
	b, _ := whole.Read(u.heededFile()) // one that is not there is none
	return string(b)
}

func (u *upgrades) heededFile() string { return filepath.Join(u.cfg.State, "updated") }

// bring fetches the packages of an offer, tells the service that it begins, and starts the updater.
func (u *upgrades) bring(ctx context.Context, dir string, offer agentproto.UpdateOffer,
	order string) error {
	t := install.Task{Order: offer.Order, Back: strings.HasSuffix(order, " back"), Kind: u.cfg.Installer.Kind,
		From: u.cfg.Version, To: offer.To.Version, File: filepath.Base(offer.To.File), SHA256: offer.To.SHA256,
		State: install.Begun}
	if err := u.fetch(ctx, dir, offer.To); err != nil {
		return err
	}
	if offer.Back != nil {
		if err := u.fetch(ctx, dir, *offer.Back); err != nil {
			return err
		}
		t.WayBack = &install.Way{File: filepath.Base(offer.Back.File), SHA256: offer.Back.SHA256}
	}
	if err := u.say(ctx, t, update.Begun); err != nil {
		return err
	}
	if err := whole.Write(u.heededFile(), []byte(order), 0o600); err != nil {
		return err
	}
	t.At = time.Now().UTC()
	if err := t.Save(dir); err != nil {
		return err
	}
	return u.cfg.Installer.Begin(dir)
}

// fetch fetches a package part by part; what is there already is not fetched again.
func (u *upgrades) fetch(ctx context.Context, dir string, p agentproto.UpdatePackage) error {
	if p.Bytes <= 0 || p.Bytes > update.MaxBytes || filepath.Base(p.File) != p.File || !filepath.IsLocal(p.File) {
		return fault.New(fault.Invalid, "update-package", "", "the service offers a package that is none: %q", p.File)
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	path := filepath.Join(dir, p.File)
	if b, err := os.ReadFile(path); err == nil && sumOf(b) == p.SHA256 {
		return nil
	}
	if err := u.parts(ctx, path+".part", p); err != nil {
		return err
	}
	b, err := os.ReadFile(path + ".part")
	if err != nil {
		return err
	}
	if sumOf(b) != p.SHA256 {
		_ = os.Remove(path + ".part") // begun anew the next time
		return fmt.Errorf("the package %s arrived with another checksum", p.File)
	}
	if err := whole.Write(path, b, 0o600); err != nil {
		return err
	}
	return os.Remove(path + ".part")
}

// parts fetches what is missing of a package into a file, which is closed afterwards: on Windows what is open can be
// neither renamed nor removed.
func (u *upgrades) parts(ctx context.Context, file string, p agentproto.UpdatePackage) error {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	info, err := f.Stat()
	if err != nil {
		return errors.Join(err, f.Close())
	}
	for n := info.Size() / update.Chunk; n*update.Chunk < p.Bytes; n++ {
		b, err := u.part(ctx, p.SHA256, n)
		if err == nil {
			_, err = f.WriteAt(b, n*update.Chunk)
		}
		if err != nil {
			return errors.Join(err, f.Close())
		}
	}
	return f.Close()
}

// part fetches one part; a line that breaks is asked again.
func (u *upgrades) part(ctx context.Context, digest string, n int64) (b []byte, err error) {
	for try := range partTries {
		b, err = u.client.get(ctx, fmt.Sprintf("%s/%s/%d", agentproto.UpdatePartPath, digest, n), nil, partWithin)
		if err == nil || final(err) || !sleep(ctx, min(time.Duration(try+1)*shortestGap, 30*time.Second)) {
			break
		}
	}
	return b, err
}

// say tells the service how a task stands.
func (u *upgrades) say(ctx context.Context, t install.Task, state string) error {
	return u.client.exchange(ctx, agentproto.UpdateSaidPath, agentproto.UpdateSaid{Order: t.Order, State: state,
		Former: t.From, Says: t.Says}, nil)
}

// watch follows a task beside everything else: this very agent may be what has come up by it.
func (u *upgrades) watch(ctx context.Context) {
	if u.cfg.State == "" || u.cfg.Installer.Begin == nil {
		return
	}
	dir := install.Folder(u.cfg.State)
	if err := install.Alive(dir, u.cfg.Version); err != nil {
		u.cfg.Log.Warn("an update of the agent cannot be read", "folder", dir, "error", err)
	}
	for sleep(ctx, 500*time.Millisecond) {
		t, ok, err := install.Read(dir)
		if err != nil || !ok {
			continue
		}
		if u.cfg.Installer.Restart != nil && u.isReplaced(t) {
			u.cfg.Log.Info("the agent takes its new program's place", "version", t.To)
			u.cfg.Log.Error("the new program cannot be run", "error", u.cfg.Installer.Restart())
			_ = sleep(ctx, 10*time.Second)
			continue
		}
		if t.State == install.Begun && time.Since(t.At) > updaterBegin {
			t.State, t.Says = install.Failed, "nothing began to install the package"
			err = t.Save(dir)
		}
		if err == nil && t.Over() {
			err = u.tell(ctx, dir, t)
		}
		if err != nil && !sleep(ctx, 10*time.Second) {
			return
		}
	}
}

// isReplaced says whether another program lies in the place of this one by now.
func (u *upgrades) isReplaced(t install.Task) bool {
	return t.State == install.Installed && u.cfg.Version == t.From && t.From != t.To ||
		t.State == install.Failed && u.cfg.Version == t.To && t.From != t.To
}

// tell tells the service what came of a task, and forgets it then.
func (u *upgrades) tell(ctx context.Context, dir string, t install.Task) error {
	state := update.Failed
	switch {
	case t.State == install.Done && t.Back:
		state = update.WentBack
	case t.State == install.Done:
		state = update.Came
	}
	if err := u.say(ctx, t, state); err != nil && !final(err) {
		return err
	}
	u.cfg.Log.Info("the agent was brought to another version, or not", "state", state, "from", t.From, "to", t.To, "says",
		t.Says)
	return install.Forget(dir)
}
