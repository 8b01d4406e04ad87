package stock

// Sealed is something that is kept sealed.
type Sealed struct {
	Kind string // one of the constants below
	Name string // of a key or source, or whose second factor it is
	Of   string // the address of a source, the kind of a second factor
	ID   int64  // of a second factor
	Body []byte
}

// What is sealed.
const (
	SealedKey    = "key"
	SealedSource = "source"
	SealedFactor = "factor"
)
