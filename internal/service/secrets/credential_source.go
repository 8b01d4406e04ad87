package secrets

import (
	"cirque/core/directory"
	"cirque/core/stock"
)

// sourceKeyName binds a sealed password to its source and to where it is sent: whoever changes the address enters it
// anew.
func sourceKeyName(v directory.Source) string {
	return stock.Sealed{Kind: stock.SealedSource, Name: v.Name, Of: v.URL}.Under()
}

// Seal seals what another room keeps under a name that says what and whose it is.
func (s *Room) Seal(name, secret string) ([]byte, error) {
	return s.seal(name, sealedKey{Secret: secret})
}

// Open gives what Seal sealed under that name.
func (s *Room) Open(name string, sealed []byte) (string, error) {
	k, err := s.unseal(name, sealed)
	return k.Secret, err
}

// SealSource seals the password with which a source is read.
func (s *Room) SealSource(v directory.Source, word string) ([]byte, error) {
	return s.seal(sourceKeyName(v), sealedKey{Secret: word})
}

// SourcePassword gives the password with which a source is read; "" where it is read without.
func (s *Room) SourcePassword(v directory.Source, sealed []byte) (string, error) {
	if v.Bind == "" || sealed == nil {
		return "", nil
	}
	k, err := s.unseal(sourceKeyName(v), sealed)
	return k.Secret, err
}
