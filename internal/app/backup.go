package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
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
)

// A Contents says what a backup holds; it stands in it first.
type Contents struct {
	Format    int                 `json:"format"`
	Made      time.Time           `json:"made"`
	By        string              `json:"by"` // the version of Cirque
	Machine   string              `json:"machine"`
	Schema    int64               `json:"schema"`
	Server    int                 `json:"server"` // major version of PostgreSQL
	Revision  int                 `json:"revision"`
	Tables    []postgres.Table    `json:"tables"`
	Sequences []postgres.Sequence `json:"sequences"`
	Bytes     int64               `json:"bytes"` // that the database takes
}

// backupFormat is the version of how the archive is laid out.
const backupFormat = 1

// How the archive is laid out: files of the data directory, those that its settings name, and tables.
const (
	contentsEntry = "backup.json"
	filesEntry    = "files/"
	settingsEntry = "settings/"
	tablesEntry   = "tables/"
)

// A making is a backup that is written or read.
type making struct {
	Contents
	sums    map[string]backup.Sum
	written int64
	beside  []string
	put     map[string]int64 // rows of tables that were put back
}

func (r *making) result() backup.Result {
	out := backup.Result{Made: r.Made, By: r.By, Machine: r.Machine, Revision: r.Revision, Bytes: r.Bytes,
		Written: r.written, Beside: r.beside, Entries: []backup.Entry{}}
	for _, name := range slices.Sorted(maps.Keys(r.sums)) {
		out.Rows += r.sums[name].Rows
		out.Entries = append(out.Entries, backup.Entry{Name: name, Sum: r.sums[name]})
	}
	return out
}

// Backup writes all that the service keeps to w, as it is at one moment, while the service runs or not.
func Backup(ctx context.Context, o Options, how backup.Call, w io.Writer) (backup.Result, error) {
	r := new(making)
	to, err := backup.To(how.Passphrase, how.For)
	if err != nil {
		return backup.Result{}, err
	}
	// One of its own is not begun where none is.
	if _, err := os.Stat(filepath.Join(o.Data, secretFile)); err != nil {
		return backup.Result{}, fault.New(fault.Invalid, "data-directory", "name the directory that cirque serve was given, "+
			"as an account that may read it", "there is no service's data in %s", o.Data).Because(err)
	}
	o.asItIs = true
	err = reach(ctx, o, func(store *postgres.Store) error {
		c, files, err := moment(ctx, o, store, how.Settings)
		if err != nil {
			return err
		}
		defer c.Close()
		host, _ := os.Hostname()
		r.Contents = Contents{Format: backupFormat, Made: c.At.UTC(), By: Version, Machine: host, Schema: c.Schema,
			Server: c.Server, Revision: c.Revision, Tables: c.Tables, Sequences: c.Sequences}
		for _, t := range c.Tables {
			r.Bytes += t.Bytes
		}
		out, err := backup.NewWriter(w, c.At, to)
		if err != nil {
			return err
		}
		if err := r.write(ctx, c, files, out, how.Told); err != nil {
			return err
		}
		r.written = out.Written()
		r.note(ctx, store)
		return nil
	})
	return r.result(), err
}

// note notes that a backup was made. It is whole also where that cannot be kept: the database may be of another
// version, stand by for another, or take no changes.
func (r *making) note(ctx context.Context, store *postgres.Store) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	if r.Schema == postgres.Newest() {
		_ = store.Events.AddEvent(ctx, event.Event{Kind: event.BackedUp, Subject: event.BackupSubject,
			Author: event.BesideTheData}.Saying("A backup was made, of revision {revision}: {size}", "revision",
			fmt.Sprint(r.Revision), "size", words.Size(r.written)))
	}
}

// moment takes the moment of which the backup is: the keys are not changed between the files and the database.
func moment(ctx context.Context, o Options, store *postgres.Store, settings string) (c *postgres.Copy,
	files map[string][]byte, err error) {
	unlock, err := lockKeys(o)
	if err != nil {
		return nil, nil, err
	}
	defer func() { err = errors.Join(err, unlock()) }()
	if files, err = keptFiles(o, settings); err != nil {
		return nil, nil, err
	}
	c, err = store.Copy(ctx)
	return c, files, err
}

// keptFiles reads what lies in files, by its entry.
func keptFiles(o Options, settings string) (map[string][]byte, error) {
	out := map[string][]byte{}
	read := func(entry, file string) error {
		b, err := os.ReadFile(file)
		if err != nil {
			return fault.New(fault.Invalid, "backup-file", "run this as the account that runs the service, or as root", "%s "+
				"cannot be read, and belongs to a backup", file).Because(err)
		}
		out[entry] = b
		return nil
	}
	var errs []error
	for _, name := range []string{secretFile, setupFile} {
		if _, err := os.Stat(filepath.Join(o.Data, name)); err == nil || name == secretFile {
			errs = append(errs, read(filesEntry+name, filepath.Join(o.Data, name)))
		}
	}
	authority, err := os.ReadDir(filepath.Join(o.Data, "ca"))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		errs = append(errs, err)
	}
	for _, f := range authority {
		if f.Type().IsRegular() && !strings.HasPrefix(f.Name(), ".") {
			errs = append(errs, read(filesEntry+"ca/"+f.Name(), filepath.Join(o.Data, "ca", f.Name())))
		}
	}
	for entry, file := range map[string]string{"cirque.yaml": settings, "tls-cert.pem": o.TLSCert,
		"tls-key.pem": o.TLSKey} {
		if file != "" {
			errs = append(errs, read(settingsEntry+entry, file))
		}
	}
	return out, errors.Join(errs...)
}

func (r *making) write(ctx context.Context, c *postgres.Copy, files map[string][]byte, out *backup.Writer,
	progress func(string, int64, int64)) error {
	first, err := json.MarshalIndent(r.Contents, "", " ")
	if err != nil {
		return err
	}
	if err := out.Put(contentsEntry, first); err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(files)) {
		if err := out.Put(name, files[name]); err != nil {
			return err
		}
	}
	var table string
	passed := &backup.Counter{Tell: func(n int64) { progress(table, n, r.Bytes) }}
	for _, t := range c.Tables {
		table = t.Name
		into := out.Stream(tablesEntry + t.Name)
		rows, err := c.Of(ctx, t, io.MultiWriter(into, passed))
		if failed := into.Close(); failed != nil {
			return failed // the disk, and not the database
		}
		if err != nil {
			return err
		}
		out.Rows(tablesEntry+t.Name, rows)
	}
	if err := out.Close(); err != nil {
		return err
	}
	r.sums = out.Sums()
	return nil
}
