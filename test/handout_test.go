package test

import (
	"archive/zip"
	"bytes"
	"context"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"cirque/internal/agent"
)

// TestHandout: what device management is handed lets machines in with the set-up file alone; it says how to install,
// find and remove what is in it, and holds the token nowhere but in that file.
func TestHandout(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	dist := t.TempDir()
	for _, name := range []string{"cirque-agent-0.1.0-x64.msi", "cirque-agent-0.2.0-x64.msi", "cirque-agent_0.2.0_amd64.deb",
		"cirque-agent-0.2.0-macos-arm64.tar.gz"} {
		if err := os.WriteFile(filepath.Join(dist, name), []byte("the package "+name), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	cirque := func(args ...string) (int, string, string) {
		return e.run(append(args, "--ca", e.CAFile)...)
	}
	for system, holds := range map[string]string{"windows": "cirque-agent-0.2.0-x64.msi", "linux": "cirque-agent_0.2.0_amd64.deb",
		"macos": "cirque-agent-0.2.0-macos-arm64.tar.gz"} {
		to := filepath.Join(t.TempDir(), "out.zip")
		code, says, errs := cirque("enrol", "package", "--for", system, "--from", dist, "--site", "ardholm", "--uses", "2", "--to", to,
			"--consent="+strconv.FormatBool(system == "linux"))
		if code != 0 || !strings.Contains(says, "2 machines") || !strings.Contains(says, holds) || !strings.Contains(says, "0.2.0") ||
			strings.Contains(says, "{") && system != "linux" || strings.Contains(says, "VERSION") {
			t.Fatalf("%s: %d %s %s", system, code, says, errs)
		}
		info, err := os.Stat(to)
		if err != nil || info.Mode().Perm() != 0o600 {
			t.Error(info.Mode(), err)
		}
		files := unzip(t, to)
		if files[holds] != "the package "+holds || !strings.Contains(files["READ-ME.txt"], "Detection") || system == "windows" &&
			!strings.Contains(files["READ-ME.txt"], "value Version, is 0.2.0") || len(files) != 3 {
			t.Errorf("%s holds %v", system, files)
		}
		setUp := filepath.Join(t.TempDir(), "agent.yaml")
		if err := os.WriteFile(setUp, []byte(files["agent.yaml"]), 0o600); err != nil {
			t.Fatal(err)
		}
		s, err := agent.ReadSetUp(setUp)
		if err != nil || s.Service != e.URL || strings.Contains(files["READ-ME.txt"]+says+errs, s.Token) || s.Token == "" {
			t.Errorf("%+v %v", s, err)
		}
		state := filepath.Join(t.TempDir(), "state")
		m := machineCalled(map[string]string{"windows": "till-1", "linux": "till-3", "macos": "till-4"}[system])
		if err := agent.EnrolBy(t.Context(), setUp, state, m, slog.New(slog.DiscardHandler)); err != nil {
			t.Fatal(system, err)
		}
		if id, err := agent.ReadIdentity(state); err != nil || id.Service != e.URL {
			t.Errorf("%+v %v", id, err)
		}
		if after, err := agent.ReadSetUp(setUp); err != nil || after.Token != "" || after.Service != e.URL ||
			(after.Consent == agent.Asked) != (system == "linux") {
			t.Errorf("%+v %v", after, err)
		}
		if code, _, errs := cirque("enrol", "package", "--for", system, "--to", to); code == 0 || !strings.Contains(errs, "there already") {
			t.Errorf("laid over: %d %s", code, errs)
		}
	}
	// Without a folder the package is that which the service hands out: the latest for the system, whole.
	larger := append([]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"), bytes.Repeat([]byte("m"), 3<<20)...)
	for _, f := range []struct {
		name string
		data []byte
	}{{"cirque-agent-0.2.0-x64.msi", larger}, {"cirque-agent-0.1.0-x64.msi", larger[:9]},
		{"cirque-agent_0.3.0_amd64.deb", []byte("!<arch>\n")}} {
		if _, _, err := e.Service.Updates.AddPackage(t.Context(), owner, f.name, f.data); err != nil {
			t.Fatal(err)
		}
	}
	to := filepath.Join(t.TempDir(), "out.zip")
	if code, says, errs := cirque("enrol", "package", "--for", "windows", "--to", to); code != 0 ||
		!strings.Contains(says, "Version, is 0.2.0") || strings.Contains(says, "Put the package") ||
		unzip(t, to)["cirque-agent-0.2.0-x64.msi"] != string(larger) {
		t.Errorf("%d %s %s", code, says, errs)
	}
	for args, want := range map[string]string{
		"--for os2 --to x.zip": "windows, linux, macos", "--for linux --to x.zip --from /nowhere": "make packages",
		"--for linux --to /nowhere/x.zip": "no folder /nowhere", "--for linux": "to", "--to x.zip": "for",
	} {
		if code, _, errs := cirque(append([]string{"enrol", "package"}, strings.Fields(args)...)...); code == 0 ||
			!strings.Contains(errs, want) {
			t.Errorf("%s: %d %s", args, code, errs)
		}
	}
}

// machineCalled is a machine at the site ardholm.
type machineCalled string

func (m machineCalled) Facts(context.Context) (agent.Facts, error) {
	return agent.Facts{Machine: string(m), Addresses: []string{"10.40.8.7"}}, nil
}

func unzip(t *testing.T, file string) map[string]string {
	t.Helper()
	z, err := zip.OpenReader(file)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = z.Close() }()
	out := map[string]string{}
	for _, f := range z.File {
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		out[f.Name] = string(b)
	}
	return out
}
