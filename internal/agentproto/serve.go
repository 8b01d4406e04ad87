package agentproto

// Paths of agents that keep print servers. The messages are server.Ask and server.Serving, which is signed and waited
// for as lineups are, and server.Report.
const (
	ServePath = "/api/v1/keepers/serving"
	KeptPath  = "/api/v1/keepers/report"
)
