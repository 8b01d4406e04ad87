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
func CheckBackup(ctx context.Context, how backup.Call, in io.Reader) (backup.Result, error) {
	r := new(making)
	with, err := backup.With(how.Passphrase, how.Keys)
	if err == nil {
		err = r.read(ctx, in, with, how.Told, sink{})
	}
	return r.result(), err
}

// A sink takes what a backup holds; this one takes nothing.
type sink struct {
	begin func(Contents) error
	file  func(name string, b []byte) error
	table func(t postgres.Table, from io.Reader) (rows int64, err error)
}

// read reads a backup to its end, or until ctx is done.
func (r *making) read(ctx context.Context, in io.Reader, with backup.Keys, progress func(string, int64, int64),
	to sink) error {
	file, table := new(backup.Counter), ""
	b, err := backup.NewReader(io.TeeReader(in, file), with)
	if err != nil {
		return err
	}
	defer b.Close()
	passed := &backup.Counter{Tell: func(n int64) { progress(table, n, r.Bytes) }}
	for {
		name, from, err := b.Next()
		if errors.Is(err, io.EOF) {
			r.written, r.sums = file.N, b.Sums()
			return r.counted(to.table != nil)
		}
		if err != nil {
			return err
		}
		if name != contentsEntry && r.Format == 0 {
			return noBackup()
		}
		from = stoppable{ctx, from}
		var isTable bool
		if table, isTable = strings.CutPrefix(name, tablesEntry); isTable {
			err = r.readTable(table, io.TeeReader(from, passed), to)
		} else {
			err = r.readFile(name, from, to)
		}
		if err != nil {
			return err
		}
	}
}

// stoppable gives nothing more once ctx is done.
type stoppable struct {
	ctx context.Context
	in  io.Reader
}

func (s stoppable) Read(b []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, err
	}
	return s.in.Read(b)
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

// Restore puts a backup into an empty data directory, and its database into the one of its own there or an empty one at
// o.Database. Where that does not succeed, both are as empty as they were.
func Restore(ctx context.Context, o Options, how backup.Call, in io.Reader) (done backup.Result, err error) {
	r := new(making)
	with, err := backup.With(how.Passphrase, how.Keys)
	if err != nil {
		return done, err
	}
	there, err := heldIn(o.Data)
	if err != nil {
		return done, err
	}
	if len(there) > 0 {
		return done, fault.New(fault.Conflict, "data-there", "name an empty directory, or move away what lies there", "%s "+
			"is not empty: it has %s; a backup is never put over what is there", o.Data, there[0])
	}
	_, missing := os.Stat(o.Data)
	defer func() {
		if err != nil {
			err = errors.Join(err, clearPlace(o.Data, missing != nil))
		}
	}()
	if err := os.MkdirAll(o.Data, 0o755); err != nil {
		return done, noRoom(o.Data, err)
	}
	o.asItIs = true
	var c closers
	defer func() { err = errors.Join(c.run(), err) }()
	var into *postgres.Filling
	kept := map[string][]byte{}
	err = r.read(ctx, in, with, how.Told, sink{
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
		return done, err
	}
	if into == nil {
		return done, noBackup()
	}
	if r.beside, err = putFiles(o.Data, kept); err != nil {
		return done, err
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

// heldIn names what lies in a directory, but for what a file system keeps there; nothing where there is none.
func heldIn(data string) (out []string, err error) {
	list, err := os.ReadDir(data)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, fault.New(fault.Invalid, "data-directory", "name an empty directory that this account may write", "%s "+
			"cannot be read", data).Because(err)
	}
	for _, f := range list {
		if f.Name() != "lost+found" {
			out = append(out, f.Name())
		}
	}
	return out, nil
}

// clearPlace takes away what was begun in a place that was empty, and the place where it was made.
func clearPlace(data string, made bool) error {
	list, err := heldIn(data)
	errs := []error{err}
	for _, name := range list {
		errs = append(errs, os.RemoveAll(filepath.Join(data, name)))
	}
	if made {
		if err := os.Remove(data); !errors.Is(err, fs.ErrNotExist) {
			errs = append(errs, err)
		}
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
