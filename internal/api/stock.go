package api

import (
	"time"

	"cirque/core/adopt"
	"cirque/core/bulk"
	"cirque/core/decommission"
	"cirque/core/driver"
	"cirque/core/fault"
	"cirque/core/span"
	"cirque/core/stock"
)

// NewWatch registers a server or device; it is tried at once.
type NewWatch struct {
	Name          string `json:"name,omitempty" maxLength:"63" doc:"Made of the address when absent."`
	Title         string `json:"title,omitempty" maxLength:"256"`
	URI           string `json:"uri" minLength:"1" maxLength:"1024" doc:"A host name, an address, or a URI such as ipp://HOST:631/."`
	Location      string `json:"location,omitempty" maxLength:"256"`
	MAC           string `json:"mac,omitempty" maxLength:"64" doc:"In any notation; devices only."`
	AddressKeptBy string `json:"address_kept_by,omitempty" enum:"reservation,static,unknown" doc:"Devices only."`
	Credential    string `json:"credential,omitempty" maxLength:"63" doc:"The stored key to use."`
	Note          string `json:"note,omitempty" maxLength:"4096"`
	Anyway        bool   `json:"anyway,omitempty" doc:"Register it even if it does not answer."`
}

// Watch gives it as the core has it.
func (n NewWatch) Watch() stock.Watch {
	return stock.Watch{Name: n.Name, Title: n.Title, URI: n.URI, Location: n.Location, MAC: n.MAC,
		AddressKeptBy: n.AddressKeptBy, Credential: n.Credential, Note: n.Note}
}

// NewScan looks at ranges of addresses.
type NewScan struct {
	Ranges []string `json:"ranges" minItems:"1" maxItems:"64" doc:"Subnets, ranges A-B and addresses."`
	Rate   int      `json:"rate,omitempty" minimum:"0" doc:"Addresses a second; a moderate rate when absent."`
	Dry    bool     `json:"dry,omitempty" doc:"Only say what would be touched."`
}

// StartedScan is what a scan touches, and the scan where one was begun.
type StartedScan struct {
	Plan stock.ScanPlan `json:"plan"`
	Scan *stock.Scan    `json:"scan"`
}

// Addresses are some of them.
type Addresses struct {
	Addresses []string `json:"addresses" minItems:"1" maxItems:"10000"`
}

// Text is a file's text.
type Text struct {
	Text    string         `json:"text"`
	Lacking []fault.Detail `json:"lacking,omitempty" doc:"What is left out, and why."`
}

// NamedText is a file.
type NamedText struct {
	Name string `json:"name" minLength:"1" maxLength:"256"`
	Text string `json:"text"`
}

// Imported says how many there were.
type Imported struct {
	Count int `json:"count"`
}

// Selections asks for proposals.
type Selections struct {
	Draft      string            `json:"draft,omitempty" maxLength:"63" doc:"The draft on top of which; main when absent."`
	Selections []adopt.Selection `json:"selections" minItems:"1" maxItems:"10000"`
	Names      string            `json:"names,omitempty" maxLength:"256" doc:"A pattern of names for new queues and devices, as they were found when absent; {name}, {title}, {location}, {site}, {last} (of the location), {model}, {address} and {n} (the first number that is free) stand for what was found."`
}

// Adoption puts proposals into one's own draft.
type Adoption struct {
	Draft     string           `json:"draft,omitempty" maxLength:"63"`
	Proposals []adopt.Proposal `json:"proposals" minItems:"1" maxItems:"20000"`
}

// NewCapture is what a reference machine has.
type NewCapture struct {
	Machine  string        `json:"machine" minLength:"1" maxLength:"256"`
	Platform string        `json:"platform,omitempty" maxLength:"64"`
	Queues   []stock.Queue `json:"queues" maxItems:"2000"`
}

// NewTest says where a test page goes.
type NewTest struct {
	Kind  string `json:"kind" enum:"server,device"`
	Name  string `json:"name" minLength:"1" maxLength:"256"`
	Queue string `json:"queue,omitempty" maxLength:"256" doc:"On the server."`
}

// TestLine is one line of a test page's stream: a state of the job, and at last the result or a problem.
type TestLine struct {
	Job     *stock.Job       `json:"job,omitempty"`
	Result  *stock.TestSheet `json:"result,omitempty"`
	Problem *Problem         `json:"problem,omitempty"`
}

// NewCredential is a key as it is entered; it is never given back.
type NewCredential struct {
	Name    string     `json:"name" minLength:"1" maxLength:"63"`
	Kind    string     `json:"kind" enum:"sign-in,snmp,snmp-usm"`
	User    string     `json:"user,omitempty" maxLength:"256"`
	Secret  string     `json:"secret" minLength:"1" maxLength:"1024" doc:"The password, the community, or the authentication's key."`
	Privacy string     `json:"privacy,omitempty" maxLength:"1024" doc:"The privacy's key, of snmp-usm."`
	For     []string   `json:"for,omitempty" maxItems:"256" doc:"What it is for: server:NAME, device:NAME, notice:NAME or mail; a host name for what is watched there; of an SNMP community also addresses and networks."`
	Expires *time.Time `json:"expires,omitempty"`
	Clear   bool       `json:"allow_clear,omitempty" doc:"It may be sent without TLS, where others can read it."`
	Try     string     `json:"try,omitempty" maxLength:"1024" doc:"Where it is tried at once; something that is watched and fits when absent."`
}

