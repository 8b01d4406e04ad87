package api

import (
	"cmp"

	"cirque/core/directory"
	"cirque/core/document"
)

// Import takes in a directory.
type Import struct {
	Source string          `json:"source,omitempty" doc:"Which source this is; file when absent. It will hold exactly what the files say." default:"file"`
	Format string          `json:"format,omitempty" enum:"file,ldif,csv" default:"file"`
	Files  []document.File `json:"files" minItems:"1" maxItems:"100"`
	Dry    bool            `json:"dry,omitempty" doc:"Only say what would be."`
	Accept bool            `json:"accept,omitempty" doc:"Apply it, whatever disappears."`
}

// NewLink says that two accounts are one person, or are two.
type NewLink struct {
	A        string `json:"a" minLength:"1" maxLength:"512" doc:"SOURCE/NAME, or NAME; the one that stands for the person."`
	B        string `json:"b" minLength:"1" maxLength:"512" doc:"SOURCE/NAME, or NAME; also a name that no directory has."`
	Unlinked bool   `json:"unlinked,omitempty" doc:"They are two people, whatever the rules say."`
	Apart    bool   `json:"apart,omitempty" deprecated:"true" doc:"The former name of unlinked."`
	Reason   string `json:"reason,omitempty" maxLength:"1024"`
}

// Primary names the source whose account stands for a person who has several.
type Primary struct {
	Source string `json:"source" maxLength:"63" doc:"Empty leaves it to the first by name."`
}

// LinkRule turns a rule on or off.
type LinkRule struct {
	On  bool `json:"on"`
	Dry bool `json:"dry,omitempty" doc:"Only say what would come of it."`
}

// NewSource is a directory to be read over LDAP; it is tried at once.
type NewSource struct {
	URL          string        `json:"url" minLength:"1" maxLength:"1024" doc:"ldaps://HOST, or ldap://HOST with start_tls."`
	StartTLS     bool          `json:"start_tls,omitempty"`
	ListUnder    string        `json:"list_under,omitempty" maxLength:"1024" doc:"The DN below which queues that are listed are written as printer entries (RFC 7612)."`
	SignIn       bool          `json:"sign_in,omitempty" doc:"Its people may sign in here with their password there; an owner's to say."`
	CA           string        `json:"ca,omitempty" maxLength:"65536" doc:"PEM; the system's authorities when absent."`
	Bind         string        `json:"bind,omitempty" maxLength:"1024" doc:"The account that reads; anonymous when absent."`
	Password     *string       `json:"password,omitempty" maxLength:"1024" doc:"Never given back. The one that is kept, when absent."`
	Base         string        `json:"base" minLength:"1" maxLength:"1024" doc:"The DN below which everything is read."`
	Preset       string        `json:"preset,omitempty" enum:"standard,posix,domain" default:"standard"`
	Map          directory.Map `json:"map,omitempty" doc:"What differs from the preset."`
	RemovalLimit int           `json:"removal_limit,omitempty" minimum:"0" maximum:"100" doc:"The share, in percent, of what a source held that may disappear in one pass; 20 when absent."`
	Brake        int           `json:"brake,omitempty" minimum:"0" maximum:"100" deprecated:"true" doc:"The former name of removal_limit."`
	Every        int           `json:"every,omitempty" minimum:"0" doc:"Seconds between passes for changes; 300 when absent."`
	Whole        int           `json:"whole,omitempty" minimum:"0" doc:"Seconds between whole passes; a day when absent."`
	Try          bool          `json:"try,omitempty" doc:"Only try it; nothing is kept."`
}

// Source gives it as the core has it.
func (n NewSource) Source(name string) directory.Source {
	return directory.Source{Name: name, URL: n.URL, StartTLS: n.StartTLS, SignIn: n.SignIn, ListUnder: n.ListUnder,
		CA: n.CA, Bind: n.Bind, Base: n.Base, Preset: n.Preset, Map: n.Map, RemovalLimit: cmp.Or(n.RemovalLimit, n.Brake),
		Every: n.Every, Whole: n.Whole}
}

// TriedSource is a source with a few of what was found in it.
type TriedSource struct {
	Source directory.Source  `json:"source"`
	Sample []directory.Match `json:"sample"`
	Kept   bool              `json:"kept"`
}

// NewRun asks for a pass over a source.
type NewRun struct {
	Kind   string `json:"kind,omitempty" enum:"whole,changes,dry" default:"whole"`
	Accept bool   `json:"accept,omitempty" doc:"Apply it, whatever disappears."`
}

// Pausing pauses or resumes.
type Pausing struct {
	Paused bool `json:"paused"`
}

// RenameIDs name renames.
type RenameIDs struct {
	Draft string  `json:"draft,omitempty" maxLength:"63"`
	IDs   []int64 `json:"ids,omitempty" maxItems:"10000" doc:"All when absent."`
}

// TakenRenames says what came of it.
type TakenRenames struct {
	Objects int   `json:"objects" doc:"Objects of the draft that name the new names now."`
	Version int64 `json:"version" doc:"The draft's."`
}
