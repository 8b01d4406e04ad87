package agentproto

// Paths of updates. Machines that have reported are told by the header Cirque-Update that they are to ask at
// UpdatePath; parts of packages are at UpdatePath/parts/DIGEST/NUMBER.
const (
	UpdatePath     = "/api/v1/endpoints/update"
	UpdateSaidPath = "/api/v1/endpoints/update/said"
	UpdatePartPath = "/api/v1/endpoints/update/parts"
)

// Headers of updates. UpdatesHeader goes with a report, and says how the agent is brought to another version;
// UpdateHeader comes back, and names the order by which the machine is told, such as "17" or "17 back".
const (
	UpdatesHeader = "Cirque-Updates"
	UpdateHeader  = "Cirque-Update"
)

// ConsentHeader goes with the report of an agent that changes nothing before somebody has agreed; it says "asked".
const ConsentHeader = "Cirque-Consent"

// An UpdateRequest asks for the package that a machine is to install.
type UpdateRequest struct {
	Version  string `json:"version" maxLength:"64" doc:"That runs now."`
	Platform string `json:"platform" maxLength:"32"`
	Kind     string `json:"kind" maxLength:"16" doc:"Of its package: deb, rpm, msi or archive."`
}

// An UpdateOffer is what to install. The answer is signed, and so the checksums are the service's.
type UpdateOffer struct {
	Order int64          `json:"order"`
	To    UpdatePackage  `json:"to"`
	Back  *UpdatePackage `json:"back,omitempty" doc:"The package of the version that runs now: the machine's own way back."`
}

// An UpdatePackage is a package of the agent, in parts of a mebibyte.
type UpdatePackage struct {
	Version string `json:"version"`
	File    string `json:"file"`
	SHA256  string `json:"sha256"`
	Bytes   int64  `json:"bytes"`
}

// An UpdateSaid tells that a machine begins to install a version, or what came of it.
type UpdateSaid struct {
	Order  int64  `json:"order"`
	State  string `json:"state" enum:"begun,came,failed,back"`
	Former string `json:"former" maxLength:"64" doc:"The version that it had."`
	Says   string `json:"says,omitempty" maxLength:"2000"`
}
