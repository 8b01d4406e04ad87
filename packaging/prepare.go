package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
)

// prepare lays beside the programs what packages hold besides: compressed man pages, the licence, what changed, and the
// scripts that systems run, each with its package's name in front.
func (w *work) prepare() error {
	for _, dir := range []string{"man-gz/agent", "scripts"} {
		if err := os.RemoveAll(filepath.Join(w.bin, dir)); err != nil {
			return err
		}
		if err := os.MkdirAll(filepath.Join(w.bin, dir), 0o755); err != nil {
			return err
		}
	}
	pages, err := filepath.Glob(filepath.Join(w.bin, "man", "man1", "*.1"))
	if err != nil || len(pages) == 0 {
		return fmt.Errorf("no man pages in %s: %w", w.bin, err)
	}
	for _, p := range pages {
		to := "man-gz"
		if strings.HasPrefix(filepath.Base(p), "cirque-agent") {
			to = "man-gz/agent"
		}
		if err := compress(p, filepath.Join(w.bin, to, filepath.Base(p)+".gz")); err != nil {
			return err
		}
	}
	if err := compress("../CHANGELOG.md", filepath.Join(w.bin, "changelog.gz")); err != nil {
		return err
	}
	licence, err := os.ReadFile("../LICENSE")
	if err != nil {
		return err
	}
	notice := "Cirque\nCopyright: the authors of Cirque\nLicense: Apache-2.0\nWhat it is built with, and under which " +
		"licences: sbom.json beside this file.\n\n"
	if err := os.WriteFile(filepath.Join(w.bin, "copyright"), append([]byte(notice), licence...), 0o644); err != nil {
		return err
	}
	for _, of := range []string{"cirque", "cirque-agent"} {
		for _, when := range []string{"after-install", "before-remove", "after-remove"} {
			b, err := os.ReadFile("files/" + when + ".sh")
			if err != nil {
				return err
			}
			head, rest, _ := bytes.Cut(b, []byte("\n"))
			text := fmt.Sprintf("%s\nNAME=%s\n%s", head, of, rest)
			if err := os.WriteFile(filepath.Join(w.bin, "scripts", of+"-"+when), []byte(text), 0o755); err != nil {
				return err
			}
		}
	}
	return nil
}

// compress writes a file compressed, without its name and time, so that the same text gives the same octets.
func compress(from, to string) error {
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	var out bytes.Buffer
	z, err := gzip.NewWriterLevel(&out, gzip.BestCompression)
	if err != nil {
		return err
	}
	if _, err := io.Copy(z, bytes.NewReader(b)); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	return os.WriteFile(to, out.Bytes(), 0o644)
}
