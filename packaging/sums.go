package main

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// sums writes the checksums of all that was made, signed, with the key by which the signature is checked.
func (w *work) sums() error {
	entries, err := os.ReadDir(w.dist)
	if err != nil {
		return err
	}
	var list []string
	for _, e := range entries {
		n := e.Name()
		if e.IsDir() || strings.HasPrefix(n, "SHA256SUMS") || n == "cirque-packages.asc" {
			continue
		}
		b, err := os.ReadFile(filepath.Join(w.dist, n))
		if err != nil {
			return err
		}
		sum := sha256.Sum256(b)
		list = append(list, hex.EncodeToString(sum[:])+"  "+n+"\n")
	}
	slices.SortFunc(list, func(a, b string) int { return strings.Compare(a[66:], b[66:]) })
	text := []byte(strings.Join(list, ""))
	signature, err := w.key.armored(bytes.NewReader(text))
	if err != nil {
		return err
	}
	public, err := w.key.public()
	if err != nil {
		return err
	}
	return errors.Join(os.WriteFile(filepath.Join(w.dist, "SHA256SUMS"), text, 0o644),
		os.WriteFile(filepath.Join(w.dist, "SHA256SUMS.asc"), signature, 0o644),
		os.WriteFile(filepath.Join(w.dist, "cirque-packages.asc"), public, 0o644))
}

// macOS makes the agent's archive for a Mac: program, pages, what launchd is told, and scripts that install and remove.
func (w *work) macOS() error {
	name := fmt.Sprintf("cirque-agent-%s-macos-%s", w.version, w.arch)
	files := map[string]string{"cirque-agent": filepath.Join(w.bin, "cirque-agent"),
		"example.cirque.agent.plist": "files/example.cirque.agent.plist", "install.sh": "files/macos-install.sh",
		"remove.sh": "files/macos-remove.sh", "agent.yaml.example": "files/agent.yaml", "LICENSE": "../LICENSE"}
	pages, err := filepath.Glob(filepath.Join(w.bin, "man", "man1", "cirque-agent*.1"))
	if err != nil {
		return err
	}
	for _, p := range pages {
		files["man/"+filepath.Base(p)] = p
	}
	var names []string
	for n := range files {
		names = append(names, n)
	}
	slices.Sort(names)
	var out bytes.Buffer
	z, err := gzip.NewWriterLevel(&out, gzip.BestCompression)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	for _, n := range names {
		b, err := os.ReadFile(files[n])
		if err != nil {
			return err
		}
		mode := int64(0o644)
		if n == "cirque-agent" || strings.HasSuffix(n, ".sh") {
			mode = 0o755
		}
		if err := t.WriteHeader(&tar.Header{Name: name + "/" + n, Mode: mode, Size: int64(len(b)), ModTime: w.at,
			Format: tar.FormatUSTAR}); err != nil {
			return err
		}
		if _, err := t.Write(b); err != nil {
			return err
		}
	}
	if err := errors.Join(t.Close(), z.Close()); err != nil {
		return err
	}
	to := filepath.Join(w.dist, name+".tar.gz")
	fmt.Println(to)
	return os.WriteFile(to, out.Bytes(), 0o644)
}
