//go:build unix

package install

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"cirque/core/update"
	"cirque/internal/whole"
)

// pkg is what the agent's package is called.
const pkg = "cirque-agent"

// root is where the system's files lie, as Debian's tools know it: for packages in folders.
func root() string { return strings.TrimSuffix(os.Getenv("DPKG_ROOT"), "/") }

// Kind says how this program was installed: deb, rpm or archive; "" where none of them brought it.
func Kind() string {
	exe, err := os.Executable()
	if err != nil {
		return ""
	}
	if runtime.GOOS == "darwin" {
		if exe == "/usr/local/bin/cirque-agent" {
			return update.Archive
		}
		return ""
	}
	if out, err := exec.Command("dpkg-query", rooted("--listfiles", pkg)...).Output(); err == nil && lists(out, exe) {
		return update.Deb
	}
	if out, err := exec.Command("rpm", "--query", "--list", pkg).Output(); err == nil && lists(out, exe) {
		return update.RPM
	}
	return ""
}

// rooted has one of Debian's tools work in the root.
func rooted(args ...string) []string {
	if r := root(); r != "" {
		return append([]string{"--root=" + r}, args...)
	}
	return args
}

// lists says whether a package's files are this program.
func lists(out []byte, exe string) bool {
	own, err := os.Stat(exe)
	if err != nil {
		return false
	}
	for line := range strings.Lines(string(out)) {
		if line = strings.TrimSpace(line); !strings.HasSuffix(line, "/"+pkg) {
			continue
		}
		if there, err := os.Stat(root() + line); err == nil && os.SameFile(own, there) {
			return true
		}
	}
	return false
}

// run installs a package by the system's own means, which lay a former version over a later one, too.
func run(ctx context.Context, kind, file string, _ bool) ([]byte, error) {
	switch kind {
	case update.Deb:
		args := rooted("--install", file)
		if root() != "" {
			args = append([]string{"--force-not-root", "--force-script-chrootless"}, args...)
		}
		return output(ctx, "dpkg", args...)
	case update.RPM:
		return output(ctx, "rpm", "--upgrade", "--oldpackage", file)
	case update.Archive:
		dir, err := os.MkdirTemp(filepath.Dir(file), "archive-")
		if err != nil {
			return nil, err
		}
		defer func() { _ = os.RemoveAll(dir) }()
		if out, err := output(ctx, "tar", "--extract", "--gzip", "--strip-components", "1", "--directory", dir, "--file",
			file); err != nil {
			return out, err
		}
		return output(ctx, "sh", filepath.Join(dir, "install.sh"))
	}
	return nil, fmt.Errorf("a package of the kind %q is installed by nothing here", kind)
}

// watched says whether the system starts the updater by itself when its file comes (cirque-agent-update.path).
func watched() bool {
	if root() != "" {
		return false
	}
	_, err := os.Stat("/run/systemd/system")
	return err == nil
}

// Begin starts the updater for the task in a folder: it outlives this process.
func Begin(dir string) error {
	if watched() {
		return whole.Write(filepath.Join(dir, goFile), []byte(time.Now().UTC().Format(time.RFC3339)), 0o600)
	}
	exe, err := os.Executable()
	if err != nil {
		return err
	}
	c := exec.Command(exe, "apply-update", "--folder", dir)
	c.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	if err := c.Start(); err != nil {
		return err
	}
	return c.Process.Release()
}

// Restarts says whether this process is to take the new program's place by itself, since nothing else restarts it: on
// Unix systems without a manager of services.
func Restarts() bool { return runtime.GOOS != "darwin" && !watched() }

// Restart has the program that lies there now take this process's place. It comes back only where that fails.
func Restart() error {
	exe, err := os.Executable()
	if err != nil {
		return err
	}
	exe = strings.TrimSuffix(exe, " (deleted)") // the former one, on Linux
	return syscall.Exec(exe, append([]string{exe}, os.Args[1:]...), os.Environ())
}
