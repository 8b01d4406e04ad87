package api

import "cirque/core/update"

// AddedAgentPackage is a package of the agent that is kept now.
type AddedAgentPackage struct {
	Package update.AgentPackage `json:"package"`
	Known   bool                `json:"known" doc:"It was kept already."`
}

// NewUpdate asks for machines to be brought to another version of the agent.
type NewUpdate struct {
	Version string `json:"version" maxLength:"64"`
	Site    string `json:"site,omitempty" maxLength:"63" doc:"Only its machines; all when absent."`
	Shares  []int  `json:"shares,omitempty" maxItems:"10" doc:"The stages, in percent, ascending to 100; 5, 25, 100 when absent."`
	Each    int    `json:"each,omitempty" minimum:"0" doc:"How long each stage is watched, in seconds; four hours when absent."`
	Faults  int    `json:"faults,omitempty" minimum:"0" doc:"How many machines may fail before it pauses; none when absent."`
}

// UpdateAct says what is to be done with an update.
type UpdateAct struct {
	Do string `json:"do" enum:"pause,go-on,back,end"`
}
