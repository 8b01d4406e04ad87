package driver

import (
	"cmp"
	"crypto/x509"
	"encoding/hex"
	"encoding/pem"
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/name"
)

// SumsFile is the list that a place keeps beside its archives, as sha256sum(1) writes it.
const SumsFile = "SHA256SUMS"

// Limits of what a place says. A line has a checksum and a path.
const (
	MaxSums       = 1 << 20
	MaxOffers     = 2000
	MaxCollection = 10_000 // drivers that a spooler brings along
)

// LookEvery is how often each place is looked at by itself.
const LookEvery = 24 * time.Hour

// A Place is where driver packages are fetched from: a folder at a URL, with zip archives and the list of their
// checksums; or the collection of drivers that a print server's spooler brings along.
type Place struct {
	Name       string `json:"name"`
	URL        string `json:"url" doc:"The folder, https://HOST/PATH/, with a file SHA256SUMS in it, as sha256sum writes one; or ipps://HOST/, whose spooler brings drivers along."`
	CA         string `json:"ca,omitempty" doc:"PEM; the system's authorities when absent."`
	AllowClear bool   `json:"allow_clear,omitempty" doc:"It may be plain HTTP or IPP, where others can change what is fetched, and its checksums."`
	Note       string `json:"note,omitempty"`

	Author string    `json:"author"`
	At     time.Time `json:"at"`
}

var placeSchemes = []string{"https", "http", "ipps", "ipp"}

// BuiltIn says whether it is the collection that a spooler brings along.
func (v Place) BuiltIn() bool {
	return strings.HasPrefix(v.URL, "ipp:") || strings.HasPrefix(v.URL, "ipps:")
}

// Unit is what it offers: archives, or drivers.
func (v Place) Unit() string {
	if v.BuiltIn() {
		return "driver"
	}
	return "archive"
}

// Check brings a place into form, and says all that is wrong with it: an Invalid fault.
func (v *Place) Check() error {
	var bad []fault.Detail
	complain := func(at, what, fix string) { bad = append(bad, fault.Detail{Place: at, What: what, Fix: fix}) }
	v.URL = strings.TrimSpace(v.URL)
	u, err := url.Parse(v.URL)
	if err == nil {
		v.URL = u.String() // schemes are known by small letters
	}
	switch {
	case err != nil || u.Hostname() == "" || !slices.Contains(placeSchemes, u.Scheme):
		complain("url", "it is no address of a folder", "write https://HOST/FOLDER/, or ipps://HOST/ for a spooler's own")
	case u.User != nil || u.RawQuery != "" || u.ForceQuery || u.Fragment != "":
		complain("url", "it holds more than a host and a folder", "write https://HOST/FOLDER/, without sign-in or "+
			"question mark")
	case !strings.HasSuffix(u.Scheme, "s") && !v.AllowClear && !name.Loopback(u.Hostname()):
		complain("url", "others could change drivers on the way, and their checksums with them", fmt.Sprintf("write "+
			"%ss://, or allow for it what is not encrypted", u.Scheme))
	case v.BuiltIn() && strings.Trim(u.Path, "/") != "":
		complain("url", "a spooler's collection is no folder", "write "+u.Scheme+"://"+u.Host+"/")
	case v.BuiltIn() && v.CA != "":
		complain("ca", "a print server is trusted as wherever it is read", "leave it out")
	default:
		folder := path.Clean("/" + strings.TrimSuffix(u.Path, SumsFile))
		u.Path, u.RawPath = strings.TrimSuffix(folder, "/")+"/", ""
		v.URL = u.String()
	}
	if v.CA = strings.TrimSpace(v.CA); v.CA != "" && !certificates(v.CA) {
		complain("ca", "it holds no certificate", "give the authority's certificate as PEM")
	}
	if len(bad) > 0 {
		return fault.New(fault.Invalid, "place-invalid", bad[0].Fix, "the place %s is not in order: %s: %s", v.Name,
			bad[0].Place, bad[0].What).With(bad)
	}
	return nil
}

func certificates(text string) bool {
	rest, n := []byte(text), 0
	for {
		var b *pem.Block
		if b, rest = pem.Decode(rest); b == nil {
			return n > 0
		}
		if _, err := x509.ParseCertificate(b.Bytes); err != nil {
			return false
		}
		n++
	}
}

