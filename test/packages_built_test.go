package test

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	corepage "cirque/core/page"
	"cirque/core/update"
	"cirque/internal/testkit/wine"
)

// madePackages names the folder of packages to be tried, as make packages leaves it: make test-packages.
const madePackages = "CIRQUE_PACKAGES"

func built(t *testing.T) string {
	t.Helper()
	dir := os.Getenv(madePackages)
	if dir == "" {
		t.Skip("make test-packages makes packages and tries them")
	}
	return dir
}

// versionOf is the version that packages are made as.
func versionOf(t *testing.T) string {
	t.Helper()
	return strings.TrimSpace(textOf(t, "../packaging/version"))
}

// one gives the one package that fits a pattern.
func one(t *testing.T, dir, pattern string) string {
	t.Helper()
	list, err := filepath.Glob(filepath.Join(dir, pattern))
	if err != nil || len(list) != 1 {
		t.Fatal(pattern, list, err)
	}
	return list[0]
}

// do runs a program, and wants success.
func do(t *testing.T, env []string, name string, args ...string) string {
	t.Helper()
	c := exec.Command(name, args...)
	c.Env = append(os.Environ(), env...)
	out, err := c.CombinedOutput()
	if err != nil {
		t.Fatalf("%s %v: %v\n%s", name, args, err, out)
	}
	return string(out)
}

// TestPackagesDeb installs the packages of service and agent into an empty root, changes their settings, installs them
// once more as another version, removes and purges them; nothing of it reaches this machine.
func TestPackagesDeb(t *testing.T) {
	dir := built(t)
	for name, config := range map[string]string{"cirque": "etc/cirque/cirque.yaml", "cirque-agent": "etc/cirque-agent/agent.yaml"} {
		root := aRoot(t)
		before := textOf(t, "/etc/passwd")
		deb := one(t, dir, name+"_*.deb")
		dpkg := func(args ...string) string {
			t.Helper()
			return do(t, nil, "dpkg", append([]string{"--root=" + root, "--force-depends", "--force-script-chrootless",
				"--force-not-root", "--log=/dev/null"}, args...)...)
		}
		dpkg("-i", deb)
		for _, f := range []string{"usr/bin/" + name, config, "usr/lib/systemd/system/" + name + ".service",
			"usr/share/man/man1/" + name + ".1.gz", "usr/share/doc/" + name + "/copyright", "usr/share/doc/" + name + "/sbom.json",
			"usr/share/bash-completion/completions/" + name} {
			if _, err := os.Stat(filepath.Join(root, f)); err != nil {
				t.Errorf("%s lacks %s", name, f)
			}
		}
		if says := do(t, nil, filepath.Join(root, "usr/bin", name), "version"); !strings.Contains(says, versionOf(t)) {
			t.Errorf("%s says %s", name, says)
		}
		if name == "cirque" {
			if users, _ := os.ReadFile(filepath.Join(root, "etc/passwd")); os.Getuid() == 0 && !strings.Contains(string(users), "cirque:") {
				t.Errorf("there is no account: %s", users)
			}
		}
		if textOf(t, "/etc/passwd") != before {
			t.Fatal("this machine's accounts were altered")
		}
		changed := filepath.Join(root, config)
		if err := os.WriteFile(changed, []byte("# ours\n"), 0o600); err != nil {
			t.Fatal(err)
		}
		next := t.TempDir()
		do(t, nil, "dpkg-deb", "-R", deb, next)
		control := filepath.Join(next, "DEBIAN/control")
		text, err := os.ReadFile(control)
		if err != nil {
			t.Fatal(err)
		}
		text = regexp.MustCompile(`(?m)^Version: .*$`).ReplaceAll(text, []byte("Version: 9.9.9"))
		if err := os.WriteFile(control, text, 0o644); err != nil {
			t.Fatal(err)
		}
		later := filepath.Join(t.TempDir(), name+"_9.9.9_amd64.deb")
		do(t, nil, "dpkg-deb", "-Znone", "-b", next, later)
		dpkg("-i", later)
		if b, err := os.ReadFile(changed); err != nil || string(b) != "# ours\n" {
			t.Errorf("settings after the upgrade: %q %v", b, err)
		}
		dpkg("-r", name)
		if _, err := os.Stat(filepath.Join(root, "usr/bin", name)); err == nil {
			t.Error("it is still there")
		}
		if _, err := os.Stat(changed); err != nil {
			t.Error("its settings went before it was purged")
		}
		dpkg("-P", name)
		if _, err := os.Stat(changed); err == nil {
			t.Error("its settings stay after a purge")
		}
	}
}

