package windows

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	win "golang.org/x/sys/windows"
	"golang.org/x/sys/windows/svc"
	"golang.org/x/sys/windows/svc/eventlog"
	"golang.org/x/sys/windows/svc/mgr"
)

// ServiceName is under which the system's service manager knows the agent.
const ServiceName = "CirqueAgent"

// Restarts are what the service manager does when the agent ends by itself: it starts it again, later each time, and
// begins anew after a day without.
var restarts = []mgr.RecoveryAction{{Type: mgr.ServiceRestart, Delay: 5 * time.Second},
	{Type: mgr.ServiceRestart, Delay: 30 * time.Second}, {Type: mgr.ServiceRestart, Delay: 5 * time.Minute}}

const forgetRestarts = 24 * 60 * 60 // seconds

// InstallService has a program run as a service from the system's start on, with arguments. One that is there already
// is brought to it.
func InstallService(program string, args ...string) error {
	m, err := mgr.Connect()
	if err != nil {
		return fmt.Errorf("the service manager does not answer, or lets administrators in alone: %w", err)
	}
	defer func() { _ = m.Disconnect() }()
	config := mgr.Config{DisplayName: "Cirque agent", StartType: mgr.StartAutomatic, ErrorControl: mgr.ErrorNormal,
		Dependencies: []string{"Spooler"}, Description: "Keeps this machine's print queues equal to its lineups."}
	s, err := m.CreateService(ServiceName, program, config, args...)
	if errors.Is(err, win.ERROR_SERVICE_EXISTS) {
		if s, err = m.OpenService(ServiceName); err != nil {
			return err
		}
		config.BinaryPathName = win.ComposeCommandLine(append([]string{program}, args...))
		config.ServiceType = win.SERVICE_WIN32_OWN_PROCESS
		err = s.UpdateConfig(config)
	}
	if err != nil {
		return err
	}
	defer func() { _ = s.Close() }()
	if err := secure(s); err != nil {
		return errors.Join(err, s.Delete())
	}
	return nil
}

// secure has the service manager start the agent again when it fails, and gives it a source in the event log.
func secure(s *mgr.Service) error {
	// A system without the one or the other runs it all the same.
	_ = s.SetRecoveryActions(restarts, forgetRestarts)
	_ = s.SetRecoveryActionsOnNonCrashFailures(true)
	err := eventlog.InstallAsEventCreate(ServiceName, eventlog.Error|eventlog.Warning|eventlog.Info)
	if err != nil && strings.HasSuffix(err.Error(), "registry key already exists") { // it is given no other form
		return nil
	}
	return err
}

// StartService starts it; one that runs already is no error.
func StartService() error {
	err := ofService(func(s *mgr.Service) error { return s.Start() })
	if errors.Is(err, win.ERROR_SERVICE_ALREADY_RUNNING) {
		return nil
	}
	return err
}

// StopService stops it and waits until it has; one that does not run is no error.
func StopService() error {
	return ofService(func(s *mgr.Service) error {
		status, err := s.Control(svc.Stop)
		if errors.Is(err, win.ERROR_SERVICE_NOT_ACTIVE) {
			return nil
		}
		const patience = 30 * time.Second
		for end := time.Now().Add(patience); err == nil && status.State != svc.Stopped; status, err = s.Query() {
			if time.Now().After(end) {
				return fmt.Errorf("the service %s does not stop", ServiceName)
			}
			time.Sleep(100 * time.Millisecond) // the service manager tells nobody
		}
		return err
	})
}

// ServiceState says whether it is installed, and whether it runs.
func ServiceState() (installed, runs bool, err error) {
	err = ofService(func(s *mgr.Service) error {
		installed = true
		status, err := s.Query()
		runs = err == nil && status.State == svc.Running
		return err
	})
	if errors.Is(err, win.ERROR_SERVICE_DOES_NOT_EXIST) {
		return false, false, nil
	}
	return installed, runs, err
}

// RemoveService takes it away; it is to be stopped before.
func RemoveService() error {
	err := ofService(func(s *mgr.Service) error { return s.Delete() })
	if errors.Is(err, win.ERROR_SERVICE_DOES_NOT_EXIST) {
		err = nil
	}
	return errors.Join(err, removeSource())
}

func removeSource() error {
	if err := eventlog.Remove(ServiceName); err != nil && !errors.Is(err, win.ERROR_FILE_NOT_FOUND) {
		return err
	}
	return nil
}

func ofService(do func(s *mgr.Service) error) error {
	m, err := mgr.Connect()
	if err != nil {
		return fmt.Errorf("the service manager does not answer, or lets administrators in alone: %w", err)
	}
	defer func() { _ = m.Disconnect() }()
	s, err := m.OpenService(ServiceName)
	if err != nil {
		return err
	}
	return errors.Join(do(s), s.Close())
}

// AsService runs something as the service, until the service manager wants it to stop. What it fails with goes to the
// manager as a failure, which has it started again.
func AsService(run func(ctx context.Context) error) error {
	_ = ofService(secure) // installers know less of services than the agent does itself
	h := handler{run: run}
	if err := svc.Run(ServiceName, &h); err != nil {
		return err
	}
	return h.err
}

type handler struct {
	run func(ctx context.Context) error
	err error
}

// Execute is called by the service manager.
func (h *handler) Execute(_ []string, asked <-chan svc.ChangeRequest, state chan<- svc.Status) (specific bool,
	code uint32) {
	const accepts = svc.AcceptStop | svc.AcceptShutdown
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	ended := make(chan error, 1)
	state <- svc.Status{State: svc.StartPending}
	go func() { ended <- h.run(ctx) }()
	state <- svc.Status{State: svc.Running, Accepts: accepts}
	for {
		select {
		case h.err = <-ended:
			state <- svc.Status{State: svc.StopPending}
			if h.err != nil {
				return true, 1
			}
			return false, 0
		case r := <-asked:
			switch r.Cmd {
			case svc.Interrogate:
				state <- r.CurrentStatus
			case svc.Stop, svc.Shutdown:
				state <- svc.Status{State: svc.StopPending}
				cancel()
			}
		}
	}
}
