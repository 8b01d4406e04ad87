package test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/testkit"
	"cirque/internal/testkit/guide"
)

// programs builds the programs that guides name, once.
var programs = sync.OnceValues(func() (string, error) {
	dir, err := scratch()
	if err != nil {
		return "", err
	}
	cmd := exec.Command("go", "build", "-o", dir+"/", "./cmd/cirque", "./cmd/cirque-agent", "./cmd/cirque-sim")
	cmd.Dir = ".."
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("%w\n%s", err, out)
	}
	return dir, nil
})

// TestGuides does what each guide tells its reader to do, in order, with the programs themselves: on a demo of its own,
// or where the guide begins with nothing on nothing. CIRQUE_GUIDES=write puts what is printed in
// place of what is shown where the two differ; a single "?" differs from everything.
func TestGuides(t *testing.T) {
	t.Parallel()
	files, err := filepath.Glob("../docs/guide/*.md")
	if err != nil || len(files) == 0 {
		t.Fatal(files, err)
	}
	for _, file := range files {
		name := strings.TrimSuffix(filepath.Base(file), ".md")
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			steps, err := guide.Parse(string(text))
			if err != nil {
				t.Fatal(file, err)
			}
			r := newReader(t, file, string(text))
			if name != "first-steps" {
				r.demo(slices.Contains([]string{"access", "operating", "security", "service"}, name))
			}
			for _, s := range steps {
				r.do(s)
			}
			r.write()
		})
	}
}

// A reader follows a guide in a folder of their own.
type reader struct {
	t            *testing.T
	file, text   string
	dir          string
	url          string // of the service; empty until it is there
	password     string
	env          []string
	running      []*exec.Cmd
	replacements []string // what stands in the guide, and what it is here
	written      []func(lines []string) []string
}

const guideService = "https://127.0.0.1:8631"

func newReader(t *testing.T, file, text string) *reader {
	t.Helper()
	bin, err := programs()
	if err != nil {
		t.Fatal(err)
	}
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	r := &reader{t: t, file: file, text: text, dir: dir, password: "the boat leaves at seven"}
	r.env = []string{"PATH=" + bin + ":" + os.Getenv("PATH"), "HOME=" + dir, "CIRQUE_CONFIG_DIR=" + dir + "/kept",
		"TZ=Europe/Oslo", "LANG=C.UTF-8", "LDAPTLS_CACERT=" + dir + "/directory-ca.pem"}
	r.replacements = []string{"/var/lib/cirque", filepath.Join(dir, "state")}
	t.Cleanup(r.end)
	return r
}

// demo starts Skerry Line for the guide, over TLS, as make demo does beside plain HTTP; with a database of its own
// where the guide looks beside the data.
func (r *reader) demo(own bool) {
	r.t.Helper()
	o := app.Options{Data: filepath.Join(r.dir, "state"), Listen: "127.0.0.1:0", Throwaway: true, Health: true}
	if !own {
		o.Database = testkit.Database(r.t)
	}
	d, err := app.StartDemo(r.t.Context(), o)
	if err != nil {
		r.t.Fatal(err)
	}
	r.t.Cleanup(func() {
		if err := d.Stop(); err != nil {
			r.t.Error(err)
		}
	})
	r.at(d.URL)
	// What asks the directory server with its own tools finds it where the service is led to.
	r.replacements = append(r.replacements, "-H ldaps://directory.skerry.example", "-H ldaps://"+d.Directory.Secure)
	r.password = d.Password
	r.env = append(r.env, "CIRQUE_URL="+d.URL, "CIRQUE_TOKEN="+d.Token, "CIRQUE_CA="+d.CAFile)
	r.save("word", d.Password+"\n")
	ca, err := os.ReadFile(d.Directory.CAFile())
	if err != nil {
		r.t.Fatal(err)
	}
	r.save("directory-ca.pem", string(ca))
	c, err := apiclient.New(d.URL, d.Token, mustRead(r.t, d.CAFile))
	if err != nil {
		r.t.Fatal(err)
	}
	r.settled(c)
}

