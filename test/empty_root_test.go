package test

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// emptyRoot names a folder with an empty Debian root, as make test-root makes it.
const emptyRoot = "CIRQUE_ROOT"

// inEmptyRoot is what a new user does on a new server, with the packages alone: install, a first token, an estate, a
// machine. Units are not run there, so their programs are, as their accounts. == TEXT marks how far it is.
const inEmptyRoot = `
set -eu
cd /tmp
begun=$(date +%s%N)
say() { echo "== $((($(date +%s%N) - begun) / 1000000)) ms: $*"; }
/usr/sbin/cupsd -f > cups.log 2>&1 & cups=$!
service= agent=
trap 'kill $cups $service $agent 2> /dev/null || true' EXIT
unit() { sed -n "s/^ExecStart=//p" "/usr/lib/systemd/system/$1.service"; }
as_service() { setpriv --reuid cirque --regid cirque --clear-groups "$@"; }

# 1
dpkg -i /packages/cirque_*.deb /packages/cirque-agent_*.deb > dpkg.log 2>&1 || { cat dpkg.log; exit 1; }
say installed
as_service $(unit cirque) > serve.log 2>&1 & service=$!
until curl -sk -o page https://127.0.0.1:8631/ && grep -q '<title>' page; do sleep 0.05; done
say the console answers
export CIRQUE_URL=https://127.0.0.1:8631 CIRQUE_CA=/var/lib/cirque/ca/ca.pem
# 2
export CIRQUE_TOKEN=$(as_service cirque token create --name first --role owner --config /etc/cirque/cirque.yaml)
# 3
printf '%s\n' 'estate: 1' 'locations: [{path: here}]' 'grants: [{name: all, effect: place, queues: [hall]}]' \
	'queues: [{name: hall, title: Hall, location: here, paths: [{gateway: true}]}]' > estate.yaml
cirque estate apply estate.yaml > /dev/null && cirque publish -m first
say published
# 4
cirque enrol token first 2> said | cirque-agent enrol --service https://127.0.0.1:8631 --token-file -
$(unit cirque-agent) > agent.log 2>&1 & agent=$!
until cirque endpoint list | grep -q converged; do sleep 0.05; done
say the queue is there
cirque endpoint list
cat serve.log said
until grep -qs '<Printer hall>' /etc/cups/printers.conf; do sleep 0.1; done
`

// TestEmptyRoot: on an empty Debian with nothing but the packages it takes four commands until the console answers, an
// agent is enrolled, and a queue is in the system's spooler; it says how long each takes.
func TestEmptyRoot(t *testing.T) {
	root, dir := os.Getenv(emptyRoot), os.Getenv(madePackages)
	if root == "" || dir == "" {
		t.Skip("make test-root makes an empty Debian root and tries the packages in it")
	}
	packages := filepath.Join(root, "packages")
	if err := os.MkdirAll(packages, 0o755); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"cirque", "cirque-agent"} {
		do(t, nil, "cp", one(t, dir, name+"_*.deb"), packages)
	}
	script := filepath.Join(root, "tmp", "script")
	if err := os.WriteFile(script, []byte(inEmptyRoot), 0o755); err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	// A network and processes of its own: nothing outlasts it, and no port of this machine is taken.
	c := exec.CommandContext(ctx, "unshare", "--net", "--mount", "--pid", "--fork", "--kill-child", "sh", "-c",
		`mount -t proc proc "$0/proc" && ip link set lo up && exec chroot "$0" sh /tmp/script`, root)
	out, err := c.CombinedOutput()
	says := string(out)
	if err != nil {
		t.Fatalf("%v\n%s", err, says)
	}
	t.Log(says)
	if !strings.Contains(says, "ms: the queue is there") || strings.Contains(says, "[::]") {
		t.Error("not all is as it should be")
	}
}

// TestEmptyRootRPM: where packages come as .rpm, their scripts make the account, its folders and the agent's settings;
// erasing them leaves what administrators wrote.
func TestEmptyRootRPM(t *testing.T) {
	root, dir := os.Getenv(emptyRoot), os.Getenv(madePackages)
	if root == "" || dir == "" {
		t.Skip("make test-root makes an empty Debian root and tries the packages in it")
	}
	_ = os.RemoveAll(filepath.Join(root, "var/lib/rpm"))
	rpm := func(args ...string) string {
		t.Helper()
		return do(t, nil, "rpm", append([]string{"--root", root}, args...)...)
	}
	inside := func(args ...string) string {
		t.Helper()
		return do(t, nil, "chroot", append([]string{root}, args...)...)
	}
	rpm("--initdb")
	t.Cleanup(func() { _ = os.RemoveAll(filepath.Join(root, "var/lib/rpm")) })
	packages := []string{one(t, dir, "cirque-[0-9]*.x86_64.rpm"), one(t, dir, "cirque-agent-[0-9]*.x86_64.rpm")}
	if says := rpm(append([]string{"-i", "--nodeps"}, packages...)...); strings.Contains(says, "scriptlet failed") {
		t.Error(says)
	}
	for file, want := range map[string]string{"/var/lib/cirque": "cirque:cirque 700", "/etc/cirque/cirque.yaml": "",
		"/etc/cirque-agent/agent.yaml": "root:root 600", "/var/lib/cirque-agent": "root:root 700"} {
		if says := inside("stat", "-c", "%U:%G %a", file); want != "" && strings.TrimSpace(says) != want {
			t.Errorf("%s is %s", file, says)
		}
	}
	settings := filepath.Join(root, "etc/cirque-agent/agent.yaml")
	if err := os.WriteFile(settings, []byte("# ours\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if says := rpm(append([]string{"-U", "--force", "--nodeps"}, packages...)...); strings.Contains(says, "scriptlet failed") {
		t.Error(says)
	}
	if textOf(t, settings) != "# ours\n" {
		t.Error("the agent's settings were altered")
	}
	if says := rpm("-e", "cirque", "cirque-agent"); strings.Contains(says, "scriptlet failed") {
		t.Error(says)
	}
	if _, err := os.Stat(filepath.Join(root, "usr/bin/cirque")); err == nil {
		t.Error("the program stays")
	}
	if textOf(t, settings) != "# ours\n" {
		t.Error("what an administrator wrote went")
	}
}
