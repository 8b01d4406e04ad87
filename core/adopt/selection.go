package adopt

// Kinds of what is adopted, besides servers' queues and devices on the network.
const (
	KindCapture  = "capture"  // a reference machine's queues, as it handed them in; From is the machine
	KindAttached = "attached" // what is plugged into a machine, as its agent told; From is the machine
)

// A Selection names something found: a server's queue, a reference machine's, or a device.
type Selection struct {
	Kind  string   `json:"kind" enum:"server,capture,device,attached"`
	From  string   `json:"from" minLength:"1" maxLength:"256" doc:"The server, the reference machine, the device, or the machine into which it is plugged; of a device that is not listed, its address."`
	Found []string `json:"found,omitempty" doc:"The queues' names; all when absent; of what is plugged in, URIs. Not for devices."`
}
