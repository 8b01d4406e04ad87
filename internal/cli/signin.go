package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
	"cirque/internal/whole"
)

// keptSignIn is one service that cirque sign-in keeps.
type keptSignIn struct {
	URL   string `json:"url"`
	Token string `json:"token"`
	CA    string `json:"ca,omitempty"`
	Made  string `json:"made,omitempty"` // the token's name, where signing in made it
}

// keptSignIns are all of them; the first is the current one. The file of the version before held one alone.
type keptSignIns struct {
	Services []keptSignIn `json:"services"`
	keptSignIn
}

func (r *root) keptFile() string {
	dir := r.env("CIRQUE_CONFIG_DIR")
	if dir == "" {
		dir = filepath.Join(r.home, "cirque")
	}
	return filepath.Join(dir, "sign-in.json")
}

// kept gives the services that are kept, the current one first.
func (r *root) kept() []keptSignIn {
	var k keptSignIns
	if b, err := os.ReadFile(r.keptFile()); err == nil {
		_ = json.Unmarshal(b, &k) // a broken file keeps nothing
	}
	if len(k.Services) == 0 && k.URL != "" {
		return []keptSignIn{k.keptSignIn}
	}
	return k.Services
}

// keptAt gives what is kept of a service, or of the current one where url is "".
func keptAt(list []keptSignIn, url string) (keptSignIn, bool) {
	if url == "" && len(list) > 0 {
		return list[0], true
	}
	i := slices.IndexFunc(list, func(k keptSignIn) bool { return k.URL == strings.TrimSuffix(url, "/") || k.URL == url })
	if i < 0 {
		return keptSignIn{}, false
	}
	return list[i], true
}

// keep writes the services that are kept; none takes the file away.
func keep(file string, list []keptSignIn) error {
	if len(list) == 0 {
		if err := os.Remove(file); err != nil && !os.IsNotExist(err) {
			return err
		}
		return nil
	}
	b, err := json.Marshal(keptSignIns{Services: list})
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	return whole.Write(file, b, 0o600)
}

// inFront puts a service in front of others, and out of its former place.
func inFront(list []keptSignIn, k keptSignIn) []keptSignIn {
	return append([]keptSignIn{k}, slices.DeleteFunc(slices.Clone(list),
		func(o keptSignIn) bool { return o.URL == k.URL })...)
}

func signInCommand(r *root) *cobra.Command {
	var name string
	var again bool
	c := &cobra.Command{Use: "sign-in URL", Short: "Keep a service's address and a token for later calls",
		Args: cmdline.Args(1, 1),
		Long: `Keep a service's address and a token for later calls, in the user's configuration directory,
readable by its owner only. Several services are kept; the one of the last sign-in is asked where --url
names no other. --kept goes back to one that is kept already.

With --name the password is asked for, then a one-time code where the account has them, and a token
is made; else the token is read from
--token-file, CIRQUE_TOKEN or standard input.`,
		Example: "  cirque sign-in https://cirque.skerry.example --name mira.solvang\n  cirque sign-in " +
			"https://cirque.skerry" +
			".example --kept",
		RunE: func(c *cobra.Command, a []string) error {
			if again {
				k, ok := keptAt(r.kept(), a[0])
				if !ok {
					return fault.New(fault.Unknown, "service-not-kept", "see cirque whoami for those that are",
						"no sign-in at %s is kept", a[0])
				}
				if err := keep(r.keptFile(), inFront(r.kept(), k)); err != nil {
					return err
				}
				return r.say(c, a, "%s is asked from now on.", k.URL)
			}
			return signIn(r, c, a[0], name)
		}}
	c.Flags().StringVar(&name, "name", "", "sign in with this account and make a token for it")
	c.Flags().BoolVar(&again, "kept", false, "ask this service from now on, as it is kept")
	return c
}

func signIn(r *root, c *cobra.Command, url, name string) error {
	var pem []byte
	caFile := first(r.ca, r.env("CIRQUE_CA"))
	if caFile != "" {
		var err error
		if pem, err = os.ReadFile(caFile); err != nil {
			return fault.New(fault.Invalid, "ca-file", "name a readable file", "the authority %s cannot be read: %s",
				caFile, cmdline.ReasonOf(err))
		}
		if caFile, err = filepath.Abs(caFile); err != nil {
			return err
		}
	}
	kept := keptSignIn{URL: url, CA: caFile}
	var err error
	if name != "" {
		kept.Token, kept.Made, err = r.tokenByPassword(c, url, name, pem)
	} else {
		kept.Token, err = r.givenToken(c)
	}
	if err != nil {
		return err
	}
	client, err := apiclient.New(url, kept.Token, pem)
	if err != nil {
		return err
	}
	me, err := apiclient.Get[api.Me](c.Context(), client, "/api/v1/session", nil)
	if err != nil {
		return err
	}
	if err := keep(r.keptFile(), inFront(r.kept(), kept)); err != nil {
		return err
	}
	return r.say(c, []string{url}, "Signed in at %s as %s (%s).", url, me.Name, me.Role)
}