// settled waits until the agents have reported, and all that answers has been probed and read.
func (r *reader) settled(c *apiclient.Client) {
	r.t.Helper()
	has := func(path, count string, most int) bool {
		list, err := apiclient.List[json.RawMessage](r.t.Context(), c, path, nil)
		n := 0
		for _, v := range list {
			if strings.Contains(string(v), count) {
				n++
			}
		}
		return err == nil && n >= most
	}
	within(r.t, "the demo has settled", func() bool {
		return has("/api/v1/endpoints", `"machine"`, 4) && has("/api/v1/health", `"verdict":"up"`, 21) &&
			has("/api/v1/stock/servers", `"ok":true`, 5) && has("/api/v1/stock/devices", `"ok":true`, 26)
	})
}

func mustRead(t *testing.T, file string) []byte {
	t.Helper()
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// at says where the service is that the guide speaks of.
func (r *reader) at(where string) {
	r.url = where
	r.replacements = append([]string{guideService, where, "https://cirque.example:8631", where}, r.replacements...)
}

func (r *reader) save(name, text string) {
	r.t.Helper()
	if err := os.WriteFile(filepath.Join(r.dir, name), []byte(text), 0o600); err != nil {
		r.t.Fatal(err)
	}
}

// here turns what the guide says into what it is here, and there back again.
func (r *reader) here(text string) string {
	return strings.NewReplacer(r.replacements...).Replace(text)
}

func (r *reader) there(text string) string {
	var back []string
	for i := 0; i < len(r.replacements); i += 2 { // of several that are one here the first
		back = append(back, r.replacements[i+1], r.replacements[i])
	}
	return strings.ReplaceAll(strings.NewReplacer(back...).Replace(text), r.dir, "~")
}

func (r *reader) do(s guide.Step) {
	r.t.Helper()
	switch {
	case s.ByHand != "":
		r.byHand(s)
	case s.File != "":
		r.save(s.File, s.Text)
	case s.Go:
		r.compile(s)
	case s.Text != "":
		r.part(s)
	default:
		r.command(s)
	}
}

// part holds a piece of an estate to what is published.
func (r *reader) part(s guide.Step) {
	r.t.Helper()
	text := s.Text
	if !strings.Contains(text, "estate: 1") {
		text = "estate: 1\n" + text
	}
	r.save("part.yaml", text)
	printed, code := r.shell("cirque estate check --merge part.yaml")
	if code != 0 {
		r.t.Errorf("%s:%d: a part of an estate is refused:\n%s", r.file, s.Line, printed)
	}
}

// compile builds what a guide shows of the package client.
func (r *reader) compile(s guide.Step) {
	r.t.Helper()
	r.save("shown.go", "package shown\n\nimport (\n\"context\"\n\n\"cirque/client\"\n)\n\nfunc _(ctx context.Context, token, "+
		"user, machine string) {\n"+s.Text+"_, _ = l, err\n}\n")
	root, err := filepath.Abs("..")
	if err != nil {
		r.t.Fatal(err)
	}
	overlay, err := json.Marshal(map[string]any{"Replace": map[string]string{
		filepath.Join(root, "test", "shown", "shown.go"): filepath.Join(r.dir, "shown.go")}})
	if err != nil {
		r.t.Fatal(err)
	}
	r.save("overlay.json", string(overlay))
	cmd := exec.Command("go", "build", "-overlay", filepath.Join(r.dir, "overlay.json"), "./test/shown")
	cmd.Dir = root
	if out, err := cmd.CombinedOutput(); err != nil {
		r.t.Errorf("%s:%d: %v\n%s", r.file, s.Line, err, out)
	}
}

// stays are programs that run until they are stopped.
var stays = regexp.MustCompile(`^cirque (serve|demo) |^cirque-agent run |^cirque-sim `)

func (r *reader) command(s guide.Step) {
	r.t.Helper()
	printed, code := "", 0
	switch {
	case stays.MatchString(s.Command):
		printed = r.start(s)
	case strings.Contains(s.Command, "after a moment"):
		try := func() bool {
			printed, code = r.shell(s.Command)
			return code == s.Exit && guide.Compare(s.Shown, r.there(printed)) == ""
		}
		for deadline := time.Now().Add(30 * time.Second); !try() && time.Now().Before(deadline); {
			time.Sleep(100 * time.Millisecond) // as a person looks again
		}
	default:
		printed, code = r.shell(s.Command)
	}
	printed = r.there(printed)
	if code != s.Exit {
		r.t.Errorf("%s:%d: %s\nends with %d, not %d:\n%s", r.file, s.Line, s.Command, code, s.Exit, printed)
	}
	differs := guide.Compare(s.Shown, printed)
	if differs != "" && os.Getenv("CIRQUE_GUIDES") == "write" {
		r.written = append(r.written, func(lines []string) []string {
			return slices.Replace(lines, s.From, s.To, guide.Shown(printed)...)
		})
		return
	}
	if differs != "" {
		r.t.Errorf("%s:%d: %s\n%s; whole:\n%s", r.file, s.Line, s.Command, differs, printed)
	}
}

// shell runs a command with the person's password to be read, and gives what it prints.
func (r *reader) shell(command string) (printed string, code int) {
	r.t.Helper()
	ctx, cancel := context.WithTimeout(r.t.Context(), 2*time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, "bash", "-c", r.here(command))
	cmd.Dir, cmd.Env = r.dir, r.env
	cmd.Stdin = strings.NewReader(strings.Repeat(r.password+"\n", 3))
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	err := cmd.Run()
	if exit := (*exec.ExitError)(nil); err != nil && !errors.As(err, &exit) {
		r.t.Fatal(command, err)
	}
	return out.String(), cmd.ProcessState.ExitCode()
}

// start runs what stays, and gives what it printed once that is what the guide shows, or nothing more comes.
func (r *reader) start(s guide.Step) string {
	r.t.Helper()
	command := r.here(s.Command)
	if strings.HasPrefix(command, "cirque serve ") {
		command += " --listen 127.0.0.1:0"
	}
	out, err := os.CreateTemp(r.dir, "printed-")
	if err != nil {
		r.t.Fatal(err)
	}
	defer func() { _ = out.Close() }()
	cmd := exec.Command("bash", "-c", "exec "+command)
	cmd.Dir, cmd.Env, cmd.Stdout, cmd.Stderr = r.dir, r.env, out, out
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		r.t.Fatal(err)
	}
	r.running = append(r.running, cmd)
	read := func() string { return string(mustRead(r.t, out.Name())) }
	within(r.t, s.Command+" says that it runs", func() bool {
		text := read()
		if m := regexp.MustCompile(`ready at (https?://\S+)`).FindStringSubmatch(text); m != nil && r.url == "" {
			r.at(m[1])
		}
		return guide.Compare(s.Shown, r.there(text)) == "" || slices.Equal(s.Shown, []string{"?"}) && text != ""
	})
	return read()
}

