package test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/internal/testkit"
	"cirque/internal/testkit/wine"
)

// packagesBefore are the packages of this version and of the one before.
func packagesBefore(t *testing.T) (now, before string) {
	t.Helper()
	_, before = bothVersions(t)
	return built(t), filepath.Join(before, "dist")
}

// TestUpgradeDeb installs the version before from its packages, runs service and agent of it, and lays this version's
// packages over them while they run: settings stay, both go on with what they know, and no queue goes meanwhile.
func TestUpgradeDeb(t *testing.T) {
	now, before := packagesBefore(t)
	root := aRoot(t)
	lay := func(dir string) {
		t.Helper()
		do(t, nil, "dpkg", "--root="+root, "--force-depends", "--force-script-chrootless", "--force-not-root",
			"--force-confdef", "--log=/dev/null", "-i", one(t, dir, "cirque_*.deb"), one(t, dir, "cirque-agent_*.deb"))
	}
	lay(before)
	folder, at := filepath.Join(root, "usr/bin"), testkit.FreeAddress(t)
	data := withKeys(t, filepath.Join(root, "var/lib/cirque"))
	settings := filepath.Join(root, "etc/cirque/cirque.yaml")
	ours := fmt.Sprintf("# ours\ndata: %s\nlisten: %q\nplain-http: true\ndatabase: %q\n", data, at, testkit.Blank(t))
	if err := os.WriteFile(settings, []byte(ours), 0o600); err != nil {
		t.Fatal(err)
	}
	g := &generation{t: t, folder: folder, url: "http://" + at, data: data, arguments: []string{"serve", "--config",
		settings}}
	g.start()
	g.token = strings.TrimSpace(g.must("token", "create", "--name", "first", "--role", "owner", "--config", settings))
	people := filepath.Join(root, "people.yaml")
	if err := os.WriteFile(people, []byte(twoPeople), 0o600); err != nil {
		t.Fatal(err)
	}
	g.must("directory", "import", people)
	g.publish("Hall")
	d, agent := g.agentOf(folder, "desk-1")
	d.follows("Hall")
	says := func(program, version string) {
		t.Helper()
		if out := do(t, nil, filepath.Join(folder, program), "version"); !strings.Contains(out, version) {
			t.Errorf("%s says that it is %s, not %s", program, out, version)
		}
	}
	was := filepath.Base(filepath.Dir(before))
	says("cirque", was)
	says("cirque-agent", was)

	lay(now)
	says("cirque", versionOf(t))
	says("cirque-agent", versionOf(t))
	if textOf(t, settings) != ours {
		t.Error("the settings were altered: " + textOf(t, settings))
	}
	g.publish("Salon") // the service is still the one before
	d.follows("Salon")
	g.is.end()
	g.start()
	g.publish("Foyer") // the agent is
	d.follows("Foyer")
	agent.end()
	begin(t, filepath.Join(folder, "cirque-agent"), agent.cmd.Args[1:]...)
	g.publish("Atrium")
	d.follows("Atrium")
	if log := d.file("log"); strings.Count(log, " add ") != 1 || strings.Contains(log, "remove") {
		t.Errorf("a queue was not kept through the upgrade:\n%s", log)
	}
	contains(t, "the endpoints", g.must("endpoint", "list"), "desk-1", "converged")
	if out, err := g.run("doctor", "--config", settings); err != nil || strings.Contains(out, "\nno ") {
		t.Error(out, err)
	}
}

// TestUpgradeRPM lays this version's .rpm over that of the version before: settings stay, and nothing of the former is
// left that the new one does not have.
func TestUpgradeRPM(t *testing.T) {
	now, before := packagesBefore(t)
	for name, config := range map[string]string{"cirque": "etc/cirque/cirque.yaml", "cirque-agent": ""} {
		root := t.TempDir()
		rpm := func(args ...string) string {
			t.Helper()
			return do(t, nil, "rpm", append([]string{"--root", root}, args...)...)
		}
		rpm("--initdb")
		rpm("-i", "--nodeps", "--noscripts", one(t, before, name+"-[0-9]*.x86_64.rpm"))
		if config != "" {
			if err := os.WriteFile(filepath.Join(root, config), []byte("# ours\n"), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		rpm("-U", "--nodeps", "--noscripts", one(t, now, name+"-[0-9]*.x86_64.rpm"))
		if says := do(t, nil, filepath.Join(root, "usr/bin", name), "version"); !strings.Contains(says, versionOf(t)) {
			t.Error(says)
		}
		if list := rpm("-qa", name); strings.Count(list, name) != 1 || !strings.Contains(list, versionOf(t)) {
			t.Error(list)
		}
		if config != "" && textOf(t, filepath.Join(root, config)) != "# ours\n" {
			t.Error("the settings were altered")
		}
		rpm("-V", "--nodeps", "--noscripts", "--nouser", "--nogroup", "--nofiles", name)
	}
}

// TestWineUpgrade installs the version before on Windows, unattended; this version's installer takes its place, keeps
// what it knows, and leaves one program.
func TestWineUpgrade(t *testing.T) {
	now, before := packagesBefore(t)
	p := wine.Here(t)
	e := startEnrolling(t)
	for dir, to := range map[string]string{before: "before.msi", now: "now.msi"} {
		b := textOf(t, one(t, dir, "cirque-agent-*.msi"))
		if err := os.WriteFile(filepath.Join(p.Tests(), to), []byte(b), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept := windowsWithoutAgent(t, p, "before.msi", "now.msi")
	if err := os.WriteFile(filepath.Join(p.Tests(), "agent.yaml"), fmt.Appendf(nil,
		"service: %s\ntoken: %s\nmachine: till-2\n", e.URL, e.enrolToken("brannoy", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	p.Run(t, "wine", "msiexec", "/i", `C:\tests\before.msi`, "/qn", "/norestart", "SETUPFILE=agent.yaml")
	program := `C:\Program Files\Cirque\Agent\cirque-agent.exe`
	reports := func(version string) func() bool {
		return func() bool {
			_, _ = p.Try(t, program, "version") // Wine ends its services once nobody uses it
			code, says, _ := e.run("endpoint", "show", "till-2", "--ca", e.CAFile)
			return code == 0 && strings.Contains(says, version)
		}
	}
	within(t, "the version before reports", reports(filepath.Base(filepath.Dir(before))))
	within(t, "it has its queue", func() bool { return e.isConverged(t, "till-2") })
	identity := textOf(t, filepath.Join(kept, "Agent", "identity.json"))
	p.Run(t, "wine", "msiexec", "/i", `C:\tests\now.msi`, "/qn", "/norestart")
	within(t, "this version reports", reports(versionOf(t)))
	within(t, "it has its queue still", func() bool { return e.isConverged(t, "till-2") })
	if textOf(t, filepath.Join(kept, "Agent", "identity.json")) != identity {
		t.Error("it enrolled anew")
	}
	says := p.Run(t, "wine", "reg", "query", `HKLM\SOFTWARE\Cirque\Agent`, "/v", "Version")
	if !strings.Contains(says, versionOf(t)) {
		t.Error(says)
	}
}
