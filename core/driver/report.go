package driver

// A Report tells how the estate's drivers, its queues and the packages compare.
type Report struct {
	Holdings   []Holding `json:"holdings"`
	Matrix     []Row     `json:"matrix" doc:"Each queue against each platform that machines have."`
	Unused     []string  `json:"unused" doc:"Digests of packages of which no driver of the estate is."`
	Superseded []string  `json:"superseded" doc:"Digests of packages of which newer ones have every name that the estate uses."`
	Generic    []string  `json:"generic" doc:"Queues that still have no driver of their maker's, though a package knows their devices' model."`
	Trouble    []Trouble `json:"trouble" doc:"What endpoints could not install with a driver, by what they reported last."`
}
