package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/fault"
	"cirque/core/instance"
	"cirque/core/span"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// An instanceStep is a step with what came of it.
type instanceStep struct {
	instance.Step
	State string `json:"state"` // would, done or open
	Says  string `json:"detail,omitempty"`
}

// stateText says it for a table: "would add", "added", "open".
func (s instanceStep) stateText() string {
	switch s.State {
	case "would":
		return "would " + string(s.Act)
	case "done":
		return map[instance.Act]string{instance.Add: "added", instance.Change: "changed", instance.Remove: "removed"}[s.Act]
	}
	return s.State
}

func instanceApplyCommand(r *root) *cobra.Command {
	var packages, secrets string
	var dry, yes bool
	c := &cobra.Command{Use: "apply FILE...", Short: "Make a service as a file says, but for the estate",
		Args: cmdline.Args(1, -1),
		Long: `Make a service as files say that cirque instance export wrote, "-" for standard input. A list that
they leave out is left as it is; what a list of theirs lacks is taken out, and --yes says so. Every step
is done as by its own command: tried at once, held against what you may do, in the audit. Doing it again
does what is still open.

Secrets are in no such file. They are asked for, or read from --secrets FILE, which has one a line:
  account liv.orre: "…"
  source head-office: "…"
  credential readers: "…"
  credential root-usm privacy: "…"

Apply the estate first: keys may be for what it names. Who is one person can be said of a directory's
people only once it was read; do it again then.`,
		RunE: func(c *cobra.Command, a []string) error {
			files, err := readFiles(c, a)
			if err != nil {
				return err
			}
			want, err := instance.Parse(files)
			if err != nil {
				return err
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			have, err := gather(c.Context(), client)
			if err != nil {
				return err
			}
			w := &applier{c: c, client: client, have: have, packages: packages}
			if w.secrets, err = secretsFrom(secrets); err != nil {
				return err
			}
			return r.applyInstance(c, w, instance.Plan(have.Document, want), dry, yes)
		}}
	c.Flags().StringVar(&packages, "packages", "", "where the files of driver packages are, as export has written them "+
		"below this `FOLDER`")
	c.Flags().StringVar(&secrets, "secrets", "", "a file with the secrets, one a line: account NAME: \"…\"")
	c.Flags().BoolVar(&dry, "dry-run", false, "only say what would be done")
	c.Flags().BoolVar(&yes, "yes", false, "also where something is taken out")
	return c
}

// applyInstance does the steps and tells what came of each. What fails is left open, and the rest goes on.
func (r *root) applyInstance(c *cobra.Command, w *applier, steps []instance.Step, dry, yes bool) error {
	list := make([]instanceStep, 0, len(steps))
	for _, s := range steps {
		list = append(list, instanceStep{Step: s, State: "would"})
	}
	if dry || len(list) == 0 {
		return r.print(c, list, func(out io.Writer) { writeInstanceSteps(r, out, list) })
	}
	if takes := instance.Takes(steps); len(takes) > 0 {
		var names []string
		for _, s := range takes[:min(10, len(takes))] {
			names = append(names, s.String())
		}
		if more := len(takes) - len(names); more > 0 {
			names = append(names, fmt.Sprintf("%d more", more))
		}
		if err := confirmed(c, yes, "--yes", "this takes out "+strings.Join(names, "; "), "Go on?"); err != nil {
			return err
		}
	}
	for i := range list {
		s := &list[i]
		if r.width > 0 {
			fmt.Fprintf(c.ErrOrStderr(), "\r\x1b[K%d of %d: %s", i+1, len(list), s.Step)
		}
		s.State = "done"
		if err := w.do(c.Context(), s.Step); err != nil {
			if c.Context().Err() != nil {
				return err
			}
			f := fault.As(err)
			s.State, s.Says = "open", f.What
			if f.Fix != "" {
				s.Says += "; " + f.Fix
			}
		}
	}
	if r.width > 0 {
		fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
	}
	if err := r.print(c, list, func(out io.Writer) { writeInstanceSteps(r, out, list) }); err != nil {
		return err
	}
	if open := openSteps(list); len(open) > 0 {
		return fault.New(fault.Conflict, "instance-open", "mend what stands beside them, and apply it again",
			"%s of %d could not be done", words.Count(len(open), "step"), len(list))
	}
	return nil
}

// secretsFrom reads a file of secrets by what they are of.
func secretsFrom(file string) (map[string]string, error) {
	out := map[string]string{}
	if file == "" {
		return out, nil
	}
	b, err := readFile("", file)
	if err != nil {
		return nil, err
	}
	var reader document.Reader
	for _, n := range reader.Read(document.File{Name: file, Text: string(b)}) {
		if o, ok := n.Object(nil); ok {
			for _, k := range o.Keys() {
				out[k] = o.Text(k)
			}
		}
	}
	if first, all := reader.Problems(); all > 0 {
		return nil, fault.New(fault.Invalid, "secrets-invalid", "write one a line, such as account liv.orre: \"…\"",
			"the file of secrets has %s", words.Count(all, "problem")).WithFirst(first, all)
	}
	return out, nil
}

// An applier does steps, each by the call that its own command makes.
type applier struct {
	c        *cobra.Command
	client   *apiclient.Client
	have     gathered
	packages string
	secrets  map[string]string
}

// secret gives a secret: of the file, or asked for at a terminal.
func (w *applier) secret(of string) (string, error) {
	if s := w.secrets[of]; s != "" {
		return s, nil
	}
	if !atTerminal(w.c) {
		return "", fault.New(fault.Invalid, "no-secret", "write "+of+": \"…\" into a file, and name it with --secrets",
			"its secret is not given")
	}
	return readSecret(w.c, "Secret of "+of+": ")
}

func (w *applier) do(ctx context.Context, s instance.Step) error {
	gone := s.Act == instance.Remove
	call := func(method, path string, q url.Values, body any) error {
		return w.client.Do(ctx, method, path, q, body, nil)
	}
	v := s.Want
	if gone {
		v = s.Have
	}
	switch v := v.(type) {
	case instance.Account:
		return w.account(call, s, v)
	case instance.Rule:
		if gone {
			return call("DELETE", apiclient.Path(rulesPath, fmt.Sprint(w.have.rules[v.Title()])), nil, nil)
		}
		return call("POST", rulesPath, nil, api.NewRule{Who: v.Who, Source: v.Source, Role: access.Role(v.Role),
			Sites: v.Sites})
	case instance.Source:
		if gone {
			return call("DELETE", apiclient.Path(sourcesPath, v.Name), nil, nil)
		}
		return w.source(call, s, v)
	case instance.People:
		return people(call, s.Keys, v)
	case instance.Link:
		if s.Act != instance.Add {
			if err := call("DELETE", apiclient.Path(linksPath, fmt.Sprint(w.have.links[v.Title()])), nil, nil); gone ||
				err != nil {
				return err
			}
		}
		return call("POST", linksPath, nil, api.NewLink{A: v.A, B: v.B, Unlinked: v.Unlinked, Reason: v.Reason})
	case instance.Credential:
		if gone {
			return call("DELETE", apiclient.Path("/api/v1/credentials", v.Name), nil, nil)
		}
		return w.credential(call, s, v)
	case instance.Place:
		if gone {
			return call("DELETE", apiclient.Path(placesPath, v.Name), nil, nil)
		}
		return call("PUT", apiclient.Path(placesPath, v.Name), nil, api.NewPlace{URL: v.URL, CA: v.CA,
			AllowClear: v.AllowClear, Note: v.Note})
	case instance.Package:
		return w.pack(ctx, call, s, v)
	case instance.Watch:
		path := "/api/v1/stock/" + string(s.Kind) + "s"
		if gone {
			return call("DELETE", apiclient.Path(path, v.Name), nil, nil)
		}
		return call("POST", path, nil, api.NewWatch{Name: v.Name, Title: v.Title, URI: v.URI, Location: v.Location,
			MAC: v.MAC, AddressKeptBy: v.AddressKeptBy, Credential: v.Credential, Note: v.Note, Anyway: true})
	case instance.Note:
		kind, called, _ := strings.Cut(v.About, ":")
		if gone {
			v.Note = ""
		}
		return call("PUT", notePath([]string{kind, called}), nil, api.WriteNote{Note: v.Note})
	}
	panic(fmt.Sprintf("cli: no step does %T", v))
}

// A calling calls the service without an answer to be read.
type calling func(method, path string, q url.Values, body any) error

func (w *applier) account(call calling, s instance.Step, v instance.Account) error {
	switch s.Act {
	case instance.Remove:
		return call("DELETE", apiclient.Path(accountsPath, v.Name), nil, nil)
	case instance.Change:
		return call("PUT", apiclient.Path(accountsPath, v.Name)+"/role", nil, api.NewRole{Role: access.Role(v.Role),
			Sites: v.Sites})
	}
	password, err := w.secret(s.Secrets[0])
	if err != nil {
		return err
	}
	return call("POST", accountsPath, nil, api.NewAccount{Name: v.Name, Password: password, Role: access.Role(v.Role),
		Sites: v.Sites})
}

func (w *applier) source(call calling, s instance.Step, v instance.Source) error {
	in := api.NewSource{URL: v.URL, StartTLS: v.StartTLS, ListUnder: v.ListUnder, SignIn: v.SignIn, CA: v.CA, Bind: v.Bind,
		Base: v.Base, Preset: v.Preset, RemovalLimit: v.RemovalLimit}
	for text, into := range map[string]*int{v.Every: &in.Every, v.Whole: &in.Whole} {
		if d, err := span.Parse(text); err == nil {
			*into = int(d / time.Second)
		}
	}
	if b, err := json.Marshal(v.Map); err == nil {
		_ = json.Unmarshal(b, &in.Map) // its keys were checked as it was read
	}
	if len(s.Secrets) > 0 {
		password, err := w.secret(s.Secrets[0])
		if err != nil {
			return err
		}
		in.Password = &password
	}
	path := apiclient.Path(sourcesPath, v.Name)
	if err := call("PUT", path, nil, in); err != nil {
		return err
	}
	return call("PUT", path+"/pause", nil, api.Pausing{Paused: v.Paused}) // a new one is paused
}

func people(call calling, keys []instance.Changed, v instance.People) error {
	for _, k := range keys {
		var err error
		switch k.Key {
		case "by_address":
			err = call("PUT", "/api/v1/directory/link-rules/address", nil, api.LinkRule{On: v.ByAddress})
		case "by_employee":
			err = call("PUT", "/api/v1/directory/link-rules/employee", nil, api.LinkRule{On: v.ByEmployee})
		case "primary":
			err = call("PUT", "/api/v1/directory/primary", nil, api.Primary{Source: v.Primary})
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (w *applier) credential(call calling, s instance.Step, v instance.Credential) error {
	in := api.NewCredential{Name: v.Name, Kind: v.Kind, User: v.User, For: v.For, Clear: v.AllowClear}
	for i, into := range []*string{&in.Secret, &in.Privacy}[:len(s.Secrets)] {
		secret, err := w.secret(s.Secrets[i])
		if i > 0 && err != nil { // not every key of its kind has one
			continue
		}
		if err != nil {
			return err
		}
		*into = secret
	}
	if v.Expires != "" {
		at, err := time.Parse(time.RFC3339, v.Expires)
		if err != nil {
			return err
		}
		in.Expires = &at
	}
	return call("POST", "/api/v1/credentials", nil, in)
}

func (w *applier) pack(ctx context.Context, call calling, s instance.Step, v instance.Package) error {
	switch {
	case s.Act == instance.Remove:
		return call("DELETE", apiclient.Path("/api/v1/drivers/packages", v.Digest), nil, nil)
	case w.packages == "":
		return fault.New(fault.Invalid, "package-files", "say where they are with --packages; cirque instance export "+
			"--packages writes them", "its files are not given")
	}
	folder := packageFolder(w.packages, v)
	b, err := packed(w.c, folder)
	if err != nil {
		return err
	}
	resp, err := w.client.Upload(ctx, "/api/v1/drivers/packages", url.Values{"name": {v.Name}, "note": {v.Note}},
		"application/zip", bytes.NewReader(b))
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	var made api.AddedPackage
	if err := json.NewDecoder(resp.Body).Decode(&made); err != nil {
		return err
	}
	if made.Package.Digest != v.Digest {
		return fault.New(fault.Conflict, "package-differs", "look at the folder, and forget the package if it is not meant: "+
			"cirque driver remove "+made.Package.Digest, "the files in %s are another package: they were kept as %s", folder,
			made.Package.Digest)
	}
	return nil
}
