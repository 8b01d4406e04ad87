package agent

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"
)

// A person's defaults stand in a file of lines below their home: "Default NAME [OPTION=VALUE ...]" for the default,
// "Dest NAME ..." for others.
const (
	personalDir  = ".cups"
	personalFile = ".cups/lpoptions"
	maxPersonal  = 1 << 20
)

func (u *Unix) isPersonal(login, queue string) bool {
	d, err := u.personal(login)
	return err == nil && d == queue
}

// personal reads a person's own default; empty where there is none.
func (u *Unix) personal(login string) (string, error) {
	lines, _, root, err := u.personalLines(login)
	if err != nil {
		return "", err
	}
	defer func() { _ = root.Close() }()
	for _, l := range lines {
		if f := strings.Fields(l); len(f) > 1 && f[0] == "Default" {
			called, _, _ := strings.Cut(f[1], "/")
			return called, nil
		}
	}
	return "", nil
}

// personalLines opens a home, out of which no link in it leads, and reads the file. owner is whose it is.
func (u *Unix) personalLines(login string) (lines []string, owner [2]int, root *os.Root, err error) {
	dir, uid, gid, err := u.home(login)
	if err != nil {
		return nil, owner, nil, err
	}
	root, err = os.OpenRoot(dir)
	if err != nil {
		return nil, owner, nil, fmt.Errorf("the home of %s cannot be opened: %w", login, err)
	}
	f, err := root.Open(personalFile)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, [2]int{uid, gid}, root, nil
	}
	var b []byte
	if err == nil {
		b, err = io.ReadAll(io.LimitReader(f, maxPersonal))
		err = errors.Join(err, f.Close())
	}
	if err != nil {
		return nil, owner, nil, errors.Join(fmt.Errorf("the defaults of %s cannot be read: %w", login, err), root.Close())
	}
	return strings.Split(strings.TrimRight(string(b), "\n"), "\n"), [2]int{uid, gid}, root, nil
}

// setPersonal makes a queue a person's default, or none where queue is empty; all else in the file stays.
func (u *Unix) setPersonal(login, queue string) error {
	lines, owner, root, err := u.personalLines(login)
	if err != nil {
		return err
	}
	defer func() { _ = root.Close() }()
	var out []string
	for _, l := range lines {
		kind, rest, _ := strings.Cut(strings.TrimSpace(l), " ")
		called, options, _ := strings.Cut(strings.TrimSpace(rest), " ")
		switch {
		case kind == "Default" && called == queue:
			out = append([]string{strings.TrimSpace(l)}, out...)
			queue = ""
		case kind != "Default" && (kind != "Dest" || called != queue):
			if l != "" {
				out = append(out, l)
			}
		case kind == "Dest": // it becomes the default, with its options
			out = append([]string{strings.TrimSpace("Default " + called + " " + options)}, out...)
			queue = ""
		case strings.TrimSpace(options) != "":
			out = append(out, "Dest "+called+" "+options)
		}
	}
	if queue != "" {
		out = append([]string{"Default " + queue}, out...)
	}
	write := func() error {
		if err := root.Mkdir(personalDir, 0o700); err == nil {
			if err := root.Lchown(personalDir, owner[0], owner[1]); err != nil {
				return err
			}
		} else if !errors.Is(err, fs.ErrExist) {
			return err
		}
		const fresh = personalFile + ".new"
		if err := root.Remove(fresh); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		f, err := root.OpenFile(fresh, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644) // not a link that somebody laid there
		if err != nil {
			return err
		}
		_, err = f.WriteString(strings.Join(out, "\n") + "\n")
		if err = errors.Join(err, f.Close()); err != nil {
			return err
		}
		if err := root.Lchown(fresh, owner[0], owner[1]); err != nil {
			return err
		}
		return root.Rename(fresh, personalFile)
	}
	if err := write(); err != nil {
		return fmt.Errorf("the default of %s cannot be kept: %w", login, err)
	}
	return nil
}
