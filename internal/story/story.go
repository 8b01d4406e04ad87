// Package story plays a story on a running demo: one thing after another happens, and at each it is said what to look
// at. What is done is put back afterwards, also where the story is broken off, so that it can be played again.
package story

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// A Story is what happens, in order.
type Story struct {
	Title string `yaml:"title"`
	Tells string `yaml:"tells"`
	Steps []Step `yaml:"steps"`
}

// A Step is one thing that happens.
type Step struct {
	Title string `yaml:"title"`
	Tells string `yaml:"tells"`
	Do    []Deed `yaml:"do"`
	Look  []Look `yaml:"look"`
	Back  []Deed `yaml:"back"` // what puts it back, at the end of the story
}

// A Deed is a command of cirque, or something that happens to stand-ins.
type Deed struct {
	Run      []string `yaml:"run"`
	Exit     int      `yaml:"exit"`  // with which code it ends
	Says     []string `yaml:"says"`  // all of which stand in what it prints
	Not      []string `yaml:"not"`   // none of which does
	Maybe    bool     `yaml:"maybe"` // where it is done already, that is well
	Until    bool     `yaml:"until"` // it is asked again until it says so
	Lines    int      `yaml:"lines"` // how many lines of it are shown; all where 0
	Cut      []string `yaml:"cut"`
	Join     []string `yaml:"join"`
	Exchange []string `yaml:"exchange"`
}

// A Look is a page of the console, and what stands there now.
type Look struct {
	Page string `yaml:"page"`
	See  string `yaml:"see"`
	For  string `yaml:"for"`
}

// Parse reads a story.
func Parse(text []byte) (s Story, err error) {
	dec := yaml.NewDecoder(strings.NewReader(string(text)))
	dec.KnownFields(true)
	return s, dec.Decode(&s)
}

// A Stage is the demo on which a story is played.
type Stage interface {
	// Run runs a command of cirque, and gives how it ended and all that it printed.
	Run(ctx context.Context, args []string) (code int, printed string)
	// StandIns cuts, joins or exchanges stand-ins.
	StandIns(ctx context.Context, what string, names []string) error
}

// Config of Play.
type Config struct {
	Stage Stage
	Out   io.Writer
	URL   string // of the console
	// Next is asked after each step, whether to go on; nil always goes on.
	Next func(ctx context.Context, step Step) bool
	// Longest is how long something is waited for; two minutes when zero.
	Longest time.Duration
}

// Play plays a story. The error says what did not happen as it is told; then, and where ctx is done, what was done is
// put back all the same.
func Play(ctx context.Context, s Story, cfg Config) (err error) {
	if cfg.Longest == 0 {
		cfg.Longest = 2 * time.Minute
	}
	p := player{cfg}
	p.say("%s\n\n%s\n", s.Title, fold(s.Tells))
	var owed []Deed
	defer func() {
		if len(owed) == 0 {
			return
		}
		p.say("\nNow all is put back as it was.\n")
		after, stop := context.WithTimeout(context.WithoutCancel(ctx), 2*cfg.Longest)
		defer stop()
		for _, d := range slices.Backward(owed) {
			if wrong := p.do(after, d); wrong != nil && err == nil {
				err = fmt.Errorf("putting it back: %w", wrong)
			}
		}
	}()
	for i, step := range s.Steps {
		p.say("\n%d of %d: %s\n\n%s\n", i+1, len(s.Steps), step.Title, fold(step.Tells))
		for _, d := range slices.Backward(step.Back) {
			owed = append(owed, d)
		}
		for _, d := range step.Do {
			if err := p.do(ctx, d); err != nil {
				return fmt.Errorf("step %d, %s: %w", i+1, step.Title, err)
			}
		}
		p.look(step)
		if cfg.Next != nil && !cfg.Next(ctx, step) {
			return ctx.Err()
		}
	}
	return nil
}

type player struct{ Config }

func (p player) say(format string, a ...any) { fmt.Fprintf(p.Out, format, a...) }

func (p player) look(s Step) {
	if len(s.Look) == 0 {
		return
	}
	p.say("\nLook at:\n")
	for _, l := range s.Look {
		p.say("  %s%s\n      %s\n", p.URL, l.Page, strings.ReplaceAll(fold(l.For), "\n", "\n      "))
	}
}

func (p player) do(ctx context.Context, d Deed) error {
	for what, names := range map[string][]string{"cut": d.Cut, "join": d.Join, "exchange": d.Exchange} {
		if len(names) == 0 {
			continue
		}
		p.say("\n(The stand-ins: %s %s.)\n", what, strings.Join(names, ", "))
		if err := p.Stage.StandIns(ctx, what, names); err != nil {
			return err
		}
	}
	if len(d.Run) == 0 {
		return nil
	}
	p.say("\n$ cirque %s\n", written(d.Run))
	code, printed := p.Stage.Run(ctx, d.Run)
	wrong := d.wrong(code, printed)
	for begun := time.Now(); wrong != nil && d.Until && time.Since(begun) < p.Longest && ctx.Err() == nil; {
		if time.Since(begun) < time.Second {
			p.say("(It takes a while until it says so.)\n")
		}
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
		}
		code, printed = p.Stage.Run(ctx, d.Run)
		wrong = d.wrong(code, printed)
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	p.say("%s", shown(printed, d.Lines))
	if d.Maybe {
		return nil
	}
	return wrong
}

// wrong says how what was printed differs from what is told.
func (d Deed) wrong(code int, printed string) error {
	if code != d.Exit {
		return fmt.Errorf("cirque %s ended with %d, not %d:\n%s", written(d.Run), code, d.Exit, printed)
	}
	for _, s := range d.Says {
		if !strings.Contains(printed, s) {
			return fmt.Errorf("cirque %s does not say %q:\n%s", written(d.Run), s, printed)
		}
	}
	for _, s := range d.Not {
		if strings.Contains(printed, s) {
			return fmt.Errorf("cirque %s says %q:\n%s", written(d.Run), s, printed)
		}
	}
	return nil
}

func shown(printed string, lines int) string {
	all := strings.SplitAfter(printed, "\n")
	if lines == 0 || len(all) <= lines+1 {
		return printed
	}
	return strings.Join(all[:lines], "") + "…\n"
}

// written is a command as one types it.
func written(args []string) string {
	out := make([]string, len(args))
	for i, a := range args {
		if out[i] = a; strings.ContainsAny(a, " {}*") {
			out[i] = fmt.Sprintf("%q", a)
		}
	}
	return strings.Join(out, " ")
}

// fold puts a text of several lines into lines of about 96 letters.
func fold(text string) string {
	var out strings.Builder
	col := 0
	for _, w := range strings.Fields(text) {
		if col > 0 && col+1+len(w) > 96 {
			out.WriteByte('\n')
			col = 0
		}
		if col > 0 {
			out.WriteByte(' ')
			col++
		}
		out.WriteString(w)
		col += len(w)
	}
	return out.String()
}
