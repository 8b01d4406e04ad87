package ca

import (
	"errors"
	"io/fs"
	"os"
	"time"

	"cirque/core/fault"
	"cirque/internal/whole"
)

// Prepare makes the authority that comes next, beside the one that there is: it is trusted from then on, and certifies
// agents that follow.
func Prepare(dir string, now time.Time) error {
	a := &Authority{dir: dir}
	if _, err := os.Stat(a.file(nextFile)); err == nil {
		return fault.New(fault.Conflict, "authority-next", "switch to it: cirque authority switch", "there is a next "+
			"authority already")
	}
	if _, err := loadPair(a.CertFile(), a.file(keyFile)); err != nil {
		return broken(dir, err)
	}
	made, err := create(now)
	if err != nil {
		return err
	}
	if err := writePair(a.file(nextFile), a.file(nextKeyFile), made.cert.Raw, made.key); err != nil {
		return err
	}
	return a.stamp(now)
}

// stamp is written last, for services that watch it.
func (a *Authority) stamp(now time.Time) error {
	return whole.Write(a.file("stamp"), []byte(now.UTC().Format(time.RFC3339Nano)+"\n"), 0o644)
}

// Switch puts the next authority in place of the current one, which is trusted still and signs nothing any more: its
// key is gone.
func Switch(dir string, now time.Time) error {
	a := &Authority{dir: dir}
	if _, err := loadPair(a.file(nextFile), a.file(nextKeyFile)); err != nil {
		return fault.New(fault.Conflict, "no-authority-next", "make one: cirque authority prepare", "there is no next "+
			"authority").Because(err)
	}
	b, err := os.ReadFile(a.CertFile())
	if err != nil {
		return broken(dir, err)
	}
	if err := whole.Write(a.file(formerFile), b, 0o644); err != nil {
		return err
	}
	if err := os.Rename(a.file(nextKeyFile), a.file(keyFile)); err != nil {
		return err
	}
	if err := a.finishSwitch(); err != nil {
		return err
	}
	return a.stamp(now)
}

// finishSwitch ends a switch that was cut off: the key is the next authority's already, and the certificate is not.
func (a *Authority) finishSwitch() error {
	if _, err := os.Stat(a.file(nextKeyFile)); err == nil {
		return nil // it has not begun
	}
	if _, err := loadPair(a.file(nextFile), a.file(keyFile)); err != nil {
		return nil // nothing comes next
	}
	if err := os.Rename(a.file(nextFile), a.CertFile()); err != nil {
		return err
	}
	return whole.SyncDir(a.dir)
}

// Forget lets go of the former authority: what it has certified is not good any more.
func Forget(dir string, now time.Time) error {
	a := &Authority{dir: dir}
	err := os.Remove(a.file(formerFile))
	if errors.Is(err, fs.ErrNotExist) {
		return fault.New(fault.Unknown, "no-authority-former", "see cirque authority list", "there is no former authority")
	}
	if err == nil {
		err = whole.SyncDir(dir)
	}
	if err != nil {
		return err
	}
	return a.stamp(now)
}

// A Standing is one of the authorities in a directory.
type Standing struct {
	Fingerprint string
	State       string // current, next, former
	Until       time.Time
}

// Standing lists the authorities that there are, the current one first.
func (a *Authority) Standing() []Standing {
	all := a.all.Load()
	out := []Standing{{fingerprint(all.current.cert), "current", all.current.cert.NotAfter}}
	if all.next != nil {
		out = append(out, Standing{fingerprint(all.next.cert), "next", all.next.cert.NotAfter})
	}
	if all.former != nil {
		out = append(out, Standing{fingerprint(all.former), "former", all.former.NotAfter})
	}
	return out
}
