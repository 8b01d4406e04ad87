package endpoint

import "strings"

// An Unreached machine receives queues, and no agent has ever reported from it.
type Unreached struct {
	Machine  string   `json:"machine"`
	Known    string   `json:"known" enum:"directory,station" doc:"Who knows it: the directory, or the estate as a station."`
	Platform string   `json:"platform,omitempty"`
	Location string   `json:"location,omitempty"`
	Queues   []string `json:"queues" doc:"That it is to have, whoever sits there."`
	Enrolled bool     `json:"enrolled" doc:"It has a certificate or token, and yet has not reported."`
	Why      string   `json:"why"`
	Instead  string   `json:"instead" doc:"What does reach it."`
}

// Reach says why nothing arrives at a machine without an agent, and what does reach one of its platform.
func Reach(platform string, enrolled bool) (why, instead string) {
	system, _, _ := strings.Cut(platform, "/")
	switch {
	case enrolled:
		return "it was let in, and its agent has never reported", "start the agent there, and see what it says: " +
			"cirque-agent checkup"
	case system == "linux":
		return "no agent has reported from it", "install the agent and enrol the machine: cirque enrol token NAME"
	case system == "windows" || system == "macos":
		return "no agent has reported from it; the agent does not drive this system's spooler yet",
			"give its queues a path through the gateway, and add them there by their address over IPP"
	case system == "":
		return "no agent has reported from it, and its platform is not known", "write its platform in the directory or at " +
			"the station; then install the agent, or use the gateway's address"
	}
	return "no agent runs on " + system, "give its queues a path through the gateway; such devices take a printer by " +
		"its address over IPP"
}
