package windows

import (
	"context"
	"log/slog"
	"strings"

	"golang.org/x/sys/windows/svc/eventlog"
)

// Identifiers of what is written to the event log.
const (
	eventInfo    = 1
	eventWarning = 2
	eventError   = 3
)

// EventLog writes to the system's event log, a line per event.
func EventLog() (slog.Handler, error) {
	log, err := eventlog.Open(ServiceName)
	if err != nil {
		return nil, err
	}
	return &events{log: log}, nil
}

// events renders records as text, and writes each as an event of its level.
type events struct {
	log  *eventlog.Log
	with func(h slog.Handler) slog.Handler // what was added before a record
}

// Enabled says that everything but details for developers is written.
func (e *events) Enabled(_ context.Context, l slog.Level) bool { return l >= slog.LevelInfo }

// Handle writes one.
func (e *events) Handle(ctx context.Context, r slog.Record) error {
	var text strings.Builder
	plain := func(_ []string, a slog.Attr) slog.Attr {
		if a.Key == slog.TimeKey || a.Key == slog.LevelKey { // an event has both
			return slog.Attr{}
		}
		return a
	}
	var h slog.Handler = slog.NewTextHandler(&text, &slog.HandlerOptions{ReplaceAttr: plain})
	if e.with != nil {
		h = e.with(h)
	}
	if err := h.Handle(ctx, r); err != nil {
		return err
	}
	says := strings.TrimSpace(text.String())
	switch {
	case r.Level >= slog.LevelError:
		return e.log.Error(eventError, says)
	case r.Level >= slog.LevelWarn:
		return e.log.Warning(eventWarning, says)
	}
	return e.log.Info(eventInfo, says)
}

// WithAttrs adds to what follows.
func (e *events) WithAttrs(attrs []slog.Attr) slog.Handler {
	return e.more(func(h slog.Handler) slog.Handler { return h.WithAttrs(attrs) })
}

// WithGroup puts what follows into a group.
func (e *events) WithGroup(name string) slog.Handler {
	return e.more(func(h slog.Handler) slog.Handler { return h.WithGroup(name) })
}

func (e *events) more(add func(h slog.Handler) slog.Handler) slog.Handler {
	before := e.with
	return &events{e.log, func(h slog.Handler) slog.Handler {
		if before != nil {
			h = before(h)
		}
		return add(h)
	}}
}
