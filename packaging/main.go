// Command packaging makes Cirque's packages out of programs that are built: .deb and .rpm of service and agent, an
// archive of the agent for macOS, and what is signed of all of them. The same programs give the same octets. make
// packages calls it.
package main

import (
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/goreleaser/nfpm/v2"
	_ "github.com/goreleaser/nfpm/v2/deb"
	_ "github.com/goreleaser/nfpm/v2/rpm"
)

// A work is one run.
type work struct {
	bin, dist, version string
	at                 time.Time // of everything in the packages
	arch               string
	key                *key
}

func main() {
	var w work
	var epoch int64
	var keyFile, codeKey, only string
	flag.StringVar(&w.bin, "bin", "../bin/linux", "where the programs are, with man pages and completions")
	flag.StringVar(&w.dist, "dist", "../dist", "where the packages go")
	flag.StringVar(&w.version, "version", "", "the version that they are")
	flag.StringVar(&w.arch, "arch", "amd64", "for which processors, as Go names them")
	flag.Int64Var(&epoch, "epoch", 0, "the time of everything in them, in seconds of Unix time")
	flag.StringVar(&keyFile, "key", "", "the key with which they are signed, OpenPGP, armored; made where there is none")
	flag.StringVar(&codeKey, "code-key", "", "key and certificate with which programs for Windows are signed, PEM; made "+
		"where there is none")
	flag.StringVar(&only, "only", "deb,rpm", "what to make: deb, rpm, msi, macos, sums")
	flag.Parse()
	w.at = time.Unix(epoch, 0).UTC()
	if err := w.run(keyFile, codeKey, strings.Split(only, ",")); err != nil {
		fmt.Fprintln(os.Stderr, "packaging:", err)
		os.Exit(1)
	}
}

func (w *work) run(keyFile, codeKey string, only []string) error {
	if w.version == "" || keyFile == "" {
		return errors.New("name -version and -key")
	}
	var err error
	if w.key, err = openKey(keyFile, w.at); err != nil {
		return err
	}
	if err := os.MkdirAll(w.dist, 0o755); err != nil {
		return err
	}
	if slices.Contains(only, "deb") || slices.Contains(only, "rpm") {
		if err := w.prepare(); err != nil {
			return err
		}
	}
	for _, what := range only {
		switch what {
		case "deb", "rpm":
			for _, of := range []string{"cirque", "cirque-agent"} {
				if err := w.pack(of, what); err != nil {
					return fmt.Errorf("%s of %s: %w", what, of, err)
				}
			}
		case "msi":
			if err := w.msi(codeKey); err != nil {
				return err
			}
		case "macos":
			if err := w.macOS(); err != nil {
				return err
			}
		case "sums":
			if err := w.sums(); err != nil {
				return err
			}
		default:
			return fmt.Errorf("%q is nothing that can be made", what)
		}
	}
	return nil
}

// pack makes one package.
func (w *work) pack(of, format string) error {
	env := map[string]string{"BIN": w.bin, "VERSION": w.version, "ARCH": w.arch}
	config, err := nfpm.ParseFileWithEnvMapping(of+".yaml", func(name string) string { return env[name] })
	if err != nil {
		return err
	}
	info, err := config.Get(format)
	if err != nil {
		return err
	}
	info.MTime = w.at
	script := func(when string) string { return filepath.Join(w.bin, "scripts", of+"-"+when) }
	info.Scripts = nfpm.Scripts{PostInstall: script("after-install"), PreRemove: script("before-remove"),
		PostRemove: script("after-remove")}
	for _, c := range info.Contents {
		if c.FileInfo != nil {
			c.FileInfo.MTime = w.at
		}
	}
	info.Deb.Signature.SignFn, info.RPM.Signature.SignFn = w.key.sign, w.key.sign
	if format == "deb" {
		info.Deb.Signature.Type = "origin"
	}
	info = nfpm.WithDefaults(info)
	if err := nfpm.PrepareForPackager(info, format); err != nil {
		return err
	}
	p, err := nfpm.Get(format)
	if err != nil {
		return err
	}
	name := filepath.Join(w.dist, p.ConventionalFileName(info))
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	if err = errors.Join(p.Package(info, f), f.Close()); err != nil {
		return errors.Join(err, os.Remove(name))
	}
	fmt.Println(name)
	return nil
}
