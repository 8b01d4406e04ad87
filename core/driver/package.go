package driver

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
)

// A Package is what lies in one driver package, without the files' contents.
type Package struct {
	Digest   string         `json:"digest" doc:"SHA-256 over the sorted paths and checksums: the same files are the same package, whatever they came in."`
	Name     string         `json:"name"`
	Files    []Entry        `json:"files,omitempty"`
	Count    int            `json:"count" doc:"How many files."`
	Bytes    int64          `json:"bytes"`
	Models   []Model        `json:"models"`
	Problems []fault.Detail `json:"problems,omitempty" doc:"Set-up files that cannot be read, and what they lack."`
	Author   string         `json:"author"`
	At       time.Time      `json:"at"`
	Note     string         `json:"note,omitempty"`

	Archives []Archive `json:"archives,omitempty" doc:"The archives that these files came in, the latest last."`
}

// An Archive is what a package came in.
type Archive struct {
	SHA256 string `json:"sha256"`
	Place  string `json:"place,omitempty" doc:"The place that it was fetched from; absent for what somebody brought."`
	File   string `json:"file,omitempty" doc:"Its path there."`
}

// mostArchives bounds how many archives are remembered of one package.
const mostArchives = 20

// CameIn notes an archive, once.
func (p *Package) CameIn(a Archive) {
	p.Archives = slices.DeleteFunc(slices.Clone(p.Archives), func(k Archive) bool { return k == a })
	p.Archives = append(p.Archives, a)
	p.Archives = p.Archives[max(0, len(p.Archives)-mostArchives):]
}

// An Entry is one file with its checksum.
type Entry struct {
	Path   string `json:"path"`
	SHA256 string `json:"sha256"`
	Bytes  int64  `json:"bytes"`
}

// maxSetUpFiles bounds how many set-up files of one package are read.
const maxSetUpFiles = 2000

// Index reads every set-up file among a package's files. A file that cannot be read is a problem, not an error.
func Index(files []File) Package {
	p := Package{Count: len(files), Models: []Model{}}
	has := map[string]bool{}
	for _, f := range files {
		sum := sha256.Sum256(f.Data)
		p.Files = append(p.Files, Entry{f.Path, hex.EncodeToString(sum[:]), int64(len(f.Data))})
		p.Bytes += int64(len(f.Data))
		has[strings.ToLower(path.Base(f.Path))] = true
	}
	slices.SortFunc(p.Files, func(a, b Entry) int { return cmp.Compare(a.Path, b.Path) })
	all := sha256.New()
	for _, e := range p.Files {
		fmt.Fprintf(all, "%s\x00%s\n", e.Path, e.SHA256)
	}
	p.Digest = hex.EncodeToString(all.Sum(nil))
	sorted := slices.Clone(files)
	slices.SortFunc(sorted, func(a, b File) int { return cmp.Compare(a.Path, b.Path) })
	read := 0
	infs := map[string]*INF{} // by small letters of the name, without folders
	for _, f := range sorted {
		if strings.EqualFold(path.Ext(f.Path), ".inf") && len(infs) < maxSetUpFiles {
			if d, err := ParseINF(f.Data); err == nil {
				infs[strings.ToLower(path.Base(f.Path))] = d
			}
		}
	}
	for _, f := range sorted {
		kind := strings.ToLower(path.Ext(f.Path))
		if kind != ".inf" && kind != ".ppd" {
			continue
		}
		if read++; read > maxSetUpFiles {
			p.Problems = append(p.Problems, fault.Detail{Place: f.Path, What: fmt.Sprintf("only the first %d set-up "+
				"files are read", maxSetUpFiles), Fix: "divide the package"})
			break
		}
		p.Models = append(p.Models, p.setUpFile(f, kind, has, infs)...)
	}
	return p
}

func (p *Package) setUpFile(f File, kind string, has map[string]bool, infs map[string]*INF) []Model {
	var models []Model
	if kind == ".ppd" {
		d, err := ParsePPD(f.Data)
		if err != nil {
			p.Problems = append(p.Problems, asFault(f.Path, err))
			return nil
		}
		for _, i := range d.Includes {
			p.Problems = append(p.Problems, fault.Detail{Place: f.Path, What: fmt.Sprintf("it includes %q, which is not read",
				i), Fix: "give a description that is whole"})
		}
		models = d.Models()
	} else {
		name := strings.ToLower(path.Base(f.Path))
		d, err := ParseINF(f.Data)
		if err == nil && len(d.Includes) > 0 {
			infs[name] = d // two folders may have files of one name
			err = link(name, infs)
		}
		if err != nil {
			p.Problems = append(p.Problems, asFault(f.Path, err))
			return nil
		}
		models = d.Models
		if len(models) == 0 {
			p.Problems = append(p.Problems, fault.Detail{Place: f.Path, What: "it names no printer", Fix: "leave it out, if " +
				"it is another device's"})
		}
	}
	told := map[string]bool{}
	for i := range models {
		m := &models[i]
		m.SetUpFile = f.Path
		m.Missing = lacking(m.Files, has)
		for _, name := range m.Missing {
			if !told[name] && len(told) < 20 {
				told[name] = true
				p.Problems = append(p.Problems, fault.Detail{Place: f.Path, What: fmt.Sprintf("it names the file %s, which the "+
					"package lacks", name), Fix: "add it, or take a whole package"})
			}
		}
	}
	return models
}

// Needs gives the paths of the files that a model's set-up needs, itself included: the driver without what else its
// maker packed.
func (p *Package) Needs(m Model) []string {
	want := map[string]bool{strings.ToLower(path.Base(m.SetUpFile)): true}
	for _, f := range m.Files {
		low := strings.ToLower(path.Base(strings.ReplaceAll(f, `\`, "/")))
		want[low], want[strings.TrimSuffix(low, low[max(0, len(low)-1):])+"_"] = true, true
	}
	var out []string
	dir := path.Dir(m.SetUpFile)
	for _, e := range p.Files {
		base := strings.ToLower(path.Base(e.Path))
		beside := dir == "." || strings.HasPrefix(e.Path, dir+"/")
		if e.Path == m.SetUpFile || beside && (want[base] && base != strings.ToLower(path.Base(m.SetUpFile)) ||
			strings.HasSuffix(base, ".cat")) {
			out = append(out, e.Path)
		}
	}
	return out
}