// whoIs is what cirque whoami answers.
type whoIs struct {
	Service string   `json:"service"`
	Name    string   `json:"name"`
	Role    string   `json:"role"`
	User    string   `json:"user,omitempty"`
	Version string   `json:"version"`
	By      string   `json:"by"` // what said which service, and who
	Kept    []string `json:"kept"`
}

func whoamiCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "whoami", Short: "Which service is asked, as whom, and which others are kept",
		Args: cmdline.Args(0, 0), Example: "  cirque whoami\n  cirque whoami --url https://cirque.skerry.example",
		RunE: func(c *cobra.Command, _ []string) error {
			out := whoIs{Kept: []string{}, By: "the sign-in that is kept"}
			for _, k := range r.kept() {
				out.Kept = append(out.Kept, k.URL)
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			out.Service = client.URL()
			switch {
			case r.url != "":
				out.By = "--url"
			case r.env("CIRQUE_URL") != "":
				out.By = "CIRQUE_URL"
			}
			switch {
			case r.token != "":
				out.By += ", with the token of --token-file"
			case r.env("CIRQUE_TOKEN") != "":
				out.By += ", with the token of CIRQUE_TOKEN"
			}
			me, err := apiclient.Get[api.Me](c.Context(), client, "/api/v1/session", nil)
			if err != nil {
				return err
			}
			out.Name, out.Role, out.User, out.Version = me.Name, string(me.Role), me.User, me.Version
			return r.print(c, out, func(w io.Writer) {
				who := "nobody: it takes no token of yours"
				if me.SignedIn {
					who = out.Name + " (" + out.Role + ")"
					if out.User != "" && out.User != out.Name {
						who += ", the person " + out.User
					}
				}
				fmt.Fprintf(w, "%s, version %s, asked as %s.\nSaid by %s.\n", out.Service, out.Version, who, out.By)
				for i, url := range out.Kept {
					note := ""
					if i == 0 {
						note = ", asked where nothing else is said"
					}
					fmt.Fprintf(w, "Kept: %s%s.\n", url, note)
				}
			})
		}}
}

func signOutCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "sign-out [URL]", Short: "Forget a service that is kept, and revoke the token made for it",
		Args: cmdline.Args(0, 1), Example: "  cirque sign-out\n  cirque sign-out https://cirque.skerry.example",
		Long: `Forget the service that is asked at present, or the one named, with its token. A token that signing in
made is revoked; one that was given lives on wherever else it is kept.`,
		RunE: func(c *cobra.Command, a []string) error {
			url := ""
			if len(a) == 1 {
				url = a[0]
			}
			k, ok := keptAt(r.kept(), url)
			if !ok {
				return fault.New(fault.Unknown, "service-not-kept", "see cirque whoami", "no sign-in is kept%s",
					map[bool]string{true: " at " + url}[url != ""])
			}
			revoked := ""
			if k.Made != "" {
				revoked = "; its token is revoked"
				var pem []byte
				if k.CA != "" {
					pem, _ = os.ReadFile(k.CA) // without it the service is not trusted, which is said
				}
				client, err := apiclient.New(k.URL, k.Token, pem)
				if err == nil {
					err = client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/tokens", k.Made), nil, nil, nil)
				}
				if err != nil {
					revoked = fmt.Sprintf("; its token %q could not be revoked: %s", k.Made, fault.As(err).What)
				}
			}
			list := slices.DeleteFunc(r.kept(), func(o keptSignIn) bool { return o.URL == k.URL })
			if err := keep(r.keptFile(), list); err != nil {
				return err
			}
			says := fmt.Sprintf("Signed out of %s%s.", k.URL, revoked)
			if len(list) > 0 {
				says += "\n" + list[0].URL + " is asked from now on."
			}
			return r.say(c, []string{k.URL}, "%s", says)
		}}
}
