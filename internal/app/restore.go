package app

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/backup"
	"cirque/internal/postgres"
	"cirque/internal/whole"
)

// CheckBackup reads a backup to its end and says what it holds.
func CheckBackup(_ context.Context, how backup.Call, in io.Reader) (backup.Result, error) {
	r := new(making)
	with, err := backup.With(how.Passphrase, how.Keys)
	if err == nil {
		err = r.read(in, with, how.Told, sink{})
	}
	return r.result(), err
}

// A sink takes what a backup holds; this one takes nothing.
type sink struct {
	begin func(Contents) error
	file  func(name string, b []byte) error
	table func(t postgres.Table, from io.Reader) (rows int64, err error)
}

// read reads a backup to its end.
func (r *making) read(in io.Reader, with backup.Keys, progress func(string, int64, int64), to sink) error {
	count := &counting{in: in}
	b, err := backup.NewReader(count, with)
	if err != nil {
		return err
	}
	defer b.Close()
	var before int64
	for {
		name, from, err := b.Next()
		if errors.Is(err, io.EOF) {
			r.written, r.sums = count.n, b.Sums()
			return r.counted(to.table != nil)
		}
		if err != nil {
			return err
		}
		if name != contentsEntry && r.Format == 0 {
			return noBackup()
		}
		table, isTable := strings.CutPrefix(name, tablesEntry)
		if isTable {
			err = r.readTable(table, &telling{in: from, n: &before, tell: func(n int64) { progress(table, n, r.Bytes) }}, to)
		} else {
			err = r.readFile(name, from, to)
		}
		if err != nil {
			return err
		}
	}
}

func noBackup() error {
	return fault.New(fault.Invalid, "no-backup", "name a file that cirque backup made", "this is no backup of Cirque")
}

func (r *making) readTable(name string, from io.Reader, to sink) error {
	i := slices.IndexFunc(r.Tables, func(t postgres.Table) bool { return t.Name == name })
	if i < 0 || to.table == nil {
		_, err := io.Copy(io.Discard, from)
		return err
	}
	rows, err := to.table(r.Tables[i], from)
	if r.put == nil {
		r.put = map[string]int64{}
	}
	r.put[tablesEntry+name] = rows
	return err
}

// counted counts the rows that were written, and compares them with those that were put.
func (r *making) counted(put bool) error {
	for name, sum := range r.sums {
		if put && r.put[name] != sum.Rows {
			return fault.New(fault.Invalid, "backup-damaged", "take another one", "%s has %d rows, and %d were put back", name,
				sum.Rows, r.put[name])
		}
	}
	return nil
}

func (r *making) readFile(name string, from io.Reader, to sink) error {
	b, err := backup.ReadAll(from)
	if err != nil {
		return err
	}
	if name != contentsEntry {
		if to.file == nil {
			return nil
		}
		return to.file(name, b)
	}
	if err := json.Unmarshal(b, &r.Contents); err != nil || r.Format != backupFormat {
		return fault.New(fault.Invalid, "backup-format", "restore it with the Cirque that made it", "this program does not "+
			"know the backup's format %d", r.Format)
	}
	if to.begin != nil {
		return to.begin(r.Contents)
	}
	return nil
}

type counting struct {
	in io.Reader
	n  int64
}

func (c *counting) Read(b []byte) (int, error) {
	n, err := c.in.Read(b)
	c.n += int64(n)
	return n, err
}

type telling struct {
	in   io.Reader
	n    *int64
	tell func(int64)
}

func (t *telling) Read(b []byte) (int, error) {
	n, err := t.in.Read(b)
	*t.n += int64(n)
	t.tell(*t.n)
	return n, err
}

