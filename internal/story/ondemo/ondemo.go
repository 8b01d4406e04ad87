// Package ondemo is the stage for stories: a demo that runs, known by its data directory.
package ondemo

import (
	"bytes"
	"context"
	"path/filepath"
	"strings"

	"cirque/internal/app"
	"cirque/internal/cli"
	"cirque/internal/cmdline"
	"cirque/internal/sim"
)

// A Stage is a demo that runs.
type Stage struct {
	data string
	env  map[string]string
}

// Of gives the demo whose data lies in a directory; ok is false where none was started there.
func Of(data string) (s Stage, ok bool) {
	s = Stage{data, app.DemoEnv(data)}
	s.env["CIRQUE_CONFIG_DIR"] = filepath.Join(data, "nothing-kept") // what somebody has kept of services is not asked
	return s, s.URL() != ""
}

// URL is the console's address.
func (s Stage) URL() string { return s.env["CIRQUE_URL"] }

// Run runs a command of cirque, and gives how it ended and all that it printed.
func (s Stage) Run(ctx context.Context, args []string) (code int, printed string) {
	var out bytes.Buffer
	code = cli.Execute(ctx, cli.Local{Version: app.Version}, args, cmdline.Streams{In: strings.NewReader(""), Out: &out,
		Err: &out}, func(key string) string { return s.env[key] })
	return code, out.String()
}

// StandIns cuts, joins or exchanges the demo's stand-ins.
func (s Stage) StandIns(ctx context.Context, what string, names []string) error {
	return sim.Ask(ctx, filepath.Join(s.data, app.StandInsFile), what, names...)
}
