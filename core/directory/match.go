package directory

// A Match is one thing of the directory or the estate that a search turned up.
type Match struct {
	Kind   string `json:"kind" enum:"user,group,unit,machine,station,location,queue,grant,server,server set,device,driver,subnet,found queue,found device"`
	Name   string `json:"name"`
	Says   string `json:"says" doc:"What sets it apart, such as a person's full name or a location's title."`
	Detail string `json:"detail,omitempty" doc:"Such as the unit."`
}

// Linked is how it is decided who is one person, and what came of it.
type Linked struct {
	Links
	People  int      `json:"people" doc:"Who have several accounts or names."`
	Remarks []string `json:"remarks" doc:"What looked like one person and was not linked."`
	Sources []string `json:"sources" doc:"From which users come."`
}

// An UnmatchedName is a name under which somebody sits at an endpoint, and which no directory has.
type UnmatchedName struct {
	Name     string   `json:"name"`
	Machines []string `json:"machines"`
	Near     []string `json:"near" doc:"Users whom it may stand for."`
}

// MatchKinds are the kinds of things that a search finds.
func MatchKinds() []string {
	return []string{"user", "group", "unit", "machine", "station", "location", "queue", "grant", "server", "server set",
		"device", "driver", "subnet", "found queue", "found device"}
}
