package stock

import "strconv"

// Sealed is something that is kept sealed.
type Sealed struct {
	Kind string // one of the constants below
	Name string // of a key or source, or whose second factor it is
	Of   string // the address of a source, the kind of a second factor
	ID   int64  // of a second factor or a job
	Body []byte
}

// What is sealed.
const (
	SealedKey    = "key"
	SealedSource = "source"
	SealedFactor = "factor"
	// SealedDocument is the key of a job's document, by the job's number.
	SealedDocument = "document"
)

// Under is the name under which it is sealed, which binds it to what and whose it is: no row can stand for another, a
// source's password goes nowhere but to its address, and no key has such a name (estate.ValidName has no colon).
func (k Sealed) Under() string {
	switch k.Kind {
	case SealedSource:
		return "source:" + k.Name + " " + k.Of
	case SealedFactor:
		return "factor:" + k.Of + " " + k.Name
	case SealedDocument:
		return "document:" + strconv.FormatInt(k.ID, 10)
	}
	return k.Name
}
