// Package guide reads guides in Markdown as what they tell a reader to do: commands with what they print, and files to
// save, so that a test can do it.
package guide

import (
	"fmt"
	"regexp"
	"strings"
)

// A Step is one thing that a guide tells to do, and the line on which it begins, counted from 1.
//
// Commands stand in blocks of the language console: lines from "$ " on, continued by a backslash at the end or, for
// what stands between <<'END' and END, up to END; then the lines that it prints, if they are shown at all. A comment
// "# exit code N" says how it ends. A block of the language yaml is a file: saved where a name follows the language,
// and else a part of an estate. One of the language go is the body of a function. A comment
// "<!-- by hand: WHAT -->" stands for what a person does elsewhere.
type Step struct {
	Line    int
	Command string
	Exit    int
	Shown   []string // what it prints; nil when nothing is shown
	File    string   // the name of a file to save
	Text    string   // of the file, of a part of an estate, or of Go
	Go      bool
	ByHand  string
	// From and To are the lines of Shown, From counted from 0 and To beyond the last.
	From, To int
}

var (
	exitIn   = regexp.MustCompile(`#.*exit code (\d+)`)
	byHandIn = regexp.MustCompile(`^<!-- by hand: (.+) -->$`)
	hereIn   = regexp.MustCompile(`<<'?([A-Z]+)'?$`)
	strayIn  = regexp.MustCompile(`^\s*(\$ )?(bin/)?cirque(-agent|-sim)? `)
)

// Parse reads a guide. It is an error where a command stands in a block that nobody runs.
func Parse(text string) (out []Step, err error) {
	lines := strings.Split(text, "\n")
	for i := 0; i < len(lines); i++ {
		if m := byHandIn.FindStringSubmatch(lines[i]); m != nil {
			out = append(out, Step{Line: i + 1, ByHand: m[1]})
		}
		language, fenced := strings.CutPrefix(lines[i], "```")
		if !fenced {
			if strings.HasPrefix(lines[i], "    ") && strayIn.MatchString(lines[i]) {
				return nil, fmt.Errorf("line %d: a command stands in a block that is not run", i+1)
			}
			continue
		}
		begin := i + 1
		for i = begin; i < len(lines) && lines[i] != "```"; i++ {
		}
		if i == len(lines) {
			return nil, fmt.Errorf("line %d: the block has no end", begin)
		}
		body := lines[begin:i]
		language, file, _ := strings.Cut(language, " ")
		switch language {
		case "console":
			steps, err := console(body, begin)
			if err != nil {
				return nil, err
			}
			out = append(out, steps...)
		case "yaml":
			out = append(out, Step{Line: begin + 1, File: file, Text: strings.Join(body, "\n") + "\n"})
		case "go":
			out = append(out, Step{Line: begin + 1, Go: true, Text: strings.Join(body, "\n") + "\n"})
		default:
			for k, line := range body {
				if language != "text" && strayIn.MatchString(line) {
					return nil, fmt.Errorf("line %d: a command stands in a block that is not run", begin+k+1)
				}
			}
		}
	}
	return out, nil
}

// console reads the lines of a block, the first of which has the index at.
func console(lines []string, at int) (out []Step, err error) {
	for i := 0; i < len(lines); i++ {
		command, ok := strings.CutPrefix(lines[i], "$ ")
		if !ok {
			return nil, fmt.Errorf("line %d: a block of the console begins with a command, after \"$ \"", at+i+1)
		}
		s := Step{Line: at + i + 1}
		for strings.HasSuffix(command, `\`) && i+1 < len(lines) {
			i++
			command = strings.TrimSuffix(command, `\`) + strings.TrimSpace(lines[i])
		}
		if m := hereIn.FindStringSubmatch(command); m != nil {
			for end := false; !end && i+1 < len(lines); {
				i++
				command += "\n" + lines[i]
				end = lines[i] == m[1]
			}
		}
		s.Command = command
		if m := exitIn.FindStringSubmatch(command); m != nil {
			_, _ = fmt.Sscan(m[1], &s.Exit) // it is a number
		}
		s.From = at + i + 1
		for i+1 < len(lines) && !strings.HasPrefix(lines[i+1], "$ ") {
			i++
			s.Shown = append(s.Shown, lines[i])
		}
		s.To = at + i + 1
		out = append(out, s)
	}
	return out, nil
}
