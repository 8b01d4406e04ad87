package cli

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/core/update"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
	"cirque/internal/whole"
)

// A handout is what device management needs to put the agent onto machines of one system.
type handout struct {
	For      string    `json:"for"`
	Service  string    `json:"service"`
	Package  string    `json:"package"` // as it is called in what was handed out
	Install  string    `json:"install"`
	Detect   string    `json:"detect"`
	Remove   string    `json:"remove"`
	Until    time.Time `json:"until"`
	Uses     int       `json:"uses"`
	Written  string    `json:"written"`
	Complete bool      `json:"complete"`
	Consent  bool      `json:"consent"` // asked for on the machine before anything is changed
}

// A platform says how the agent is put onto machines of one system. {P} stands for the package's file, {V} for its
// version.
type platform struct {
	name, pattern, beside         string // beside is where agent.yaml goes, where not beside the package
	install, detect, remove, note string
}

var handoutPlatforms = []platform{
	{name: "windows", pattern: "cirque-agent-*-x64.msi",
		install: `msiexec /i {P} /qn /norestart SETUPFILE=agent.yaml`,
		detect:  `registry HKLM\SOFTWARE\Cirque\Agent, value Version, is {V}`,
		remove:  `msiexec /x {P} /qn /norestart`,
		note: "SETUPFILE is looked for beside the package. Queues that the agent installed stay when it is removed; to " +
			"take them away first: \"C:\\Program Files\\Cirque\\Agent\\cirque-agent.exe\" clear --yes"},
	{name: "linux", pattern: "cirque-agent_*_amd64.deb", beside: "/etc/cirque-agent/agent.yaml",
		install: "install -D -m 600 agent.yaml /etc/cirque-agent/agent.yaml && apt-get install -y ./{P}",
		detect:  "dpkg-query -W -f '${Version}' cirque-agent   prints {V}",
		remove:  "apt-get purge -y cirque-agent",
		note: "On systems of .rpm: rpm -U with the .rpm of the same name. Queues that the agent installed stay when it is " +
			"removed; to take them away first: cirque-agent clear --yes"},
	{name: "macos", pattern: "cirque-agent-*-macos-*.tar.gz",
		install: "tar xzf {P} --strip-components 1 && sh ./install.sh   (as root, with agent.yaml beside)",
		detect:  "/usr/local/bin/cirque-agent version   prints {V}",
		remove:  "sh ./remove.sh --queues   (as root)",
		note:    "agent.yaml is taken from beside install.sh."},
}

func platformNames() (names []string) {
	for _, p := range handoutPlatforms {
		names = append(names, p.name)
	}
	return names
}