// AddedPackage is a package, and whether it was there already.
type AddedPackage struct {
	Package driver.Package `json:"package"`
	Known   bool           `json:"known" doc:"The same files were kept already; nothing was added."`
}

// NewPlace is where drivers are fetched from.
type NewPlace struct {
	URL        string `json:"url" minLength:"1" maxLength:"1024" doc:"The folder, https://HOST/PATH/, with a file SHA256SUMS in it, as sha256sum writes one; or ipps://HOST/, whose spooler brings drivers along."`
	CA         string `json:"ca,omitempty" maxLength:"65536" doc:"PEM; the system's authorities when absent."`
	AllowClear bool   `json:"allow_clear,omitempty" doc:"It may be plain HTTP or IPP, where others can change what is fetched, and its checksums."`
	Note       string `json:"note,omitempty" maxLength:"4096"`
	Try        bool   `json:"try,omitempty" doc:"Only try it; nothing is kept."`
}

// PlaceOffers is a place with what it offers.
type PlaceOffers struct {
	Place  driver.PlaceView `json:"place"`
	Offers []driver.Offered `json:"offers"`
	Total  int              `json:"total" doc:"How many of what it offers have the words, shown or not."`
}

// NewFetch asks for an archive of a place.
type NewFetch struct {
	File string `json:"file" minLength:"1" maxLength:"400" doc:"As the place lists it, or the exact name of a driver that its spooler brings along."`
	Name string `json:"name,omitempty" maxLength:"200" doc:"What the package is called here; the file's name when absent."`
	Dry  bool   `json:"dry,omitempty" doc:"Only look which names are in it; nothing is kept."`
}

// Choices are names that may be chosen.
type Choices struct {
	Total   int             `json:"total"`
	Choices []driver.Choice `json:"choices"`
	Advice  string          `json:"advice,omitempty" doc:"Which page languages the uses asked about come to, in a sentence."`
}

// Compared is a comparison of two names.
type Compared struct {
	A string `json:"a"`
	B string `json:"b" doc:"The nearest known name where none was given."`
	driver.Comparison
}

// Rename gives queues new names by a pattern.
type Rename struct {
	Queues  []string `json:"queues" minItems:"1" maxItems:"10000"`
	Pattern string   `json:"pattern" minLength:"1" maxLength:"256" doc:"{name}, {title}, {location}, {site}, {last} and {n} stand for the queue's own."`
	Dry     bool     `json:"dry,omitempty" doc:"Only say which names they would have."`
}

// SecondQueue is another queue on the devices of one, in another page language.
type SecondQueue struct {
	Queue    string `json:"queue" minLength:"1" maxLength:"256"`
	Called   string `json:"called" minLength:"1" maxLength:"63" doc:"The new queue's name."`
	Title    string `json:"title,omitempty" maxLength:"256" doc:"The queue's title with the language behind it when absent."`
	Language string `json:"language" minLength:"1" maxLength:"32" doc:"As driver names tell it, such as PostScript."`
	Dry      bool   `json:"dry,omitempty" doc:"Only say what it would be."`
}

// MadeSecond is what a second queue would be, and the draft once it is in there.
type MadeSecond struct {
	Proposal adopt.Proposal `json:"proposal"`
	Draft    *Draft         `json:"draft,omitempty"`
}

// RenameObject gives one object of the estate another name.
type RenameObject struct {
	List   string `json:"list" enum:"locations,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances"`
	Object string `json:"object" minLength:"1" maxLength:"256"`
	To     string `json:"to" minLength:"1" maxLength:"256"`
	Dry    bool   `json:"dry,omitempty" doc:"Only say what would follow."`
}

// Renamed is what came of it.
type Renamed struct {
	Names []bulk.Renaming `json:"names"`
	Draft *Draft          `json:"draft"`
}

// Move rewrites queues so that they no longer lead through a server.
type Move struct {
	Server   string   `json:"server" minLength:"1" maxLength:"63"`
	To       string   `json:"to" enum:"device,gateway,server"`
	ToServer string   `json:"to_server,omitempty" maxLength:"63" doc:"To which server, where it is one."`
	Wave     int      `json:"wave,omitempty" minimum:"0" maximum:"100" doc:"How many percent of the server's queues go with this wave; the path through the server stays behind the new one then, as it always does where they go to a server."`
	Back     bool     `json:"back,omitempty" doc:"Take the new path out again."`
	Queues   []string `json:"queues,omitempty" doc:"All that lead there when absent."`
	Dry      bool     `json:"dry,omitempty"`
}

// CompleteSet makes the members of a server set alike.
type CompleteSet struct {
	Set string `json:"set" minLength:"1" maxLength:"63"`
	Dry bool   `json:"dry,omitempty"`
}

// CompletedSet is what came of it.
type CompletedSet struct {
	Steps []adopt.Completion `json:"steps"`
	Draft *Draft             `json:"draft"`
}

// EndServer takes the paths through a server out where nothing and nobody needs them.
type EndServer struct {
	Server string    `json:"server" minLength:"1" maxLength:"63"`
	Quiet  span.Span `json:"quiet,omitempty" doc:"For so long nobody has to have printed through a queue, such as 14d, which holds when absent."`
	Dry    bool      `json:"dry,omitempty"`
}

// MovedQueues is what came of it.
type MovedQueues struct {
	Moved []decommission.Moved `json:"moved"`
	// Progress is how far a move in waves is.
	Progress *decommission.Progress `json:"progress" doc:"How far a move in waves is then; null of another."`
	Draft    *Draft                 `json:"draft"`
}
