package main

import (
	"bytes"
	"context"
	"fmt"
	"path/filepath"
	"strings"

	"cirque/core/fault"
	"cirque/demo"
	"cirque/internal/app"
	"cirque/internal/cli"
	"cirque/internal/cmdline"
	"cirque/internal/sim"
	"cirque/internal/story"
)

// stage is a demo that runs, by its data directory.
type stage struct {
	data string
	env  map[string]string
}

func (s stage) Run(ctx context.Context, args []string) (int, string) {
	var out bytes.Buffer
	code := cli.Execute(ctx, cli.Local{Version: app.Version}, args, cmdline.Streams{In: strings.NewReader(""), Out: &out,
		Err: &out}, func(key string) string { return s.env[key] })
	return code, out.String()
}

func (s stage) StandIns(ctx context.Context, what string, names []string) error {
	return sim.Ask(ctx, filepath.Join(s.data, app.StandInsFile), what, names...)
}

// playStory plays the demo's morning on the demo whose data lies in a directory.
func playStory(ctx context.Context, o cli.StoryOptions) error {
	text, err := demo.Files.ReadFile("story.yaml")
	if err != nil {
		return err
	}
	s, err := story.Parse(text)
	if err != nil {
		return err
	}
	env := app.DemoEnv(o.Data)
	if env["CIRQUE_URL"] == "" {
		return fault.New(fault.Invalid, "no-demo", "start it with make demo or cirque demo --data "+o.Data,
			"no demo has been started in %s", o.Data)
	}
	env["CIRQUE_CONFIG_DIR"] = filepath.Join(o.Data, "nothing-kept") // what somebody has kept of services is not asked
	err = story.Play(ctx, s, story.Config{Stage: stage{o.Data, env}, Out: o.Out, URL: env["CIRQUE_URL"],
		Next: func(ctx context.Context, _ story.Step) bool { return o.Next == nil || o.Next(ctx) }})
	if err == nil {
		fmt.Fprintln(o.Out, "\nThat was the morning. The demo is as it was; its history has two revisions more.")
	}
	return err
}