func textOf(t *testing.T, file string) string {
	t.Helper()
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// TestPackagesRPM installs, upgrades and erases in a root of rpm's own, and checks the signature by the public key.
func TestPackagesRPM(t *testing.T) {
	dir := built(t)
	for _, name := range []string{"cirque", "cirque-agent"} {
		root := t.TempDir()
		rpm := one(t, dir, name+"-[0-9]*.x86_64.rpm")
		do(t, nil, "rpm", "--root", root, "--initdb")
		do(t, nil, "rpm", "--root", root, "--import", filepath.Join(dir, "cirque-packages.asc"))
		if says := do(t, nil, "rpm", "--root", root, "-Kv", rpm); !strings.Contains(says, "Signature") || strings.Contains(says, "NOKEY") ||
			strings.Contains(says, "BAD") {
			t.Error(says)
		}
		do(t, nil, "rpm", "--root", root, "-i", "--nodeps", "--noscripts", rpm)
		if says := do(t, nil, filepath.Join(root, "usr/bin", name), "version"); !strings.Contains(says, versionOf(t)) {
			t.Error(says)
		}
		do(t, nil, "rpm", "--root", root, "-U", "--force", "--nodeps", "--noscripts", rpm)
		do(t, nil, "rpm", "--root", root, "-e", "--noscripts", name)
		if _, err := os.Stat(filepath.Join(root, "usr/bin", name)); err == nil {
			t.Error("it is still there")
		}
	}
}

// TestPackagesUnits: the units are well-formed and leave their programs little of the machine.
func TestPackagesUnits(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	for _, d := range []string{"usr/lib/systemd/system", "usr/bin", "bin"} {
		if err := os.MkdirAll(filepath.Join(root, d), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	for _, p := range []string{"usr/bin/cirque", "usr/bin/cirque-agent", "bin/kill"} {
		if err := os.WriteFile(filepath.Join(root, p), nil, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := exec.LookPath("systemd-analyze"); err != nil {
		t.Fatal("systemd-analyze is not installed: scripts/setup brings it")
	}
	// Tenths of the exposure that systemd-analyze finds; 100 is everything.
	// What runs the package manager may do anything.
	for unit, most := range map[string]int{"cirque.service": 20, "cirque-agent.service": 30,
		"cirque-agent-update.service": 100,
		"cirque-agent-update.path":    0} {
		b, err := os.ReadFile("../packaging/files/" + unit)
		if err != nil {
			t.Fatal(err)
		}
		at := filepath.Join(root, "usr/lib/systemd/system", unit)
		if err := os.WriteFile(at, b, 0o644); err != nil {
			t.Fatal(err)
		}
		if says := do(t, nil, "systemd-analyze", "verify", "--root="+root, "--man=no", "--recursive-errors=no", at); says != "" {
			t.Error(says)
		}
		if strings.HasSuffix(unit, ".path") {
			continue // nothing runs in it
		}
		do(t, nil, "systemd-analyze", "security", "--offline=true", "--root="+root, fmt.Sprint("--threshold=", most), unit)
	}
}

// TestPackagesSums: every package stands in the list of checksums, which is signed.
func TestPackagesSums(t *testing.T) {
	dir := built(t)
	list := textOf(t, filepath.Join(dir, "SHA256SUMS"))
	entries, err := fs.Glob(os.DirFS(dir), "cirque*")
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		if e != "cirque-packages.asc" && !strings.Contains(list, "  "+e+"\n") {
			t.Errorf("%s is not in the list", e)
		}
	}
	do(t, nil, "sh", "-c", "cd '"+dir+"' && sha256sum --quiet -c SHA256SUMS")
	gnupg := t.TempDir()
	if err := os.Chmod(gnupg, 0o700); err != nil {
		t.Fatal(err)
	}
	gpg := func(args ...string) string {
		return do(t, []string{"GNUPGHOME=" + gnupg}, "gpg", append([]string{"--batch"}, args...)...)
	}
	gpg("--import", filepath.Join(dir, "cirque-packages.asc"))
	gpg("--verify", filepath.Join(dir, "SHA256SUMS.asc"), filepath.Join(dir, "SHA256SUMS"))
}

// pack makes packages out of what the last make packages was made of, as another version where one is named.
func pack(t *testing.T, version, to, bin, only string) {
	t.Helper()
	bins := bin // a folder
	if !filepath.IsAbs(bin) {
		var err error
		if bins, err = filepath.Abs("../.bin/packages/" + bin); err != nil {
			t.Fatal(err)
		}
	}
	at := strings.TrimSpace(do(t, nil, "git", "log", "-1", "--format=%ct"))
	c := exec.Command("go", "run", ".", "-version", version, "-epoch", at, "-key", "../.bin/signing-key.asc", "-code-key",
		"../.bin/signing-code.pem", "-bin", bins, "-dist", to, "-only", only)
	c.Dir = "../packaging"
	if out, err := c.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
}

// TestPackagesTwice: the same programs give the same packages, octet by octet, signatures included.
func TestPackagesTwice(t *testing.T) {
	dir := built(t)
	again := t.TempDir()
	pack(t, versionOf(t), again, "linux-amd64", "deb,rpm")
	pack(t, versionOf(t), again, "windows-amd64", "msi")
	pack(t, versionOf(t), again, "macos-arm64", "macos")
	made, err := fs.Glob(os.DirFS(again), "cirque*")
	if err != nil || len(made) < 5 {
		t.Fatal(made, err)
	}
	for _, m := range made {
		if strings.Contains(m, "macos") {
			continue // its architecture stands in its name
		}
		if textOf(t, filepath.Join(again, m)) != textOf(t, filepath.Join(dir, m)) {
			t.Errorf("%s differs when it is made twice", m)
		}
	}
}

// windowsWithoutAgent takes away what a run that broke off has left of packages below C:\tests, now and with the test,
// and gives the folder where an agent keeps what it knows.
func windowsWithoutAgent(t *testing.T, p *wine.Prefix, packages ...string) (kept string) {
	t.Helper()
	p.Build(t, "windows.test.exe", "cirque/internal/windows", true)
	p.Run(t, `C:\tests\windows.test.exe`, "-test.run", "^TestWineReady$")
	remove := func() {
		for _, m := range packages {
			_, _ = p.Try(t, "wine", "msiexec", "/x", `C:\tests\`+m, "/qn")
		}
	}
	remove()
	kept = filepath.Join(p.Dir(), "ProgramData", "Cirque")
	_ = os.RemoveAll(kept)
	t.Cleanup(remove)
	return kept
}

// TestWinePackage installs the package for Windows unattended, with service and token beside it, upgrades and removes it;
// the token stands in no log of the installer's.
func TestWinePackage(t *testing.T) {
	dir := built(t)
	p := wine.Here(t)
	e := startEnrolling(t)
	secret := e.enrolToken("brannoy", 1)
	later, program2 := t.TempDir(), t.TempDir()
	build := exec.Command("go", "build", "-ldflags", "-s -w -X main.version=9.9.9", "-o", program2+"/",
		"../cmd/cirque-agent")
	build.Env = append(os.Environ(), "GOOS=windows", "GOARCH=amd64")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	pack(t, "9.9.9", later, program2, "msi")
	for from, to := range map[string]string{one(t, dir, "cirque-agent-*.msi"): "agent.msi",
		one(t, later, "cirque-agent-9.9.9-*.msi"): "later.msi"} {
		b, err := os.ReadFile(from)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(p.Tests(), to), b, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept := windowsWithoutAgent(t, p, "agent.msi", "later.msi")
	if err := os.WriteFile(filepath.Join(p.Tests(), "agent.yaml"), fmt.Appendf(nil, "service: %s\ntoken: %s\nmachine: till-2\n",
		e.URL, secret), 0o600); err != nil {
		t.Fatal(err)
	}
	begun := time.Now()
	p.Run(t, "wine", "msiexec", "/i", `C:\tests\agent.msi`, "/qn", "/norestart", "/L*v", `C:\tests\install.log`,
		"SETUPFILE=agent.yaml")
	program := `C:\Program Files\Cirque\Agent\cirque-agent.exe`
	runs := func() bool { return strings.Contains(p.Run(t, program, "service", "state"), "The service runs.") }
	within(t, "the service runs", runs)
	within(t, "the machine enrols and has its queue", func() bool { return e.isConverged(t, "till-2") })
	t.Logf("from the installer's begin to the queue: %.1f s", time.Since(begun).Seconds())
	if log := textOf(t, filepath.Join(p.Tests(), "install.log")); strings.Contains(log, secret) || len(log) < 1000 {
		t.Error("the token stands in the installer's log")
	}
	if left := textOf(t, filepath.Join(kept, "Agent", "agent.yaml")); strings.Contains(left, secret) {
		t.Error("the token stays after the machine is enrolled")
	}
	// The next version takes the place of this one, as the service tells the agent, and keeps what it knows; and the
	// former one takes its place again.
	for _, dist := range []string{dir, later} {
		file := one(t, dist, "cirque-agent-*.msi")
		if _, _, err := e.Service.Updates.AddPackage(t.Context(), owner, filepath.Base(file), []byte(textOf(t,
			file))); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := e.Service.Updates.Begin(t.Context(), owner, update.Order{Version: "9.9.9",
		Shares: []int{100}}); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ state, version string }{{update.Came, "9.9.9"}, {update.WentBack, versionOf(t)}} {
		if c.state == update.WentBack {
			if _, err := e.Service.Updates.Act(t.Context(), owner, update.GoBack); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := e.Service.Fleet.Refresh(t.Context(), owner, "till-2"); err != nil {
			t.Fatal(err)
		}
		var got update.Record
		t.Cleanup(func() {
			if t.Failed() {
				st, err := e.Service.Updates.Standing(context.Background(), owner, "")
				t.Logf("%+v, %+v, %v", got, st, err)
			}
		})
		within(t, "it "+c.state, func() bool {
			_, _ = p.Try(t, program, "version") // Wine ends its services once nobody uses it
			list, err := e.Service.Updates.Records(t.Context(), owner, "", corepage.Ask{})
			if err == nil && len(list.Items) == 1 {
				got = list.Items[0]
			}
			return got.State == c.state || got.State == update.Failed
		})
		if got.State != c.state {
			t.Fatalf("%+v", got)
		}
		if _, err := os.Stat(filepath.Join(kept, "Agent", "identity.json")); err != nil {
			t.Error(err)
		}
		says := p.Run(t, "wine", "reg", "query", `HKLM\SOFTWARE\Cirque\Agent`, "/v", "Version")
		if !strings.Contains(says, c.version) {
			t.Error(says)
		}
		within(t, "the service runs again", runs)
	}
	p.Run(t, "wine", "msiexec", "/i", `C:\tests\later.msi`, "/qn") // by hand as well
	within(t, "the service runs once more", runs)
	p.Run(t, "wine", "msiexec", "/x", `C:\tests\later.msi`, "/qn")
	if _, err := os.Stat(filepath.Join(p.Dir(), "Program Files", "Cirque", "Agent", "cirque-agent.exe")); err == nil {
		t.Error("the program stays")
	}
}