func enrolPackageCommand(r *root) *cobra.Command {
	var system, from, out string
	var asks bool
	want := api.NewEnrolToken{}
	expires := cmdline.Moment{Ahead: true}
	c := &cobra.Command{Use: "package --for SYSTEM [--from DIR] [--site S] [--uses N] --to FILE",
		Short: "Hand out what device management needs to put the agent onto machines", Args: cmdline.Args(0, 0),
		Long: `Hand out what device management needs to put the agent onto machines of one system (windows, linux,
macos): in one archive the package, a set-up file with the service's address and a token that ends,
and as text the command that installs it unattended, the rule by which it is found, and the command
that removes it. The token says by which authority the service is known. It stands in the set-up
file alone, never on a command line, where others and logs see it.

The package is the latest that the service hands out (cirque endpoint package add), or one of the
folder that make packages left (--from). Where there is none, the archive has all but the package, and
says which to put beside.`,
		RunE: func(c *cobra.Command, _ []string) error {
			i := slices.IndexFunc(handoutPlatforms, func(p platform) bool { return p.name == system })
			if i < 0 {
				return usagef("--for is one of %s, and not %q", strings.Join(platformNames(), ", "), system)
			}
			p := handoutPlatforms[i]
			pack := packageFile{}
			if from != "" {
				file, err := p.find(from)
				if err != nil {
					return err
				}
				if pack.data, err = readFile("package", file); err != nil {
					return err
				}
				pack.name = filepath.Base(file)
			}
			if _, err := os.Stat(out); err == nil {
				return fault.New(fault.Conflict, "file-exists", "name another, or remove it: it may hold a token that is in use",
					"%s is there already", out)
			}
			if info, err := os.Stat(filepath.Dir(out)); err != nil || !info.IsDir() {
				return fault.New(fault.Invalid, "folder-missing", "make it, or name another", "there is no folder %s",
					filepath.Dir(out))
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			if from == "" {
				if pack, err = p.handed(c.Context(), client); err != nil {
					return err
				}
			}
			want.Expires = r.timeOf(&expires)
			want.Name = fmt.Sprintf("%s %s %s", cmp.Or(want.Site, "any site"), system, r.now().UTC().Format(time.DateTime))
			made, err := apiclient.Post[api.MadeEnrolToken](c.Context(), client, enrolTokensPath, want)
			if err != nil {
				return err
			}
			if made.Service == "" {
				return fault.New(fault.Conflict, "no-tls", "have it speak TLS: leave out --plain-http", "agents enrol over TLS, "+
					"and the service speaks none")
			}
			h := p.handout(made, pack.name, out)
			h.Consent = asks
			if err := p.write(h, made.Secret, pack, r.zone().At(made.Token.ExpiresAt)); err != nil {
				return err
			}
			return r.print(c, h, func(w io.Writer) {
				fmt.Fprintf(w, "%s lets %s enrol at %s, until %s. It holds a token: hand it to device management alone.\n\n",
					h.Written, words.Count(h.Uses, "machine"), h.Service, r.zone().At(h.Until))
				if !h.Complete {
					fmt.Fprintf(w, "Put the package beside what is in it: %s.\n\n", h.Package)
				}
				fmt.Fprintf(w, "Install    %s\nDetection  %s\nRemove     %s\n\n%s\n", h.Install, h.Detect, h.Remove, p.note)
				fmt.Fprintf(w, "\nFor a machine that you sit at: cirque enrol token NAME\nTo end it before: cirque enrol "+
					"end-token %q\n", made.Token.Name)
			})
		}}
	f := c.Flags()
	f.StringVar(&system, "for", "", "for which system: "+strings.Join(platformNames(), ", "))
	f.StringVar(&from, "from", "", "the folder with the packages, as make packages leaves it")
	f.StringVar(&out, "to", "", "the archive to write, such as tills.zip")
	f.StringVar(&want.Site, "site", "", "where the machines stand; any site when absent")
	f.IntVar(&want.Uses, "uses", 100, "how many machines may enrol with it")
	f.BoolVar(&asks, "consent", false, "the agents change nothing before somebody agrees on the machine: "+
		"cirque-agent plan --agree")
	f.Var(&expires, "expires", "when it ends, such as 30d or 2027-01-01; in a week when absent")
	_ = c.MarkFlagRequired("for")
	_ = c.MarkFlagRequired("to")
	return c
}

// find gives the one package for a system in a folder; of several versions the latest by name.
func (p platform) find(dir string) (string, error) {
	list, err := filepath.Glob(filepath.Join(dir, p.pattern))
	if err != nil || len(list) == 0 {
		return "", fault.New(fault.Invalid, "package-missing", "make packages makes them; name its folder with --from",
			"there is no %s in %s", p.pattern, dir)
	}
	slices.Sort(list)
	return list[len(list)-1], nil
}

// packageFile is a package with what is in it.
type packageFile struct {
	name string
	data []byte
}

// handed gives the latest package for a system that the service hands out; an empty one where it hands out none.
func (p platform) handed(ctx context.Context, client *apiclient.Client) (packageFile, error) {
	list, err := apiclient.List[update.AgentPackage](ctx, client, agentPackagesPath, nil)
	if err != nil {
		return packageFile{}, err
	}
	list = slices.DeleteFunc(list, func(k update.AgentPackage) bool {
		fits, err := filepath.Match(p.pattern, k.File)
		return err != nil || !fits
	})
	if len(list) == 0 {
		return packageFile{}, nil
	}
	k := slices.MaxFunc(list, func(x, y update.AgentPackage) int { return update.Compare(x.Version, y.Version) })
	pack := packageFile{name: k.File}
	for n := 0; int64(len(pack.data)) < k.Bytes; n++ {
		at := apiclient.Path("/api/v1/endpoints/update/parts", k.Digest) + fmt.Sprintf("/%d", n)
		resp, err := client.Raw(ctx, "GET", at, nil, nil, nil)
		if err != nil {
			return pack, err
		}
		b, err := io.ReadAll(io.LimitReader(resp.Body, update.MaxBytes))
		_ = resp.Body.Close()
		if err != nil {
			return pack, err
		}
		pack.data = append(pack.data, b...)
	}
	if sum := sha256.Sum256(pack.data); hex.EncodeToString(sum[:]) != k.Digest {
		return pack, fault.New(fault.Unavailable, "agent-package-broken", "ask again", "%s arrived with another "+
			"checksum", k.File)
	}
	return pack, nil
}

// version is what stands where the pattern has its first star.
func (p platform) version(pack string) string {
	before, _, _ := strings.Cut(p.pattern, "*")
	rest := strings.TrimPrefix(filepath.Base(pack), before)
	return rest[:max(strings.IndexFunc(rest, func(c rune) bool { return c == '-' || c == '_' }), 0)]
}

func (p platform) handout(made api.MadeEnrolToken, pack, out string) handout {
	h := handout{For: p.name, Service: made.Service, Package: filepath.Base(pack), Until: made.Token.ExpiresAt,
		Uses: made.Token.Uses, Written: out, Complete: pack != ""}
	v := cmp.Or(p.version(pack), "VERSION")
	if pack == "" {
		h.Package = strings.ReplaceAll(p.pattern, "*", "VERSION")
	}
	put := strings.NewReplacer("{P}", h.Package, "{V}", v)
	h.Install, h.Detect, h.Remove = put.Replace(p.install), put.Replace(p.detect), put.Replace(p.remove)
	return h
}

// handedGuide goes along.
const handedGuide = `Cirque agent for %s

Install, unattended, as administrator:
  %s

Detection:
  %s

Remove:
  %s

%s

agent.yaml holds a token. It lets in %s at %s until %s; the agent forgets it once its
machine is enrolled.
`

// write writes the archive, which nobody else may read.
func (p platform) write(h handout, token string, pack packageFile, until string) error {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	setUp := fmt.Sprintf("# By which service this machine is enrolled, and with what. The token lets in %s until %s.\n"+
		"service: %s\ntoken: %s\n", words.Count(h.Uses, "machine"), until, h.Service, token)
	if h.Consent {
		setUp += "# Nothing is changed before somebody agrees on the machine: cirque-agent plan --agree\nconsent: asked\n"
	}
	guide := fmt.Sprintf(handedGuide, p.name, h.Install, h.Detect, h.Remove, p.note, words.Count(h.Uses, "machine"),
		h.Service, until)
	for _, f := range []struct{ name, text string }{{"agent.yaml", setUp}, {"READ-ME.txt", guide}} {
		w, err := z.Create(f.name)
		if err != nil {
			return err
		}
		if _, err := io.WriteString(w, strings.ReplaceAll(f.text, "\n", map[bool]string{true: "\r\n", false: "\n"}[p.name ==
			"windows"])); err != nil {
			return err
		}
	}
	if pack.name != "" {
		w, err := z.CreateHeader(&zip.FileHeader{Name: pack.name, Method: zip.Store})
		if err != nil {
			return err
		}
		if _, err := w.Write(pack.data); err != nil {
			return err
		}
	}
	return errors.Join(z.Close(), whole.Write(h.Written, b.Bytes(), 0o600))
}
