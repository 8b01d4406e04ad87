package agent

import (
	"cirque/internal/windows"
	"cirque/internal/winspool"
)

// signedIn gives the sessions on this machine where the system's own account asks; ok is false where another does.
func signedIn() (list []Session, ok bool) {
	if !windows.AsSystem() {
		return nil, false
	}
	sessions, err := winspool.Sessions()
	if err != nil {
		return nil, true
	}
	return sessionsBy(sessions, windows.Serves()), true
}
