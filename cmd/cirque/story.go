package main

import (
	"context"
	"fmt"

	"cirque/core/fault"
	"cirque/demo"
	"cirque/internal/cli"
	"cirque/internal/story"
	"cirque/internal/story/ondemo"
)

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
	stage, ok := ondemo.Of(o.Data)
	if !ok {
		return fault.New(fault.Invalid, "no-demo", "start it with make demo or cirque demo --data "+o.Data,
			"no demo has been started in %s", o.Data)
	}
	err = story.Play(ctx, s, story.Config{Stage: stage, Out: o.Out, URL: stage.URL(),
		Next: func(ctx context.Context, _ story.Step) bool { return o.Next == nil || o.Next(ctx) }})
	if err == nil {
		fmt.Fprintln(o.Out, "\nThat was the morning. The demo is as it was; its history has two revisions more.")
	}
	return err
}
