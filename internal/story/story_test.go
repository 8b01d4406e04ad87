package story

import (
	"bytes"
	"context"
	"errors"
	"slices"
	"strings"
	"testing"
	"testing/synctest"
	"time"
)

const aStory = `
title: Two things
tells: They happen.
steps:
  - title: the first
    tells: It begins.
    do: [{cut: [ps-1]}, {run: [faults], says: [down], until: true}]
    look: [{page: /x, see: down, for: what is wrong}]
    back: [{join: [ps-1]}, {run: [health], says: [up]}]
  - title: the second
    tells: It goes on.
    do: [{run: [drain, ps-2, --reason, two words], exit: 0, not: [no]}]
    back: [{run: [return, ps-2], maybe: true}]
`

// scene answers commands, and notes what is done.
type scene struct {
	done  []string
	since time.Time
}

func (s *scene) Run(_ context.Context, args []string) (int, string) {
	line := strings.Join(args, " ")
	if !slices.Contains(s.done, line) {
		s.done = append(s.done, line)
	}
	switch args[0] {
	case "faults":
		if time.Since(s.since) < 10*time.Second {
			return 0, "nothing"
		}
		return 0, "ps-1 is down\nand more\nand more"
	case "health":
		return 0, "up"
	case "return":
		return 6, "it was"
	}
	return 0, "done"
}

func (s *scene) StandIns(_ context.Context, what string, names []string) error {
	s.done, s.since = append(s.done, what+" "+strings.Join(names, " ")), time.Now()
	return nil
}

// TestPlay: what happens is waited for, all is put back in the other order, also where it is broken off.
func TestPlay(t *testing.T) {
	s, err := Parse([]byte(aStory))
	if err != nil {
		t.Fatal(err)
	}
	play := func(t *testing.T, cfg Config) ([]string, string, error) {
		on := &scene{}
		var out bytes.Buffer
		cfg.Stage, cfg.Out, cfg.URL = on, &out, "http://127.0.0.1:1"
		err := Play(t.Context(), s, cfg)
		return on.done, out.String(), err
	}
	synctest.Test(t, func(t *testing.T) {
		done, out, err := play(t, Config{})
		if err != nil {
			t.Fatal(err)
		}
		want := []string{"cut ps-1", "faults", "drain ps-2 --reason two words", "return ps-2", "join ps-1", "health"}
		if !slices.Equal(done, want) {
			t.Errorf("%q", done)
		}
		for _, says := range []string{"1 of 2: the first", "It takes a while", "http://127.0.0.1:1/x",
			`$ cirque drain ps-2 --reason "two words"`, "Now all is put back"} {
			if !strings.Contains(out, says) {
				t.Errorf("it does not say %q:\n%s", says, out)
			}
		}
		// Broken off after the first step, and where something does not happen as it is told.
		done, _, err = play(t, Config{Next: func(context.Context, Step) bool { return false }})
		if want := []string{"cut ps-1", "faults", "join ps-1", "health"}; err != nil || !slices.Equal(done, want) {
			t.Errorf("%q %v", done, err)
		}
		done, _, err = play(t, Config{Longest: 2 * time.Second})
		if err == nil || !strings.Contains(err.Error(), `does not say "down"`) || done[len(done)-1] != "health" {
			t.Errorf("%q %v", done, err)
		}
		ctx, stop := context.WithCancel(t.Context())
		stop()
		on := &scene{}
		if err := Play(ctx, s, Config{Stage: on, Out: &bytes.Buffer{}}); !errors.Is(err, context.Canceled) ||
			on.done[len(on.done)-1] != "health" {
			t.Errorf("%q %v", on.done, err)
		}
	})
}

func TestWrong(t *testing.T) {
	t.Parallel()
	for _, d := range []Deed{{Exit: 8}, {Says: []string{"no"}}, {Not: []string{"yes"}}} {
		if d.Run = []string{"x"}; d.wrong(0, "yes") == nil {
			t.Errorf("%+v is not wrong", d)
		}
	}
	if err := (Deed{Run: []string{"x"}, Exit: 8, Says: []string{"yes"}}).wrong(8, "yes"); err != nil {
		t.Error(err)
	}
	if _, err := Parse([]byte("titel: x")); err == nil {
		t.Error("an unknown key was read")
	}
	if got := shown("a\nb\nc\n", 2); got != "a\nb\n…\n" {
		t.Errorf("%q", got)
	}
}
