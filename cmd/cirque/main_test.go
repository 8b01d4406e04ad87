package main

import (
	"bufio"
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"cirque/internal/app"
)

// asMain has the test's own program be the command itself.
const asMain = "CIRQUE_TEST_MAIN"

func TestMain(m *testing.M) {
	if os.Getenv(asMain) != "" {
		main()
		return
	}
	os.Exit(m.Run())
}

// TestSignals: SIGHUP never ends the service, also while it starts; it opens the log anew and shows another
// certificate. SIGTERM ends it within seconds, whoever holds on to it.
func TestSignals(t *testing.T) {
	t.Parallel()
	dir, err := os.MkdirTemp("", "cirque-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	log := filepath.Join(dir, "log")
	cmd := exec.Command(os.Args[0], "serve", "--data", filepath.Join(dir, "data"), "--listen", "127.0.0.1:0",
		"--log-file", log)
	cmd.Env = append(os.Environ(), asMain+"=1")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	cmd.Stderr = cmd.Stdout
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	ended := make(chan error, 1)
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	signal := func(s syscall.Signal) {
		t.Helper()
		if err := cmd.Process.Signal(s); err != nil {
			t.Fatal(err)
		}
	}
	for {
		if _, err := os.Stat(log); err == nil { // it has begun
			break
		}
		time.Sleep(time.Millisecond)
	}
	signal(syscall.SIGHUP)
	lines := bufio.NewReader(out)
	line, err := lines.ReadString('\n')
	at, ok := strings.CutPrefix(strings.TrimSpace(line), "Cirque "+app.Version+" is ready at https://")
	if err != nil || !ok {
		t.Fatalf("%q %v", line, err)
	}
	go func() { _, _ = io.Copy(io.Discard, lines); ended <- cmd.Wait() }()

	shown := func() string {
		c, err := tls.Dial("tcp", at, &tls.Config{InsecureSkipVerify: true}) //nolint:gosec // whose it is does not matter
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = c.Close() }()
		return c.ConnectionState().PeerCertificates[0].SerialNumber.String()
	}
	first := shown()
	if err := os.Rename(log, log+".1"); err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(dir, "data", "ca", "server.pem")); err != nil {
		t.Fatal(err)
	}
	signal(syscall.SIGHUP)
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(10 * time.Millisecond) {
		// The first SIGHUP may be at work still, and find the certificate gone before the second does.
		b, err := os.ReadFile(log)
		before, _ := os.ReadFile(log + ".1")
		if err == nil && strings.Contains(string(before)+string(b), "another certificate is shown") && shown() != first {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("nothing was read again: %s", b)
		}
	}

	// One who never finishes what he sends.
	slow, err := tls.Dial("tcp", at, &tls.Config{InsecureSkipVerify: true}) //nolint:gosec // whose it is does not matter
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = slow.Close() }()
	_, _ = fmt.Fprint(slow, "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Type: "+
		"application/json\r\nContent-Length: 100\r\n\r\n{")
	idle, err := net.Dial("tcp", at)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = idle.Close() }()
	signal(syscall.SIGTERM)
	select {
	case err := <-ended:
		if err != nil {
			t.Errorf("it ended with %v", err)
		}
	case <-time.After(15 * time.Second):
		t.Fatal("it does not end")
	}
}