// Restore puts a backup into an empty data directory, and its database into the one of its own there or an empty one at
// o.Database. Where that does not succeed, both are as empty as they were.
func Restore(ctx context.Context, o Options, how backup.Call, in io.Reader) (done backup.Result, err error) {
	r := new(making)
	with, err := backup.With(how.Passphrase, how.Keys)
	if err != nil {
		return done, err
	}
	if err := emptyPlace(o.Data); err != nil {
		return r.result(), err
	}
	made := false
	if _, err := os.Stat(o.Data); err != nil {
		made = true
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, clearPlace(o.Data, made))
		}
	}()
	if err := os.MkdirAll(o.Data, 0o755); err != nil {
		return r.result(), noRoom(o.Data, err)
	}
	o.asItIs = true
	var c closers
	defer func() { err = errors.Join(c.run(), err) }()
	var into *postgres.Filling
	kept := map[string][]byte{}
	err = r.read(in, with, how.Told, sink{
		begin: func(is Contents) error {
			if err := roomFor(o, is.Bytes); err != nil {
				return err
			}
			store, err := openStore(ctx, o, &c)
			if err != nil {
				return err
			}
			if into, err = store.Fill(ctx, is.Schema); err == nil {
				c.add(into.Close)
			}
			return err
		},
		file:  func(name string, b []byte) error { kept[name] = b; return nil },
		table: func(t postgres.Table, from io.Reader) (int64, error) { return into.Put(ctx, t, from) },
	})
	if err != nil {
		return r.result(), err
	}
	if into == nil {
		return r.result(), noBackup()
	}
	if r.beside, err = putFiles(o.Data, kept); err != nil {
		return r.result(), err
	}
	return r.result(), into.Finish(ctx, r.Sequences, event.Event{Kind: event.Restored, Subject: event.BackupSubject,
		Author: event.BesideTheData}.Saying("Everything was restored from the backup of {time}, which {machine} made",
		"time", r.Made.UTC().Format(time.RFC3339), "machine", r.Machine))
}

// putFiles writes the files where they belong, and gives those that the service had elsewhere.
func putFiles(data string, kept map[string][]byte) (beside []string, err error) {
	for _, name := range slices.Sorted(maps.Keys(kept)) {
		at := strings.TrimPrefix(name, filesEntry)
		mode := fs.FileMode(0o600)
		if strings.HasPrefix(name, settingsEntry) {
			at = filepath.Join("restored", strings.TrimPrefix(name, settingsEntry))
		} else if at == name {
			continue // of a version that kept more
		}
		if strings.HasSuffix(at, ".pem") && !strings.Contains(at, "key") || at == "ca/stamp" {
			mode = 0o644
		}
		if !filepath.IsLocal(at) {
			return nil, fault.New(fault.Invalid, "backup-foreign", "name a file that cirque backup made", "the backup has a "+
				"file %q, which does not belong into a data directory", at)
		}
		file := filepath.Join(data, at)
		err := os.MkdirAll(filepath.Dir(file), 0o700)
		if err == nil {
			err = whole.Write(file, kept[name], mode)
		}
		if err != nil {
			return nil, noRoom(file, err)
		}
		if strings.HasPrefix(name, settingsEntry) {
			beside = append(beside, file)
		}
	}
	return beside, nil
}

// emptyPlace makes sure that nothing is put over what somebody has.
func emptyPlace(data string) error {
	list, err := os.ReadDir(data)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fault.New(fault.Invalid, "data-directory", "name an empty directory that this account may write", "%s cannot "+
			"be read", data).Because(err)
	}
	for _, f := range list {
		if f.Name() != "lost+found" {
			return fault.New(fault.Conflict, "data-there", "name an empty directory, or move away what lies there", "%s is not "+
				"empty: it has %s; a backup is never put over what is there", data, f.Name())
		}
	}
	return nil
}

// clearPlace takes away what was begun in a place that was empty.
func clearPlace(data string, made bool) error {
	list, err := os.ReadDir(data)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	errs := []error{err}
	for _, f := range list {
		if f.Name() != "lost+found" {
			errs = append(errs, os.RemoveAll(filepath.Join(data, f.Name())))
		}
	}
	if made {
		errs = append(errs, os.Remove(data))
	}
	return errors.Join(errs...)
}

// roomFor says so beforehand where a disk has no room for a database of its own.
func roomFor(o Options, bytes int64) error {
	_, free, _ := (&doctor{data: o.Data}).Disk()
	if need := bytes + bytes/4; o.Database == "" && free < need {
		return fault.New(fault.Unavailable, "disk-full", "make room, or name a directory on another disk", "%s has %s free, "+
			"and %s are needed", o.Data, words.Size(free), words.Size(need))
	}
	return nil
}
