package cli

import (
	"io"
	"net/url"
	"time"

	"cirque/core/driver"
	"cirque/internal/cmdline"
)

// A screen is how answers are shown, and in which zone times are told and read.
type screen struct {
	output string
	width  int // of the terminal, 0 when it is none
	utc    bool
	now    func() time.Time
	err    io.Writer
}

// zone is that in which times are told, and read where they name none.
func (r *screen) zone() cmdline.Zone {
	if r.utc {
		return cmdline.Zone{Location: time.UTC}
	}
	return cmdline.Zone{Location: time.Local}
}

// clock is the present moment in that zone.
func (r *screen) clock() time.Time { return r.now().In(r.zone().Location) }

// setTime asks by a moment, where one was given.
func (r *screen) setTime(q url.Values, key string, m *cmdline.Moment) {
	if at := m.At(r.clock()); !at.IsZero() {
		q.Set(key, at.Format(time.RFC3339))
	}
}

// timeOf is a moment that was given, or nil.
func (r *screen) timeOf(m *cmdline.Moment) *time.Time {
	if at := m.At(r.clock()); !at.IsZero() {
		return &at
	}
	return nil
}

// exact shows an exact name: on a terminal with its blanks to be seen; elsewhere as it is, to be copied.
func (r *screen) exact(s string) string {
	if r.width > 0 {
		return driver.Visible(s)
	}
	return s
}

// at tells a moment; nothing where there is none.
func (r *screen) at(t *time.Time) string {
	if t == nil {
		return ""
	}
	return r.zone().At(*t)
}
