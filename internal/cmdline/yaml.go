package cmdline

import (
	"encoding/json"
	"io"

	"go.yaml.in/yaml/v3"
)

// encodeYAML goes by way of JSON, so that both forms have the same keys.
func encodeYAML(w io.Writer, v any) error {
	b, err := json.Marshal(v)
	if err != nil {
		return err
	}
	var n yaml.Node
	if err := yaml.Unmarshal(b, &n); err != nil {
		return err
	}
	plain(&n)
	enc := yaml.NewEncoder(w)
	enc.SetIndent(2)
	if err := enc.Encode(&n); err != nil {
		return err
	}
	return enc.Close()
}

// plain takes JSON's quotes and braces out of a tree; an empty list stays one.
func plain(n *yaml.Node) {
	if n.Style = 0; len(n.Content) == 0 && (n.Kind == yaml.SequenceNode || n.Kind == yaml.MappingNode) {
		n.Style = yaml.FlowStyle
	}
	for _, c := range n.Content {
		plain(c)
	}
}
