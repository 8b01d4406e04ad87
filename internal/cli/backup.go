package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/backup"
	"cirque/internal/cmdline"
	"cirque/internal/whole"
)

// Backups are what is done with backups on this machine.
type Backups struct {
	Make    func(ctx context.Context, o ServeOptions, b backup.Call, to io.Writer) (backup.Result, error)
	Restore func(ctx context.Context, o ServeOptions, b backup.Call, from io.Reader) (backup.Result, error)
	Check   func(ctx context.Context, b backup.Call, from io.Reader) (backup.Result, error)
}

func backupCommand(r *root) *cobra.Command {
	var o ServeOptions
	var b backup.Call
	var passphrase string
	replace := false
	c := &cobra.Command{Use: "backup FILE --data DIR | --config FILE", Short: "Write all that the service keeps into an " +
		"encrypted file, while it runs", Args: cmdline.Args(1, 1),
		Long: `Write all that the service keeps, as it is at one moment, into one encrypted file, while the service
runs or not: the database with driver packages and accounts, the keys, the certificate authority; with
--config also the settings and the certificate that they name. FILE is - for standard output.

It is sealed with a passphrase, or with --for-key for the keys of cirque backup-key: then the machine
that makes backups cannot open them. The file is a tar archive, compressed with Zstandard, in the age
format.

A backup that nobody has read is none: cirque restore FILE --check reads it to its end.`,
		RunE: func(c *cobra.Command, a []string) (err error) {
			if o.Data == "" {
				return usagef("--data is missing: the data directory, or a settings file that names it with --config")
			}
			if b.Settings, err = c.Flags().GetString("config"); err != nil {
				return err
			}
			if len(b.For) == 0 {
				if b.Passphrase, err = passphraseOf(c, passphrase, true); err != nil {
					return err
				}
			}
			if _, err := os.Stat(a[0]); err == nil && a[0] != "-" && !replace {
				return fault.New(fault.Conflict, "file-there", "name another, or write over it with --replace", "%s is there "+
					"already", a[0])
			}
			done, err := r.backup(c, o, b, a[0])
			if err != nil || a[0] == "-" {
				return err
			}
			return r.print(c, done, func(w io.Writer) {
				fmt.Fprintf(w, "%s: %s of %s, in %g s; revision %d as of %s.\nRead it to its end now and then: cirque restore %s "+
					"--check\n", a[0], words.Size(done.Written), words.Size(done.Bytes), done.Seconds, done.Revision,
					r.zone().At(done.Made), a[0])
			})
		}}
	settingsOf(c, &o)
	f := c.Flags()
	f.StringVar(&passphrase, "passphrase-file", "", "a file whose first line is the passphrase; asked for when absent")
	f.StringSliceVar(&b.For, "for-key", nil, "a public key for which it is sealed, age1…; may be given several times")
	f.BoolVar(&replace, "replace", false, "write over a file that is there")
	return c
}

// backup writes a backup to a file, whole or not at all, or to standard output.
func (r *root) backup(c *cobra.Command, o ServeOptions, b backup.Call, file string) (done backup.Result, err error) {
	begun := time.Now()
	tell, end := telling(c)
	defer end()
	b.Tell = tell
	if file == "-" {
		return r.local.Backups.Make(c.Context(), o, b, r.out)
	}
	out, in := io.Pipe()
	made := make(chan error, 1)
	go func() {
		var err error
		done, err = r.local.Backups.Make(c.Context(), o, b, in)
		_ = in.CloseWithError(err)
		made <- err
	}()
	_, err = whole.Copy(file, out, 0o600)
	_ = out.Close() // where the file could not be written, what makes the backup ends by that
	if failed := <-made; failed != nil && !errors.Is(failed, io.ErrClosedPipe) {
		return done, failed
	}
	if err != nil {
		return done, fault.New(fault.Unavailable, "backup-unwritable", "make room, or name a file that can be written", "%s "+
			"cannot be written: %s", file, cmdline.ReasonOf(err))
	}
	done.Seconds = secondsSince(begun)
	return done, nil
}

func secondsSince(t time.Time) float64 { return math.Round(time.Since(t).Seconds()*10) / 10 }

// telling tells at a terminal how far something is; end takes the line away.
func telling(c *cobra.Command) (tell func(what string, done, about int64), end func()) {
	if cmdline.TerminalWidth(c.ErrOrStderr()) == 0 {
		return func(string, int64, int64) {}, func() {}
	}
	last := time.Now()
	return func(what string, done, about int64) {
			if time.Since(last) > 200*time.Millisecond {
				last = time.Now()
				fmt.Fprintf(c.ErrOrStderr(), "\r\x1b[K%s of about %s: %s", words.Size(done), words.Size(about), what)
			}
		}, func() {
			fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
		}
}

