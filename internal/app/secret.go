package app

import (
	"context"
	"crypto/rand"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
	_ "time/tzdata" // zones wherever it runs

	"cirque/core/fault"
	"cirque/internal/ca"
	"cirque/internal/postgres"
	"cirque/internal/service"
	"cirque/internal/service/secrets"
	"cirque/internal/whole"
)

// secretKeys reads the keys that seal what is secret, and makes one the first time. empty says that the file was there
// and held nothing, as a full disk may have left it: what was sealed with what it should have held cannot be opened.
func secretKeys(file string) (ring secrets.Ring, empty bool, err error) {
	b, err := whole.Read(file)
	if err == nil {
		if ring, ok := secrets.ParseRing(string(b)); ok {
			return ring, false, nil
		}
		return nil, false, fault.New(fault.Invalid, "secret-key", "put back the file that was made with the data; "+
			"without it "+
			"stored keys must be entered anew", "%s is no secret key", file)
	}
	if !errors.Is(err, fs.ErrNotExist) {
		return nil, false, fault.New(fault.Invalid, "secret-key", "let the service's account read it", "%s cannot be read",
			file).Because(err)
	}
	if _, err := os.Stat(file); err == nil {
		empty = true
		if err := os.Remove(file); err != nil {
			return nil, true, err
		}
	}
	key := make([]byte, 32)
	_, _ = rand.Read(key) // it never fails
	ring = secrets.NewRing(key)
	err = whole.Add(file, []byte(ring.String()), 0o600)
	if errors.Is(err, fs.ErrExist) { // another process was quicker
		return secretKeys(file)
	}
	if err != nil {
		return nil, empty, noRoom(file, err)
	}
	return ring, empty, nil
}

// keys gives the secret key and the certificate authority that lie beside the data, and makes them the first time. What
// was there and empty is made anew, and told loudly.
func keys(o Options) (secrets.Ring, *ca.Authority, error) {
	file := filepath.Join(o.Data, secretFile)
	ring, empty, err := secretKeys(file)
	if err != nil {
		return nil, nil, err
	}
	if empty {
		o.Log.Error("the secret key was empty, and a new one was made: put the old file back and send SIGHUP; else enter "+
			"stored keys anew, and have agents forget the key of answers", "file", file)
	}
	authority, err := ca.Open(filepath.Join(o.Data, "ca"), time.Now())
	if err != nil {
		return nil, nil, err
	}
	if authority.Anew {
		o.Log.Error("the certificate authority was empty, and a new one was made: agents are enrolled anew", "file",
			authority.CertFile())
	}
	return ring, authority, nil
}

// keysFor are the keys that lie beside the data, which those of other services on the database have to be.
func keysFor(ctx context.Context, o Options, store *postgres.Store) (secrets.Ring, *ca.Authority, error) {
	ring, authority, err := keys(o)
	if err == nil {
		err = sameKeys(ctx, store, keyNames(ring.IDs(), authority))
	}
	return ring, authority, err
}

// keyNames names a service's keys: what is of one kind stands before the colon.
func keyNames(secretKeys []string, authority *ca.Authority) (out []string) {
	for _, id := range secretKeys {
		out = append(out, "secret-key:"+id)
	}
	for _, a := range authority.Standing() {
		out = append(out, "authority:"+a.Fingerprint)
	}
	return out
}

// aliveWithin is how long a process that has other keys is watched: one that runs says again within this that it is
// there, and one that was killed a moment ago does not.
const aliveWithin = 5 * time.Second

// sameKeys makes sure that this process has the keys of the others on its database: what one has sealed another could
// not open, and agents would not know it.
func sameKeys(ctx context.Context, store *postgres.Store, own []string) error {
	first := map[string]time.Time{} // when those with other keys were seen
	for end := time.Now().Add(aliveWithin); ; {
		others, err := store.KeysOfOthers(ctx)
		if err != nil {
			return nil // what is wrong is told by whatever needs the database next
		}
		strange := false
		for _, p := range others {
			kind := otherKind(own, p.Keys)
			if kind == "" {
				continue
			}
			if seen, ok := first[p.ID]; ok && p.Seen.After(seen) {
				return fault.New(fault.Conflict, "other-keys", "copy secret-key and ca/ from its data directory into this one's, "+
					"and start this again", "another service on this database has another %s: what one seals the other "+
					"cannot open, and agents would not know this one", kind)
			}
			strange, first[p.ID] = true, p.Seen
		}
		if !strange || time.Now().After(end) {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(250 * time.Millisecond):
		}
	}
}

// otherKind gives the kind of key of which two processes have none in common; "" where they agree.
func otherKind(own, other []string) string {
	for _, kind := range []string{"secret-key:", "authority:"} {
		is := func(k string) bool { return strings.HasPrefix(k, kind) }
		if slices.ContainsFunc(own, is) && slices.ContainsFunc(other, is) &&
			!slices.ContainsFunc(own, func(k string) bool { return is(k) && slices.Contains(other, k) }) {
			return strings.TrimSuffix(strings.ReplaceAll(kind, "-", " "), ":")
		}
	}
	return ""
}

// rekey reads the secret keys again.
func rekey(o Options, svc *service.Service) {
	ring, _, err := secretKeys(filepath.Join(o.Data, secretFile))
	if err != nil {
		o.Log.Error("the secret keys stay as they were", "error", err)
		return
	}
	if svc.Secrets.Rekey(ring) {
		o.Log.Info("other secret keys are used from now on", "current", ring[0].ID(), "others", len(ring)-1)
	}
}

// followKeys has the service go on with other keys and authorities where others lie beside the data.
func followKeys(o Options, svc *service.Service, authority *ca.Authority, r *Running, c *closers) {
	again := func() { rekey(o, svc) }
	reread := func() {
		if err := authority.Reload(); err != nil {
			o.Log.Error("the certificate authority stays as it was", "error", err)
		} else if r.follow != nil {
			r.follow()
		}
	}
	r.reload = append(r.reload, again, reread)
	watchFiles(c, map[string]func(){filepath.Join(o.Data, secretFile): again,
		filepath.Join(o.Data, "ca", "stamp"): reread})
}

// lookEvery is how often it is looked whether a file is another.
const lookEvery = 2 * time.Second

// watchFiles does something whenever a file is another than it was, until the service is stopped.
func watchFiles(c *closers, files map[string]func()) {
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	for file, changed := range files {
		was, _ := os.Stat(file)
		wg.Go(func() {
			repeat(ctx, lookEvery, func() {
				// What is away for a moment is being put back.
				if is, err := os.Stat(file); err == nil && (was == nil || !os.SameFile(was, is) ||
					!is.ModTime().Equal(was.ModTime())) {
					was = is
					changed()
				}
			})
		})
	}
	c.add(func() error { stop(); wg.Wait(); return nil })
}

// noRoom is a file that could not be written.
func noRoom(file string, err error) error {
	return fault.New(fault.Unavailable, "data-unwritable", "make room on its disk, or let the service's account "+
		"write there", "%s cannot be written", file).Because(err)
}

// setupCode is the file with the one-time code of the first run.
type setupCode struct{ file string }

func (s setupCode) read() (string, bool) {
	b, err := os.ReadFile(s.file)
	code := strings.TrimSpace(string(b))
	return code, err == nil && code != ""
}

func (s setupCode) make() error {
	if _, ok := s.read(); ok {
		return nil
	}
	if err := whole.Write(s.file, []byte(rand.Text()+"\n"), 0o600); err != nil {
		return noRoom(s.file, err)
	}
	return nil
}

func (s setupCode) remove() { _ = os.Remove(s.file) }
