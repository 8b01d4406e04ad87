package agentcli

import (
	"context"
	"errors"
	"log/slog"
	"os"

	"cirque/core/fault"
	"cirque/internal/windows"
)

// ofService does what a command of service says; says is empty for what it usually says.
func ofService(verb string) (says string, err error) {
	defer func() {
		if err != nil {
			err = fault.New(fault.Unavailable, "service-manager", "run it as an administrator, and see cirque-agent service "+
				"state", "%v", err)
		}
	}()
	switch verb {
	case "install":
		program, err := os.Executable()
		if err != nil {
			return "", err
		}
		if err := windows.InstallService(program, "run", "--as-service"); err != nil {
			return "", err
		}
		return "", windows.StartService()
	case "start":
		return "", windows.StartService()
	case "stop":
		return "", windows.StopService()
	case "remove":
		return "", errors.Join(windows.StopService(), windows.RemoveService())
	}
	installed, runs, err := windows.ServiceState()
	switch {
	case err != nil:
		return "", err
	case !installed:
		return "The service is not installed: cirque-agent service install", nil
	case !runs:
		return "The service is installed, and does not run: see the event log, source CirqueAgent.", nil
	}
	return "The service runs.", nil
}

func runAsService(run func(ctx context.Context, log slog.Handler) error) error {
	log, err := windows.EventLog()
	if err != nil {
		return err
	}
	return windows.AsService(func(ctx context.Context) error {
		err := run(ctx, log)
		if err != nil {
			slog.New(log).Error("the agent ended", "error", err)
		}
		return err
	})
}

func doInSession(what, queue string) error { return windows.DoInSession(what, queue) }
