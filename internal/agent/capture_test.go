package agent_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/internal/agent"
)

// TestCaptured: what people set up on a machine is read, and what the agent installed or one person has is left out.
func TestCaptured(t *testing.T) {
	t.Parallel()
	_, dir := standIn(t, "machine: desk-1\nplatform: windows/x64\n")
	for name, text := range map[string]string{
		"everybody/front.yaml": "uri: ipp://192.0.2.1/ipp/print\nexact: Mono 40 PCL6\ntitle: Front desk\noptions: " +
			"{sides: two-sided-long-edge, print-quality: 5}\n",
		"everybody/ours.yaml":     "installed_by: cirque\nuri: ipp://192.0.2.2/\n",
		"everybody/file.yaml":     "uri: file:///dev/null\n",
		"users/mira/private.yaml": "uri: ipp://192.0.2.3/\n",
	} {
		p := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(p), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(p, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	c, err := agent.ReadCapture(t.Context(), "standin:"+dir)
	if err != nil || c.Machine != "desk-1" || c.Platform != "windows/x64" || len(c.Queues) != 2 ||
		c.Queues[1].Name != "front" {
		t.Fatalf("%+v %v", c, err)
	}
	if q := c.Queues[1]; q.Model != "Mono 40 PCL6" || q.Title != "Front desk" || q.Device != "ipp://192.0.2.1/ipp/print" ||
		q.Defaults["sides"] != "two-sided-long-edge" {
		t.Errorf("%+v", q)
	}
	if some, err := agent.Choose(c.Queues, []string{"front"}); err != nil || len(some) != 1 || len(c.Queues) != 2 {
		t.Error(some, err)
	}
	if _, err := agent.Choose(c.Queues, []string{"ours"}); err == nil || !strings.Contains(err.Error(),
		"choose among file, front") {
		t.Error(err)
	}
	for spooler, says := range map[string]string{"nonsense": "write system, unix:SOCKET, or standin:DIR",
		"ipp://127.0.0.1:1/": "refuses the connection", "standin:": "is not known"} {
		if _, err := agent.ReadCapture(t.Context(), spooler); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", spooler, err)
		}
	}
}
