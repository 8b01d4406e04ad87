package install

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"golang.org/x/sys/windows"
	"golang.org/x/sys/windows/registry"

	"cirque/core/update"
)

// key is what the agent's installer leaves.
const key = `SOFTWARE\Cirque\Agent`

// Kind says how this program was installed: msi; "" where an installer did not bring it.
func Kind() string {
	k, err := registry.OpenKey(registry.LOCAL_MACHINE, key, registry.QUERY_VALUE)
	if err != nil {
		return ""
	}
	defer func() { _ = k.Close() }()
	exe, err := os.Executable()
	if _, _, e := k.GetStringValue("Version"); err != nil || e != nil {
		return ""
	}
	if strings.EqualFold(filepath.Base(filepath.Dir(exe)), "Agent") {
		return update.MSI
	}
	return ""
}

// Codes with which the installer ends where all is done, and the system is to be started anew some time
// (ERROR_SUCCESS_REBOOT_REQUIRED, ERROR_SUCCESS_REBOOT_INITIATED).
var starts = []int{3010, 1641}

// run installs a package by the system's installer, which lays no former version over a later one: so that is taken
// away first.
func run(ctx context.Context, kind, file string, down bool) ([]byte, error) {
	if kind != update.MSI {
		return nil, fmt.Errorf("a package of the kind %q is installed by nothing here", kind)
	}
	if product := installed(); down && product != "" {
		if out, err := msiexec(ctx, "/x", product); err != nil {
			return out, err
		}
	}
	out, err := msiexec(ctx, "/i", file, "/l*v", file+".log")
	if err != nil {
		err = fmt.Errorf("%w; its log is %s", err, file+".log")
	}
	return out, err
}

func msiexec(ctx context.Context, args ...string) ([]byte, error) {
	out, err := output(ctx, "msiexec", append(args, "/qn", "/norestart")...)
	if exit, ok := errors.AsType[*exec.ExitError](err); ok && slices.Contains(starts, exit.ExitCode()) {
		err = nil
	}
	return out, err
}

// installed gives the code of the product that is there.
func installed() string {
	const uninstall = `SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall`
	list, err := registry.OpenKey(registry.LOCAL_MACHINE, uninstall, registry.ENUMERATE_SUB_KEYS)
	if err != nil {
		return ""
	}
	defer func() { _ = list.Close() }()
	names, err := list.ReadSubKeyNames(-1)
	if err != nil {
		return ""
	}
	for _, n := range names {
		k, err := registry.OpenKey(registry.LOCAL_MACHINE, uninstall+`\`+n, registry.QUERY_VALUE)
		if err != nil {
			continue
		}
		title, _, _ := k.GetStringValue("DisplayName")
		_ = k.Close()
		if title == "Cirque agent" && strings.HasPrefix(n, "{") {
			return n
		}
	}
	return ""
}

// Begin starts the updater for the task in a folder, out of a copy, since its own file is replaced: it outlives this
// process.
func Begin(dir string) error {
	exe, err := os.Executable()
	if err != nil {
		return err
	}
	b, err := os.ReadFile(exe)
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(dir, "updater-*.exe") // one of before may still be ending
	if err != nil {
		return err
	}
	if _, err := f.Write(b); err != nil {
		return errors.Join(err, f.Close())
	}
	if err := f.Close(); err != nil {
		return err
	}
	c := exec.Command(f.Name(), "apply-update", "--folder", dir)
	c.SysProcAttr = &syscall.SysProcAttr{CreationFlags: windows.DETACHED_PROCESS | windows.CREATE_NEW_PROCESS_GROUP}
	if err := c.Start(); err != nil {
		return err
	}
	return c.Process.Release()
}

// Restarts says whether this process is to take the new program's place by itself: the installer restarts the service.
func Restarts() bool { return false }

// Restart is never called.
func Restart() error { return errors.ErrUnsupported }