// An Offer is an archive that a place lists, or a driver that a spooler brings along.
type Offer struct {
	File   string `json:"file" doc:"Its path below the place's folder, or the name under which the spooler has it."`
	SHA256 string `json:"sha256,omitempty" doc:"Absent where a spooler brings it along."`
	Title  string `json:"title,omitempty" doc:"The exact name of a driver that a spooler brings along."`
}

// Called is what people know it by.
func (o Offer) Called() string { return cmp.Or(o.Title, o.File) }

// ParseSums reads a list of checksums as sha256sum(1) writes it, with and without --tag: the zip archives in it, by
// path. Lines that cannot be read are problems with their numbers; other files are counted and left. It is an Invalid
// fault where nothing in it is a checksum.
func ParseSums(b []byte) (offers []Offer, others int, problems []fault.Detail, err error) {
	complain := func(line int, what, fix string) {
		problems = append(problems, fault.Detail{Place: fmt.Sprintf("%s:%d", SumsFile, line), What: what, Fix: fix})
	}
	seen := map[string]int{}
	for i, line := range strings.Split(string(b), "\n") {
		line = strings.TrimRight(line, "\r")
		if strings.TrimSpace(line) == "" || strings.HasPrefix(line, "#") {
			continue
		}
		sum, file, ok := sumLine(line)
		wrong := badPath(file)
		switch low := strings.ToLower(file); {
		case !ok:
			complain(i+1, fmt.Sprintf("%.60q is no checksum with a file", line), "write it with sha256sum *.zip > "+SumsFile)
		case wrong != "":
			complain(i+1, fmt.Sprintf("%.80q %s", file, strings.Replace(wrong, "package", "place", 1)),
				"list files below the folder by their paths")
		case seen[low] > 0:
			complain(i+1, fmt.Sprintf("%.80q stands at line %d already", file, seen[low]), "keep one of the two")
		case path.Ext(low) != ".zip":
			seen[low] = i + 1
			others++
		case len(offers) == MaxOffers:
			complain(i+1, fmt.Sprintf("only the first %d archives are taken", MaxOffers), "divide the place")
			return sortedOffers(offers), others, problems, nil
		default:
			seen[low] = i + 1
			offers = append(offers, Offer{File: file, SHA256: sum})
		}
	}
	if len(seen) == 0 {
		return nil, 0, problems, fault.New(fault.Invalid, "place-empty",
			"write one beside the archives: sha256sum *.zip > "+
				SumsFile, "nothing in %s is a checksum with a file", SumsFile).With(problems)
	}
	return sortedOffers(offers), others, problems, nil
}

func sortedOffers(list []Offer) []Offer {
	slices.SortFunc(list, func(a, b Offer) int { return strings.Compare(a.File, b.File) })
	return list
}

// sumLine takes a line apart: "SUM  FILE" and "SUM *FILE", or "SHA256 (FILE) = SUM".
func sumLine(line string) (sum, file string, ok bool) {
	if rest, tagged := strings.CutPrefix(line, "SHA256 ("); tagged {
		at := strings.LastIndex(rest, ") = ")
		if at < 0 {
			return "", "", false
		}
		sum, file = rest[at+len(") = "):], rest[:at]
	} else if sum, file, ok = strings.Cut(line, " "); !ok || len(file) < 2 || file[0] != ' ' && file[0] != '*' {
		return "", "", false
	} else {
		file = file[1:]
	}
	sum = strings.ToLower(sum)
	if b, err := hex.DecodeString(sum); err != nil || len(b) != 32 {
		return "", "", false
	}
	return sum, strings.TrimPrefix(file, "./"), true
}

// A Look is what came of looking at a place.
type Look struct {
	Offers   []Offer        `json:"offers,omitempty" doc:"What is kept of it; views tell it by themselves."`
	Others   int            `json:"others" doc:"Files in the list that are no zip archives."`
	Problems []fault.Detail `json:"problems,omitempty" doc:"Lines of the list that cannot be read."`
	At       time.Time      `json:"at" doc:"When it answered last."`

	// Tried is when it was last asked, and Error why that failed, in spite of which the rest stays as it was.
	Tried time.Time     `json:"tried"`
	Error *fault.Detail `json:"error,omitempty"`
}

