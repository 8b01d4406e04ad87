package estate

import (
	"bytes"

	"go.yaml.in/yaml/v3"
)

// Sorted gives a copy with every list of objects by name (subnets by address, locations by path), the order of export.
// What has an order of its own, such as a queue's paths, keeps it.
func (d *Document) Sorted() *Document {
	c := *d
	for _, t := range tables {
		t.sort(&c)
	}
	return &c
}

// YAML writes the document in the order of export. Parse reads it back to the same document.
func (d *Document) YAML() ([]byte, error) {
	var b bytes.Buffer
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := enc.Encode(d.Sorted()); err != nil {
		return nil, err
	}
	return b.Bytes(), enc.Close()
}
