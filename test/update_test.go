package test

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/update"
	"cirque/internal/agent"
	"cirque/internal/apiclient"
)

// packagedAgent builds the agent as a version, in a package of Debian's whose name is that of ours; script is what runs
// before it is unpacked.
func packagedAgent(t *testing.T, version, script string) string {
	t.Helper()
	dir := t.TempDir()
	tree := filepath.Join(dir, "tree")
	for _, d := range []string{"DEBIAN", "usr/bin"} {
		if err := os.MkdirAll(filepath.Join(tree, d), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	do(t, nil, "go", "build", "-ldflags", "-s -w -X main.version="+version, "-o", filepath.Join(tree,
		"usr/bin/cirque-agent"),
		"../cmd/cirque-agent")
	control := fmt.Sprintf("Package: cirque-agent\nVersion: %s\nArchitecture: amd64\nMaintainer: t <t@skerry.example>\n"+
		"Description: the agent\n", version)
	if err := os.WriteFile(filepath.Join(tree, "DEBIAN/control"), []byte(control), 0o644); err != nil {
		t.Fatal(err)
	}
	if script != "" {
		if err := os.WriteFile(filepath.Join(tree, "DEBIAN/preinst"), []byte("#!/bin/sh\n"+script+"\n"), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	deb := filepath.Join(dir, "cirque-agent_"+version+"_amd64.deb")
	do(t, nil, "dpkg-deb", "-Znone", "--root-owner-group", "-b", tree, deb)
	return deb
}

// aRoot is a folder that Debian's dpkg takes for a system.
func aRoot(t *testing.T) string {
	t.Helper()
	root := t.TempDir()
	for _, d := range []string{"var/lib/dpkg/info", "var/lib/dpkg/updates", "var/lib/dpkg/triggers", "etc"} {
		if err := os.MkdirAll(filepath.Join(root, d), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(filepath.Join(root, "var/lib/dpkg/status"), nil, 0o644); err != nil {
		t.Fatal(err)
	}
	return root
}

// TestAgentUpdate: an agent that Debian's package manager has installed comes to the next version by an order, which it
// fetches and installs from the service alone, without being started by anybody; goes back by another; and stays where
// it is when a package cannot be installed, upon which the order pauses.
func TestAgentUpdate(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	cirque := func(args ...string) string {
		t.Helper()
		code, says, errs := e.run(append(args, "--ca", e.CAFile)...)
		if code != 0 {
			t.Fatalf("%v: %d %s %s", args, code, says, errs)
		}
		return says
	}
	root, first := aRoot(t), packagedAgent(t, "0.1.0", "")
	next, broken := packagedAgent(t, "0.2.0", ""), packagedAgent(t, "0.3.0", "echo no room for it >&2; exit 1")
	do(t, nil, "dpkg", "--root="+root, "--force-not-root", "--log=/dev/null", "-i", first)

	d := newDesk(t, "machine: till-1\nplatform: linux/x64\naddresses: [10.40.8.7]\nsessions: [{user: mira.solvang}]\n")
	state := filepath.Join(d.dir, ".agent")
	if _, err := agent.Enrol(t.Context(), e.URL, e.enrolToken("ardholm", 1), state, nil, facts("till-1",
		"10.40.8.7")); err != nil {
		t.Fatal(err)
	}
	var log bytes.Buffer
	cmd := exec.CommandContext(t.Context(), filepath.Join(root, "usr/bin/cirque-agent"), "run", "--spooler",
		"standin:"+d.dir)
	cmd.Env = append(os.Environ(), "DPKG_ROOT="+root)
	cmd.Stdout, cmd.Stderr = &log, &log
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		if t.Failed() {
			t.Log(log.String())
		}
	})
	runs := func(version string) {
		t.Helper()
		within(t, "it runs "+version, func() bool {
			s, err := apiclient.Get[update.Standing](t.Context(), e.c, "/api/v1/agent-update", nil)
			return err == nil && len(s.Machines) == 1 && s.Machines[0].Version == version && s.Machines[0].Updates == "deb"
		})
	}
	comes := func(state string) update.Record {
		t.Helper()
		var got update.Record
		within(t, "it "+state, func() bool {
			list, err := apiclient.List[update.Record](t.Context(), e.c, "/api/v1/agent-update/machines", nil)
			if err == nil && len(list) == 1 {
				got = list[0]
			}
			return got.State == state
		})
		return got
	}
	runs("0.1.0")
	if code, _, errs := e.run("endpoint", "update", "begin", "0.2.0", "--ca", e.CAFile); code == 0 ||
		!strings.Contains(errs, "no package of 0.2.0") {
		t.Errorf("%d %s", code, errs)
	}
	cirque("endpoint", "package", "add", first, next)
	if says := cirque("endpoint", "package", "add", next); !strings.Contains(says, "already") {
		t.Error(says)
	}
	if says := cirque("endpoint", "update", "show", "0.2.0"); !strings.Contains(says, "can be brought there") ||
		strings.Contains(says, "no way back") {
		t.Error(says)
	}
	if says := cirque("endpoint", "update", "begin", "0.2.0", "--shares", "100"); !strings.Contains(says, "stage 1 of 1") {
		t.Error(says)
	}
	cirque("endpoint", "refresh", "till-1$")
	if got := comes(update.Came); got.Former != "0.1.0" || got.Machine != "till-1$" {
		t.Errorf("%+v", got)
	}
	runs("0.2.0")
	pid := cmd.Process.Pid
	if exe, err := os.Readlink(fmt.Sprintf("/proc/%d/exe", pid)); err != nil || exe != filepath.Join(root,
		"usr/bin/cirque-agent") {
		t.Errorf("what runs is %s (%v)", exe, err)
	}

	cirque("endpoint", "update", "back")
	cirque("endpoint", "refresh", "till-1$")
	comes(update.WentBack)
	runs("0.1.0")
	if says := cirque("endpoint", "update", "end"); !strings.Contains(says, "ended, by") {
		t.Error(says)
	}

	cirque("endpoint", "package", "add", broken)
	cirque("endpoint", "update", "begin", "0.3.0", "--shares", "100")
	cirque("endpoint", "refresh", "till-1$")
	if got := comes(update.Failed); !strings.Contains(got.Says, "no room for it") {
		t.Errorf("%+v", got)
	}
	if err := e.Service.Updates.Look(t.Context()); err != nil {
		t.Fatal(err)
	}
	if says := cirque("endpoint", "update", "show"); !strings.Contains(says,
		"paused, 1 machine did not come through: till-1$") {
		t.Error(says)
	}
	cirque("endpoint", "update", "go-on") // it is not told again by the same order
	cirque("endpoint", "refresh", "till-1$")
	runs("0.1.0")
	comes(update.Failed)
	within(t, "the packages are gone", func() bool {
		_, err := os.Stat(filepath.Join(state, "update"))
		return os.IsNotExist(err)
	})
}
