package document

import "go.yaml.in/yaml/v3"

// tree is one value as it was written: a yaml.Node without what nobody asks for, since a large document has a million.
type tree struct {
	value   string
	content []tree
	alias   *tree
	line    int32
	kind    yaml.Kind
	tag     tag
}

// tag is what a scalar was resolved to.
type tag uint8

const (
	tagText tag = iota
	tagInt
	tagFloat
	tagBool
	tagNull
)

var tags = map[string]tag{"!!int": tagInt, "!!float": tagFloat, "!!bool": tagBool, "!!null": tagNull}

// plant copies a YAML tree. Aliases lead to the copy of what they name, which may hold them.
func plant(n *yaml.Node) *tree {
	copies := map[*yaml.Node]*tree{}
	var fill func(into *tree, n *yaml.Node)
	fill = func(into *tree, n *yaml.Node) {
		if n.Anchor != "" {
			copies[n] = into
		}
		*into = tree{value: n.Value, line: int32(n.Line), kind: n.Kind, tag: tags[n.Tag]}
		if n.Kind == yaml.AliasNode {
			into.alias = copies[n.Alias] // what is named stands before
			return
		}
		into.content = make([]tree, len(n.Content))
		for i, c := range n.Content {
			fill(&into.content[i], c)
			n.Content[i] = nil // the original is let go as the copy grows
		}
	}
	root := new(tree)
	fill(root, n)
	return root
}
