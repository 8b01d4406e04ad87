package agent

import (
	"os"
	"path/filepath"
	"time"

	"cirque/core/endpoint"
	"cirque/internal/whole"
)

// Asked is what an agent's set-up file says as consent where nothing is to be changed on a machine before somebody has
// agreed to it there.
const Asked = "asked"

// agreedFile says that somebody has agreed to what the agent does here, and when.
func agreedFile(state string) string { return filepath.Join(state, "agreed") }

// Agree has an agent that waits for it go on: it looks within a second.
func Agree(state string) error {
	if err := isState(state); err != nil {
		return err
	}
	if err := whole.Write(agreedFile(state), []byte(time.Now().UTC().Format(time.RFC3339)+"\n"), 0o600); err != nil {
		return err
	}
	return CallHere(state)
}

// agreed says whether an agent may change what is installed: nobody is to be asked, somebody has said yes, or it has
// changed things before.
func agreed(cfg Config, m endpoint.Memory) bool {
	if !cfg.Consent || len(m.Own) > 0 {
		return true
	}
	_, err := os.Stat(agreedFile(cfg.State))
	return err == nil
}
