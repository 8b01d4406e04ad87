package agentproto

import "time"

// Paths of enrolling. EnrolPath and those of pairing are asked without signing in, over TLS; the
// others with the certificate that it gave.
const (
	EnrolPath   = "/api/v1/enrolments"
	PairPath    = "/api/v1/pairings"
	ShowPath    = "/api/v1/pairings/show"
	ClaimPath   = "/api/v1/pairings/claim"
	RenewPath   = "/api/v1/enrolments/renew"
	WhoPath     = "/api/v1/endpoints/who"
	SaidWhoPath = "/api/v1/endpoints/said-who"
	DriverPath  = "/api/v1/endpoints/driver"
	PlacesPath  = "/api/v1/endpoints/places"
	CheckupPath = "/api/v1/endpoints/checkup"
)

// A PlacesRequest asks where queues are, for people to read in their print dialog.
type PlacesRequest struct {
	Queues []string `json:"queues" maxItems:"4096"`
}

// Places are where queues are, in words, by name; one that has no location is left out.
type Places struct {
	Places map[string]string `json:"places"`
	Closed map[string]Closed `json:"closed,omitempty" doc:"Those of the queues that take no jobs at present."`
	Units  map[string]Units  `json:"units,omitempty" doc:"What is fitted to their printers, for their drivers."`
}

// Units are what is fitted to a queue's printer.
type Units struct {
	Trays      []string `json:"trays,omitempty"`
	TwoSided   *bool    `json:"two-sided,omitempty"`
	Finishings []string `json:"finishings,omitempty"`
}

// A Closed says why a queue takes no jobs, and until when, so that an agent that hears nothing more opens it in time.
type Closed struct {
	Says  string     `json:"says"`
	Until *time.Time `json:"until,omitempty" doc:"When its hours begin again; absent where it is paused."`
}

// A DriverRequest asks for what is needed to install a driver.
type DriverRequest struct {
	Exact    string `json:"exact" maxLength:"512" doc:"The driver's exact name."`
	Platform string `json:"platform" maxLength:"32"`
}

// A Driver is what is needed to install one. Its files are at DriverPath/DIGEST/file?path=PATH.
type Driver struct {
	Exact     string       `json:"exact"`
	Package   string       `json:"package" doc:"The digest of the package that has it."`
	SetUpFile string       `json:"set_up_file" doc:"The file that describes it, among the others."`
	Files     []DriverFile `json:"files"`
}

// A DriverFile is one file with its checksum.
type DriverFile struct {
	Path   string `json:"path"`
	SHA256 string `json:"sha256"`
	Bytes  int64  `json:"bytes"`
}

// An EnrolRequest asks for a machine's first certificate.
type EnrolRequest struct {
	Token     string   `json:"token" maxLength:"256" doc:"After its last dot stands the SHA-256 of the certificate of the authority by which the service is known, hexadecimal."`
	Machine   string   `json:"machine" maxLength:"255"`
	Request   string   `json:"request" maxLength:"16384" doc:"A certificate request (RFC 2986), PEM. Only its key counts."`
	Addresses []string `json:"addresses,omitempty" maxItems:"64" doc:"Of the machine, to know its site."`
	Follows   bool     `json:"follows,omitempty" doc:"It takes the authorities that the answer gives for those by which it knows the service."`
}

// A PairRequest asks for a machine to be let in by a code that it shows (core/access.PairCode).
type PairRequest struct {
	Machine    string   `json:"machine" maxLength:"255" doc:"As it calls itself."`
	System     string   `json:"system,omitempty" maxLength:"32" doc:"Its platform, such as linux/x64."`
	Request    string   `json:"request" maxLength:"16384" doc:"A certificate request (RFC 2986), PEM. Only its key counts."`
	Addresses  []string `json:"addresses,omitempty" maxItems:"64" doc:"Of the machine, to know its site."`
	Follows    bool     `json:"follows,omitempty" doc:"It takes the authorities that the answer gives for those by which it knows the service."`
	Commitment string   `json:"commitment" pattern:"^[0-9a-f]{64}$" doc:"SHA-256 of the machine's nonce, hexadecimal."`
}

// A PairAnswer is what the machine works the code out from.
type PairAnswer struct {
	Ticket    string    `json:"ticket" doc:"With which it goes on."`
	Nonce     string    `json:"nonce" doc:"The service's."`
	Authority string    `json:"authority" doc:"SHA-256 of the certificate of the authority by which the service is known, hexadecimal."`
	EndsAt    time.Time `json:"ends_at"`
}

// A ShowRequest tells the nonce that the machine has committed to: it shows the code from now on.
type ShowRequest struct {
	Ticket string `json:"ticket" maxLength:"64"`
	Nonce  string `json:"nonce" minLength:"26" maxLength:"128" doc:"At least 128 bits as text."`
}

// A ClaimRequest asks for the certificate.
type ClaimRequest struct {
	Ticket string `json:"ticket" maxLength:"64"`
}

// A ClaimAnswer gives it, once somebody has typed the code.
type ClaimAnswer struct {
	Waits bool         `json:"waits,omitempty" doc:"Nobody has typed the code yet."`
	Given *EnrolAnswer `json:"given,omitempty"`
}

// A RenewRequest asks for the next certificate.
type RenewRequest struct {
	Request string `json:"request" maxLength:"16384" doc:"A certificate request (RFC 2986), PEM, for a new key."`
	Follows bool   `json:"follows,omitempty" doc:"It takes the authorities that the answer gives for those by which it knows the service."`
}

// An EnrolAnswer gives a certificate.
type EnrolAnswer struct {
	Machine     string    `json:"machine" doc:"As the directory writes it."`
	Certificate string    `json:"certificate" doc:"PEM."`
	Authority   string    `json:"authority" doc:"The certificates of the authority by which the service is known, and of the one that comes next, PEM."`
	ExpiresAt   time.Time `json:"expires_at"`
	AnswerKey   string    `json:"answer_key" doc:"The key by which the service's answers are known: Ed25519, base64."`
}

// IssuerHeader tells a machine that another authority than that of its certificate issues now: it is to renew. The
// value is the SHA-256 of that one's certificate, hexadecimal.
const IssuerHeader = "Cirque-Issuer"

// A WhoRequest asks how people are known, and which names are unknown.
type WhoRequest struct {
	Names []string `json:"names" maxItems:"256"`
}

// A SaidWho tells who a person at the machine says they are.
type SaidWho struct {
	Login    string `json:"login" maxLength:"256" doc:"The system's name."`
	Name     string `json:"name" maxLength:"256"`
	Password string `json:"password" maxLength:"1024"`
}

// A Person is who they are.
type Person struct {
	User string `json:"user"`
}

// AskHeader carries what the agent is asked to do besides, such as "checkup=17" or "checkup=17; queue=hall; try=plain".
// What is tried is written as in a query (RFC 3986 with + for a space).
const AskHeader = "Cirque-Ask"

// A CheckupAnswer is what an agent found from its own place.
type CheckupAnswer struct {
	ID     int64   `json:"id"`
	Checks []Check `json:"rungs" maxItems:"500"`
	Tried  string  `json:"tried,omitempty" maxLength:"512" doc:"With what the test page was printed, where it was asked to try something."`
}

// A Check is one look at something: what was asked, what came of it, and how to mend it.
type Check struct {
	Check  string `json:"check" maxLength:"1000"`
	Result string `json:"result" enum:"yes,no,unproven"`
	Says   string `json:"says" maxLength:"2000"`
	Fix    string `json:"fix,omitempty" maxLength:"2000"`
}