// passphraseOf reads a passphrase: out of a file, or as it is typed.
func passphraseOf(c *cobra.Command, file string, anew bool) (string, error) {
	if file == "" {
		if anew {
			return newPassword(c, "the backup")
		}
		return readSecret(c, "Passphrase of the backup: ")
	}
	b, err := readFile("the passphrase's file", file)
	if err != nil {
		return "", err
	}
	line, _, _ := strings.Cut(string(b), "\n")
	if line = strings.TrimSpace(line); line == "" {
		return "", fault.New(fault.Invalid, "no-secret", "write the passphrase into its first line", "%s is empty", file)
	}
	return line, nil
}

func restoreCommand(r *root) *cobra.Command {
	var o ServeOptions
	var passphrase, keys string
	check := false
	c := &cobra.Command{Use: "restore FILE --data DIR [--database URL] | FILE --check", Short: "Put a backup into an " +
		"empty place, or read it to its end", Args: cmdline.Args(1, 1),
		Long: `Put a backup into an empty data directory, and its database into the one of its own there or, with
--database, into an empty one elsewhere. Nothing is put over what is there; where it does not succeed,
nothing is left behind. Run it as the account that runs the service, which is started afterwards.
FILE is - for standard input.

A backup of an older version is brought up to this one. The programs of PostgreSQL may be newer than
those with which it was made: that is the way to their next major version.

With --check it is read to its end, and nothing is written.`,
		RunE: func(c *cobra.Command, a []string) (err error) {
			var b backup.Call
			if !check && o.Data == "" {
				return usagef("--data is missing: an empty directory, or --check to read the backup alone")
			}
			if a[0] == "-" && keys == "" && passphrase == "" {
				return usagef("standard input is the backup: name the passphrase's file or the key's, with --passphrase-file or " +
					"--key-file")
			}
			in := io.NopCloser(c.InOrStdin())
			if a[0] != "-" {
				if in, err = os.Open(a[0]); err != nil {
					return unreadable("the backup", a[0], err)
				}
			}
			defer func() { _ = in.Close() }()
			if keys != "" {
				if b.Keys, err = readFile("the key", keys); err != nil {
					return err
				}
			} else if b.Passphrase, err = passphraseOf(c, passphrase, false); err != nil {
				return err
			}
			tell, end := telling(c)
			defer end()
			b.Tell = tell
			begun := time.Now()
			do := r.local.Backups.Check
			if !check {
				do = func(ctx context.Context, b backup.Call, from io.Reader) (backup.Result, error) {
					return r.local.Backups.Restore(ctx, o, b, from)
				}
			}
			done, err := do(c.Context(), b, in)
			end()
			if err != nil {
				return err
			}
			done.Seconds = secondsSince(begun)
			return r.print(c, done, func(w io.Writer) { r.restoredSays(w, a[0], o, done, check) })
		}}
	f := c.Flags()
	besideFlags(c, &o)
	f.StringVar(&passphrase, "passphrase-file", "", "a file whose first line is the passphrase; asked for when absent")
	f.StringVar(&keys, "key-file", "", "the file that cirque backup-key wrote, where it was sealed for a key")
	f.BoolVar(&check, "check", false, "read it to its end, and write nothing")
	return c
}

func (r *root) restoredSays(w io.Writer, file string, o ServeOptions, done backup.Result, check bool) {
	of := fmt.Sprintf("%d rows out of %s, in %g s.\nIt is of revision %d as of %s, made on %s by Cirque %s.\n", done.Rows,
		words.Size(done.Written), done.Seconds, done.Revision, r.zone().At(done.Made), done.Machine, done.By)
	if check {
		fmt.Fprintf(w, "%s is whole: %s", file, of)
		return
	}
	fmt.Fprintf(w, "Restored into %s: %s", o.Data, of)
	for _, f := range done.Beside {
		fmt.Fprintf(w, "What the service had elsewhere lies in %s: put it where its settings say.\n", f)
	}
	fmt.Fprintln(w, "Start the service on it, as its account. Make sure that the former one does not run any more.")
}

func backupKeyCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "backup-key FILE", Short: "Make a key for backups: FILE opens them, and what is printed " +
		"seals", Args: cmdline.Args(1, 1),
		Long: `Make a key for backups. FILE opens them: keep it, and a copy, elsewhere than the service. What is
printed seals, is no secret, and goes into cirque backup --for-key.`,
		RunE: func(c *cobra.Command, a []string) error {
			file, public, err := backup.NewKey(r.now())
			if err != nil {
				return err
			}
			err = whole.Add(a[0], file, 0o600)
			if errors.Is(err, fs.ErrExist) {
				return fault.New(fault.Conflict, "file-there", "name another: backups may need that one", "%s is there already",
					a[0])
			}
			if err != nil {
				return fault.New(fault.Unavailable, "backup-unwritable", "name a file that can be written", "%s cannot be "+
					"written: %s", a[0], cmdline.ReasonOf(err))
			}
			return r.print(c, map[string]string{"public": public}, func(w io.Writer) { fmt.Fprintln(w, public) })
		}}
}
