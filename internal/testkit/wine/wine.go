// Package wine runs programs for Windows under Debian's Wine, in a prefix of the tests' own: make test-windows. Where
// that was not asked for, the tests that need it are skipped.
package wine

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"
)

// asked names the folder in which the prefix is, where tests under Wine are asked for.
const asked = "CIRQUE_WINE"

// A Prefix is a Windows machine.
type Prefix struct {
	dir string
	tmp string // below it, empty at the beginning of a run
}

var prepared = sync.OnceValues(prepare)

// Here gives the prefix, prepared once for a run of tests.
func Here(t testing.TB) *Prefix {
	t.Helper()
	if os.Getenv(asked) == "" {
		t.Skip("make test-windows runs this under Wine")
	}
	p, err := prepared()
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// prepare makes the prefix, or takes the one that is there, and gives it what Go programs need.
func prepare() (*Prefix, error) {
	dir, err := filepath.Abs(os.Getenv(asked))
	if err != nil {
		return nil, err
	}
	p := &Prefix{dir: dir, tmp: filepath.Join(dir, "drive_c", "tests")}
	system := filepath.Join(dir, "drive_c", "windows", "system32")
	if _, err := os.Stat(filepath.Join(system, "kernel32.dll")); err != nil {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return nil, err
		}
		if out, err := p.command(context.Background(), "wine", "wineboot", "-i").CombinedOutput(); err != nil {
			return nil, &failure{"wineboot", out, err}
		}
	}
	if err := os.WriteFile(filepath.Join(system, "bcryptprimitives.dll"),
		forwarder("bcryptprimitives.dll", "ProcessPrng", "advapi32.SystemFunction036"), 0o644); err != nil {
		return nil, err
	}
	if err := os.RemoveAll(p.tmp); err != nil {
		return nil, err
	}
	return p, os.MkdirAll(p.tmp, 0o755)
}

type failure struct {
	what string
	out  []byte
	err  error
}

func (f *failure) Error() string { return f.what + ": " + f.err.Error() + "\n" + string(f.out) }

// command is a program of Wine's, or one for Windows, in the prefix.
func (p *Prefix) command(ctx context.Context, program string, args ...string) *exec.Cmd {
	if strings.HasSuffix(program, ".exe") {
		program, args = "wine", append([]string{program}, args...)
	}
	c := exec.CommandContext(ctx, program, args...)
	c.Env = append(slices.DeleteFunc(os.Environ(), func(e string) bool {
		return strings.HasPrefix(e, "DISPLAY=") || strings.HasPrefix(e, "WINE")
	}), "WINEPREFIX="+p.dir, "WINEDEBUG=-all", "DISPLAY=", "TMP="+p.tmp)
	c.WaitDelay = 10 * time.Second
	return c
}

// Dir is the machine's drive C, as this machine has it.
func (p *Prefix) Dir() string { return filepath.Join(p.dir, "drive_c") }

// Tests is a folder on drive C for what tests bring: C:\tests.
func (p *Prefix) Tests() string { return p.tmp }

// Build builds a package of ours as a program for Windows into Tests; with test its tests.
func (p *Prefix) Build(t testing.TB, name, pkg string, test bool) {
	t.Helper()
	args := []string{"build", "-o", filepath.Join(p.tmp, name), pkg}
	if test {
		args = []string{"test", "-c", "-o", filepath.Join(p.tmp, name), pkg}
	}
	c := exec.Command("go", args...)
	c.Env = append(os.Environ(), "GOOS=windows", "GOARCH=amd64", "CGO_ENABLED=0")
	if out, err := c.CombinedOutput(); err != nil {
		t.Fatal(&failure{pkg, out, err})
	}
}

// Try runs a program for Windows until it ends.
func (p *Prefix) Try(t testing.TB, program string, args ...string) (says string, err error) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	out, err := p.command(ctx, program, args...).CombinedOutput()
	return strings.ReplaceAll(withoutNotes(string(out)), "\r\n", "\n"), err
}

// withoutNotes leaves out what Wine says of itself.
func withoutNotes(out string) string {
	for _, note := range []string{"it looks like wine32 is missing", "multiarch needs to be enabled",
		"execute \"dpkg --add-architecture", "apt-get install wine32"} {
		lines := strings.Split(out, "\n")
		lines = slices.DeleteFunc(lines, func(l string) bool { return strings.HasPrefix(strings.TrimSpace(l), note) })
		out = strings.Join(lines, "\n")
	}
	return out
}

// Run is Try, and wants success.
func (p *Prefix) Run(t testing.TB, program string, args ...string) string {
	t.Helper()
	says, err := p.Try(t, program, args...)
	if err != nil {
		t.Fatalf("%s %v: %v\n%s", program, args, err, says)
	}
	return says
}

// Start runs a program until the test ends; it gives what ends it earlier.
func (p *Prefix) Start(t testing.TB, program string, args ...string) (stop func() string) {
	t.Helper()
	out, err := os.Create(filepath.Join(t.TempDir(), "out"))
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	c := p.command(ctx, program, args...)
	c.Stdout, c.Stderr = out, out
	if err := c.Start(); err != nil {
		cancel()
		t.Fatal(err)
	}
	stop = sync.OnceValue(func() string {
		cancel()
		_ = c.Wait() // it was ended
		_ = out.Close()
		b, _ := os.ReadFile(out.Name())
		return withoutNotes(string(b))
	})
	t.Cleanup(func() {
		if says := stop(); t.Failed() {
			t.Logf("%s said:\n%s", program, says)
		}
	})
	return stop
}
