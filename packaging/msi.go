package main

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
)

// msi makes the agent's installer for Windows with wixl, signs program and installer, and gives the installer the times
// of the commit: the tool would write the present.
func (w *work) msi(codeKey string) error {
	number := regexp.MustCompile(`^[0-9]+\.[0-9]+\.[0-9]+`).FindString(w.version)
	if number == "" {
		return fmt.Errorf("%q is no version that Windows knows: MAJOR.MINOR.PATCH", w.version)
	}
	dir, err := os.MkdirTemp("", "cirque-msi-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	program := filepath.Join(dir, "cirque-agent.exe")
	if err := copyFile(filepath.Join(w.bin, "cirque-agent.exe"), program); err != nil {
		return err
	}
	if err := copyFile("files/cirque-agent.wxs", filepath.Join(dir, "cirque-agent.wxs")); err != nil {
		return err
	}
	code, err := openCode(codeKey)
	if err != nil {
		return err
	}
	if err := w.authenticode(code, program); err != nil {
		return err
	}
	if err := os.Chtimes(program, w.at, w.at); err != nil {
		return err
	}
	name := fmt.Sprintf("cirque-agent-%s-x64.msi", w.version)
	product, pack := nameUUID("product "+w.version), nameUUID("package "+w.version)
	c := exec.Command("wixl", "-a", "x64", "-D", "VERSION="+number, "-D", "PRODUCT="+product, "-D", "PACKAGE="+pack, "-o",
		name, "cirque-agent.wxs")
	c.Dir = dir
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("wixl: %w\n%s", err, out)
	}
	made := filepath.Join(dir, name)
	if err := settle(made, pack, w.at); err != nil {
		return err
	}
	if err := w.authenticode(code, made); err != nil {
		return err
	}
	to := filepath.Join(w.dist, name)
	fmt.Println(to)
	return copyFile(made, to)
}

// space is that of the names by which products and packages are known (RFC 9562, section 5.5).
var space = uuid.MustParse("5d0f6f0c-6c0e-5a53-9d1a-3f7f0c0a7c11")

// nameUUID gives a UUID for a name: the same each time.
func nameUUID(of string) string { return strings.ToUpper(uuid.NewSHA1(space, []byte(of)).String()) }

// summary is the identifier of the set of properties that says when a document was made ([MS-OLEPS], section 2.25.1).
var summary = []byte{0xe0, 0x85, 0x9f, 0xf2, 0xf9, 0x4f, 0x68, 0x10, 0xab, 0x91, 0x08, 0x00, 0x2b, 0x27, 0xb3, 0xd9}

// Properties of the set, and their types.
const (
	revision     = 9
	created      = 12
	saved        = 13
	ofText       = 30
	ofTime       = 64
	windowsEpoch = 116444736000000000 // of Unix time, in tenths of a microsecond since 1601
)

// settle gives an installer's summary a fixed package code and times, in place: nothing else in it differs when it is
// made twice.
func settle(file, pack string, at time.Time) error {
	b, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	i := bytes.Index(b, summary)
	if i < 28 || len(b) < i+20 {
		return errors.New("the installer has no summary")
	}
	section := i - 28 + int(binary.LittleEndian.Uint32(b[i+16:]))
	found := 0
	for n := range int(binary.LittleEndian.Uint32(b[section+4:])) {
		entry := section + 8 + 8*n
		at0 := section + int(binary.LittleEndian.Uint32(b[entry+4:]))
		kind := binary.LittleEndian.Uint32(b[at0:])
		switch id := binary.LittleEndian.Uint32(b[entry:]); {
		case id == revision && kind == ofText:
			if text := "{" + pack + "}"; copy(b[at0+8:], text) == len(text) {
				found++
			}
		case (id == created || id == saved) && kind == ofTime:
			binary.LittleEndian.PutUint64(b[at0+4:], uint64(at.Unix()*1e7+windowsEpoch))
			found++
		}
	}
	if found != 3 {
		return fmt.Errorf("the installer's summary has %d of three properties", found)
	}
	return os.WriteFile(file, b, 0o644)
}

// authenticode signs a program or an installer, in place.
func (w *work) authenticode(code, file string) error {
	signed := file + ".signed"
	_ = os.Remove(signed)
	c := exec.Command("osslsigncode", "sign", "-h", "sha256", "-certs", code, "-key", code, "-n", "Cirque agent", "-time",
		strconv.FormatInt(w.at.Unix(), 10), "-in", file, "-out", signed)
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("osslsigncode: %w\n%s", err, strings.TrimSpace(string(out)))
	}
	return os.Rename(signed, file)
}

func copyFile(from, to string) error {
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, b, 0o644)
}