// States of an offer.
const (
	OfferNew     = "new"
	OfferKept    = "kept"
	OfferChanged = "changed"
)

// Offered is an offer with what is known of it here.
type Offered struct {
	Offer
	State   string `json:"state" enum:"new,kept,changed" doc:"kept: these files are among the packages here; changed: what was fetched from here was another archive; new: neither."`
	Package string `json:"package,omitempty" doc:"The digest of the package that is kept, or that was fetched before."`
	Name    string `json:"name,omitempty" doc:"What that is called."`
	Names   *int   `json:"names,omitempty" doc:"How many exact names are in it; absent until it was fetched or looked into."`
}

// A PlaceView is a place with what was last seen there.
type PlaceView struct {
	Place
	Look    Look `json:"look"`
	New     int  `json:"new"`
	Kept    int  `json:"kept"`
	Changed int  `json:"changed"`
	// Fetches are the latest, newest first.
	Fetches []Fetch `json:"fetches,omitempty"`
}

// Inside is what was found in an archive.
type Inside struct {
	Digest string // of the package that it makes
	Names  int    // how many exact names it has
}

// Judge says of each offer of a place how it stands to the packages here; into are the archives that were looked into,
// by checksum.
func Judge(place string, offers []Offer, packages []Package, into map[string]Inside) []Offered {
	bySum, byFile, byDigest, byName := map[string]*Package{}, map[string]*Package{}, map[string]*Package{},
		map[string]*Package{}
	for i := range packages {
		p := &packages[i]
		byDigest[p.Digest] = p
		for _, m := range p.Models {
			if strings.HasSuffix(strings.ToLower(m.SetUpFile), ".ppd") {
				byName[m.Exact] = p
			}
		}
		for _, a := range p.Archives {
			bySum[a.SHA256] = p
			if a.Place == place {
				if was := byFile[a.File]; was == nil || was.At.Before(p.At) {
					byFile[a.File] = p
				}
			}
		}
	}
	out := make([]Offered, 0, len(offers))
	for _, o := range offers {
		v := Offered{Offer: o, State: OfferNew}
		p := bySum[o.SHA256]
		if o.SHA256 == "" {
			p = cmp.Or(byFile[o.File], byName[o.Title])
		}
		if inside, ok := into[o.SHA256]; ok && o.SHA256 != "" {
			v.Names = &inside.Names
			p = cmp.Or(p, byDigest[inside.Digest])
		}
		if p != nil {
			v.State = OfferKept
			n := len(p.Models)
			v.Names = &n
		} else if p = byFile[o.File]; p != nil {
			v.State = OfferChanged
		}
		if p != nil {
			v.Package, v.Name = p.Digest, p.Name
		}
		out = append(out, v)
	}
	return out
}

// States of a Fetch.
const (
	FetchWaiting = "waiting"
	FetchRunning = "running"
	FetchDone    = "done"
	FetchFailed  = "failed"
	FetchStopped = "stopped"
)

// A Fetch is the fetching of one archive from a place: to be kept, or only to be looked into.
type Fetch struct {
	ID     int64  `json:"id"`
	Place  string `json:"place"`
	File   string `json:"file"`
	SHA256 string `json:"sha256" doc:"What it has to come to."`
	Dry    bool   `json:"dry,omitempty" doc:"It is only looked into."`
	Name   string `json:"name" doc:"What the package is to be called."`

	State string     `json:"state" enum:"waiting,running,done,failed,stopped"`
	Got   int64      `json:"got" doc:"Bytes so far."`
	Total int64      `json:"total" doc:"Bytes in all, 0 while that is not known."`
	At    time.Time  `json:"at"`
	Ended *time.Time `json:"ended,omitempty"`

	Author  string         `json:"author"`
	Says    string         `json:"says,omitempty"`
	Code    string         `json:"code,omitempty"`
	Fix     string         `json:"fix,omitempty"`
	Details []fault.Detail `json:"details,omitempty"`
	Package *Package       `json:"package,omitempty" doc:"What is in it, without the list of files; once it is done."`
	Known   bool           `json:"known,omitempty" doc:"The same files were kept already."`
}

// Over says whether it has ended.
func (f Fetch) Over() bool { return f.State != FetchWaiting && f.State != FetchRunning }