func (r *reader) end() {
	for _, cmd := range r.running {
		_ = cmd.Process.Signal(syscall.SIGTERM)
		if err := cmd.Wait(); err != nil {
			r.t.Errorf("%v: %v", cmd.Args, err)
		}
	}
}

// byHand does what a guide has its reader do elsewhere than in a shell.
func (r *reader) byHand(s guide.Step) {
	r.t.Helper()
	switch s.ByHand {
	case "the console makes the first account":
		c, err := apiclient.New(r.url, "", mustRead(r.t, filepath.Join(r.dir, "state", "ca", "ca.pem")))
		if err != nil {
			r.t.Fatal(err)
		}
		code := strings.TrimSpace(string(mustRead(r.t, filepath.Join(r.dir, "state", "setup-code"))))
		if _, err := apiclient.Post[api.Me](r.t.Context(), c, "/api/v1/set-up", api.SetUp{Code: code, Name: "yngve.kvam",
			Password: r.password}); err != nil {
			r.t.Fatal(err)
		}
	default:
		r.t.Errorf("%s:%d: nobody knows how to do this by hand: %s", r.file, s.Line, s.ByHand)
	}
}

// write puts what was printed in place of what the guide has left open.
func (r *reader) write() {
	if len(r.written) == 0 {
		return
	}
	lines := strings.Split(r.text, "\n")
	for _, f := range slices.Backward(r.written) {
		lines = f(lines)
	}
	if err := os.WriteFile(r.file, []byte(strings.Join(lines, "\n")), 0o644); err != nil {
		r.t.Fatal(err)
	}
}
