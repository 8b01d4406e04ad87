package test

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"cirque/internal/cli"
	"cirque/internal/cmdline"
	"cirque/internal/testkit"
)

// notHere are the commands that serve, that ask a person, or that would connect to the names in their examples.
var notHere = map[string]bool{"cirque serve": true, "cirque demo": true, "cirque sign-in": true,
	"cirque directory source add": true, "cirque server add": true, "cirque device add": true, "cirque account reset": true,
	"cirque demo story": true, "cirque secret-key list": true, "cirque secret-key prepare": true, "cirque secret-key " +
		"rotate": true,
	"cirque secret-key forget": true, "cirque authority list": true, "cirque authority prepare": true,
	"cirque authority switch": true, "cirque authority forget": true, "cirque account emergency": true,
	"cirque backup": true, "cirque backup-key": true, "cirque restore": true}

// leaves calls f for each command that does something itself.
func leaves(c *cobra.Command, f func(c *cobra.Command)) {
	if c.Runnable() {
		f(c)
	}
	for _, sub := range c.Commands() {
		if !sub.Hidden && sub.Name() != "completion" && sub.Name() != "help" {
			leaves(sub, f)
		}
	}
}

// TestEveryCommandSpeaksToPrograms: with -o json and -o yaml every command answers one value, or fails with one object
// that says what, and with which exit code.
func TestEveryCommandSpeaksToPrograms(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	ran := 0
	leaves(cli.Command(), func(c *cobra.Command) {
		if notHere[c.CommandPath()] {
			return
		}
		line, _, _ := strings.Cut(strings.TrimSpace(c.Example), "\n")
		line, _, _ = strings.Cut(line, " > ")
		line, _, _ = strings.Cut(line, " < ")
		for _, form := range []string{cmdline.JSON, cmdline.YAML} {
			ran++
			code, out, errs := s.runWith("correct horse battery\n", append(testkit.ShellWords(line)[1:], "-o", form)...)
			if code == 0 || code == cmdline.ExitNo {
				if err := readable(form, out); err != nil {
					t.Errorf("%s -o %s: %v\n%s", line, form, err, out)
				}
				continue
			}
			at := max(0, strings.Index(errs, map[string]string{cmdline.JSON: "{", cmdline.YAML: "detail:"}[form]))
			var f cmdline.Failure
			text := errs[at:]
			if form == cmdline.YAML {
				var v any
				if err := yaml.Unmarshal([]byte(text), &v); err == nil {
					b, _ := json.Marshal(v)
					text = string(b)
				}
			}
			if err := json.Unmarshal([]byte(text), &f); err != nil || f.Exit != code || f.Code == "" || f.Detail == "" {
				t.Errorf("%s -o %s: exit %d, %v\n%s", line, form, code, err, errs)
			}
			if f.Code == "usage" || f.Code == "request-invalid" || f.Code == "parameter-unknown" {
				t.Errorf("%s: the example is wrong: %s", line, f.Detail)
			}
			if out != "" && code != cmdline.ExitConflict && code != cmdline.ExitUnavailable { // a pass that is held is told, too
				t.Errorf("%s -o %s: exit %d, and yet an answer\n%s", line, form, code, out)
			}
		}
	})
	if ran < 250 {
		t.Errorf("only %d calls were made", ran)
	}
}

func readable(form, out string) error {
	var v any
	if form == cmdline.YAML {
		if err := yaml.Unmarshal([]byte(out), &v); err != nil {
			return err
		}
	} else if err := json.Unmarshal([]byte(out), &v); err != nil {
		return err
	}
	switch v.(type) {
	case map[string]any, []any:
		return nil
	}
	return fmt.Errorf("%T is neither an object nor a list", v)
}

// TestCompleted: shells are given names from the service, values of flags, and files where files are wanted.
func TestCompleted(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	for line, want := range map[string]string{
		"why ha":                       "hall\tHall",
		"why --user mi":                "mira",
		"reach ":                       "g",
		"queue list --location ard/ha": "ard/hall",
		"lineup --platform windows/":   "windows/x64",
		"history -o y":                 "yaml",
		"endpoint list --state con":    "converged",
		"draft remove que":             "queue",
		"draft remove queue ha":        "hall",
		"revert ":                      "1\ttest",
		"token create --role help":     "help-desk",
		"faults --about ser":           "servers",
		"server l":                     "list\t",
		"estate apply ":                ":0",
		"health ser":                   "server",
		"directory link-by ":           "address",
		"endpoint print-result 1 ":     "garbled",
	} {
		args := strings.Split(line, " ")
		_, out, errs := s.run(append([]string{"__complete"}, args...)...)
		if !strings.Contains(out, want) {
			t.Errorf("%q: no %q in\n%s%s", line, want, out, errs)
		}
	}
	// Where the service is away a shell waits for nothing, and is given nothing.
	if _, out, _ := s.run("__complete", "why", "--url", "http://127.0.0.1:1", "ha"); strings.Contains(out, "hall") {
		t.Error(out)
	}
}

// TestStandardInput: wherever a file is taken, - is standard input.
func TestStandardInput(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	more := "estate: 1\nqueues: [{name: yard, location: ard/yard, devices: [p], paths: [{device: p}]}]\n"
	for line, in := range map[string]string{
		"estate check - --merge":                      more,
		"rehearse - --merge":                          more,
		"estate apply - --merge --dry-run":            more,
		"queue apply-table - --dry-run":               "name,title\nhall,The hall\n",
		"directory import - --dry-run":                twoPeople,
		"device reservations import - --dry-run":      "address,mac\n192.0.2.1,02:00:5e:10:00:01\n",
		"token list --token-file -":                   s.token + "\n",
		"estate apply - --merge --publish -m x --utc": more,
	} {
		if code, out, errs := s.runWith(in, strings.Fields(line)...); code != 0 {
			t.Errorf("%s: %d %s%s", line, code, out, errs)
		}
	}
	if code, _, errs := s.run("driver", "add", "-", "--name", "x"); code != cmdline.ExitInvalid {
		t.Error(code, errs)
	}
	name := t.TempDir() + "/nothing.yaml"
	if code, _, errs := s.run("estate", "check", name); code != cmdline.ExitInvalid || !strings.Contains(errs, name) ||
		!strings.Contains(errs, "no such file") {
		t.Error(code, errs)
	}
	if err := os.WriteFile(name, []byte("{"), 0o600); err != nil {
		t.Fatal(err)
	}
	if code, _, errs := s.run("estate", "check", name, "-o", "json"); code != cmdline.ExitInvalid ||
		!strings.Contains(errs, `"exit": 3`) {
		t.Error(code, errs)
	}
}
