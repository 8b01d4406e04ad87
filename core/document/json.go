package document

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"slices"
	"strconv"

	"go.yaml.in/yaml/v3"
)

type jsonError struct {
	line int
	what string
}

// readJSON builds the same tree from JSON, with lines, so that both forms share everything after it.
func readJSON(data []byte) (*tree, *jsonError) {
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.UseNumber()
	line, seen := 1, 0
	here := func() int {
		at := int(dec.InputOffset())
		line += bytes.Count(data[seen:at], []byte{'\n'})
		seen = at
		return line
	}
	fail := func(err error) *jsonError {
		l := here()
		if se, ok := errors.AsType[*json.SyntaxError](err); ok {
			l = 1 + bytes.Count(data[:min(int(se.Offset), len(data))], []byte{'\n'})
		}
		if errors.Is(err, io.EOF) {
			err = io.ErrUnexpectedEOF
		}
		return &jsonError{l, err.Error()}
	}
	var read func(depth int) (tree, *jsonError)
	read = func(depth int) (tree, *jsonError) {
		tok, err := dec.Token()
		if err != nil {
			return tree{}, fail(err)
		}
		n := tree{kind: yaml.ScalarNode, line: int32(here())}
		switch v := tok.(type) {
		case json.Delim:
			if depth > maxDepth {
				return tree{}, &jsonError{int(n.line), "nested too deeply"}
			}
			n.kind = yaml.SequenceNode
			if v == '{' {
				n.kind = yaml.MappingNode
			}
			for dec.More() {
				c, err := read(depth + 1)
				if err != nil {
					return tree{}, err
				}
				n.content = append(n.content, c)
			}
			n.content = slices.Clone(n.content) // what growing left over is let go
			if _, err := dec.Token(); err != nil {
				return tree{}, fail(err)
			}
		case string:
			n.value = v
		case json.Number:
			n.tag, n.value = tagFloat, v.String()
			if _, err := strconv.Atoi(n.value); err == nil {
				n.tag = tagInt
			}
		case bool:
			n.tag, n.value = tagBool, strconv.FormatBool(v)
		default:
			n.tag, n.value = tagNull, "null"
		}
		return n, nil
	}
	root, jerr := read(0)
	if jerr != nil {
		return nil, jerr
	}
	if _, err := dec.Token(); !errors.Is(err, io.EOF) {
		return nil, &jsonError{here(), "something follows the end of the document"}
	}
	return &root, nil
}
