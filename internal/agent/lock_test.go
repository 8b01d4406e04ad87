//go:build unix

package agent

import (
	"strconv"
	"strings"
	"testing"

	"os"

	"cirque/core/fault"
)

// TestOneAgentAlone: the second agent on a state directory says who has it, and stops; once the first has ended it may.
func TestOneAgentAlone(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	unlock, err := lockState(dir)
	if err != nil {
		t.Fatal(err)
	}
	a := &Agent{cfg: Config{State: dir}}
	err = a.Run(t.Context())
	if f := fault.As(err); f == nil || f.Code != "state-in-use" || !strings.Contains(f.What, strconv.Itoa(os.Getpid())) ||
		f.Fix == "" {
		t.Fatalf("%v", err)
	}
	if err := unlock(); err != nil {
		t.Fatal(err)
	}
	if unlock, err = lockState(dir); err != nil {
		t.Fatal(err)
	}
	if err := unlock(); err != nil {
		t.Error(err)
	}
}
