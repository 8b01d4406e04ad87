//go:build !windows

package agentcli

import (
	"context"
	"log/slog"

	"cirque/core/fault"
)

// notWindows says that only Windows has such services.
func notWindows() error {
	return fault.New(fault.Invalid, "not-windows", "use the system's own service manager; the packages bring a unit for "+
		"it", "this is the service manager of Windows, and not on this machine")
}

func ofService(string) (string, error) { return "", notWindows() }

func runAsService(func(ctx context.Context, log slog.Handler) error) error { return notWindows() }

func doInSession(string, string) error { return notWindows() }
