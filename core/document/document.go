// Package document reads YAML and JSON strictly: every complaint carries the file, the line and a fix, and reading goes
// on, so that all complaints come at once. "Read" means from bytes to values with complaints; nothing is defaulted
// here.
package document

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"cirque/core/fault"
	"cirque/core/words"
)

// Limits on what is read, against documents made to exhaust memory.
const (
	maxDepth = 64
	maxNodes = 4_000_000
	// Of very many complaints the first are told (estate.md, section 1).
	maxProblems = fault.MostDetails
)

// A File is one input with the name that complaints use.
type File struct {
	Name string `json:"name" doc:"Shown in complaints."`
	Text string `json:"text" doc:"YAML or JSON."`
}

// A Reader collects complaints over any number of files.
type Reader struct {
	problems []problem // the first ones, and some that may not be
	more     int       // that were counted and let go
	files    int
	nodes    int
}

// Problems returns the first complaints, by file and line, and how many there are in all.
func (r *Reader) Problems() (first []fault.Detail, all int) {
	r.cut()
	for _, p := range r.problems {
		first = append(first, p.Detail)
	}
	return first, len(first) + r.more
}

// cut keeps the first complaints.
func (r *Reader) cut() {
	slices.SortStableFunc(r.problems, func(a, b problem) int {
		return cmp.Or(cmp.Compare(a.file, b.file), cmp.Compare(a.line, b.line))
	})
	if over := len(r.problems) - maxProblems; over > 0 {
		r.more += over
		r.problems = slices.Delete(r.problems, maxProblems, len(r.problems))
	}
}

// note keeps a complaint, as long as it may be one of the first.
func (r *Reader) note(p problem) {
	if r.problems = append(r.problems, p); len(r.problems) == 4*maxProblems {
		r.cut()
	}
}

// A problem is a complaint with what it is sorted by: the file's number and the line.
type problem struct {
	fault.Detail
	file, line int
}

// A Node is one value in a file. The zero Node stands nowhere.
type Node struct {
	r     *Reader
	file  string
	nth   int // of the file
	y     *tree
	depth int
}

// Place says where the node stands, such as "estate.yaml:12".
func (n Node) Place() string {
	if n.y == nil {
		return n.file
	}
	return n.file + ":" + strconv.Itoa(int(n.y.line))
}

// Complain records that something is wrong with the node.
func (n Node) Complain(fix, format string, args ...any) {
	line := 0
	if n.y != nil {
		line = int(n.y.line)
	}
	n.r.note(problem{fault.Detail{Place: n.Place(), What: fmt.Sprintf(format, args...), Fix: fix}, n.nth, line})
}

// Read reads a file into its documents (a YAML file may hold several). Syntax errors are complaints.
func (r *Reader) Read(f File) []Node {
	data := bytes.TrimPrefix([]byte(f.Text), []byte("\xef\xbb\xbf"))
	r.files++
	at := Node{r: r, file: f.Name, nth: r.files}
	if trimmed := bytes.TrimSpace(data); len(trimmed) == 0 {
		at.Complain("put at least one list into it, or leave it out", "the file is empty")
		return nil
	} else if line, what := beyond(data); what != "" {
		at.y = &tree{line: int32(line)}
		at.Complain("split it into plain, smaller documents", "%s", what)
		return nil
	} else if trimmed[0] == '{' {
		// JSON has escapes and tabs that YAML does not take; what is no JSON may still be YAML in flow style.
		y, err := readJSON(data)
		if err == nil {
			return []Node{{r: r, file: f.Name, nth: r.files, y: y}}
		}
		if strings.HasSuffix(f.Name, ".json") {
			at.y = &tree{line: int32(err.line)}
			at.Complain("", "not valid JSON: %s", err.what)
			return nil
		}
	}
	var docs []Node
	dec := yaml.NewDecoder(bytes.NewReader(data))
	for {
		var doc yaml.Node
		err := dec.Decode(&doc)
		if errors.Is(err, io.EOF) {
			return docs
		}
		if err != nil {
			line, what := yamlError(err)
			at.y = &tree{line: int32(line)}
			at.Complain("", "not valid YAML: %s", what)
			return docs
		}
		if len(doc.Content) == 1 {
			docs = append(docs, Node{r: r, file: f.Name, nth: r.files, y: plant(doc.Content[0])})
		}
	}
}

var yamlLine = regexp.MustCompile(`^yaml: (?:line (\d+): )?(.*)`)

func yamlError(err error) (int, string) {
	m := yamlLine.FindStringSubmatch(strings.ReplaceAll(err.Error(), "\n", " "))
	if m == nil {
		return 1, err.Error()
	}
	line, _ := strconv.Atoi(m[1])
	return max(line, 1), m[2]
}

// deref follows an alias; depth and node counts bound what aliases can blow up.
func (n Node) child(y *tree) Node {
	for i := 0; y.kind == yaml.AliasNode && i < maxDepth; i++ {
		y = y.alias
	}
	n.r.nodes++
	return Node{r: n.r, file: n.file, nth: n.nth, y: y, depth: n.depth + 1}
}

func (n Node) overLimit() bool {
	if n.depth > maxDepth || n.r.nodes > maxNodes {
		n.Complain("split it into plain, smaller documents", "nested too deeply or too large")
		return true
	}
	return false
}

// IsNull says whether the value is null.
func (n Node) IsNull() bool { return n.y.kind == yaml.ScalarNode && n.y.tag == tagNull }

func (n Node) kind() string {
	switch {
	case n.IsNull():
		return "null"
	case n.y.kind == yaml.MappingNode:
		return "an object"
	case n.y.kind == yaml.SequenceNode:
		return "a list"
	}
	return strconv.Quote(n.y.value)
}

// Text reads a scalar as it is written; numbers and booleans are taken as their text.
func (n Node) Text() (string, bool) {
	if n.y.kind != yaml.ScalarNode || n.IsNull() {
		n.Complain("write a text", "a text is wanted here, found %s", n.kind())
		return "", false
	}
	return n.plain(n.y.value, mostText, true)
}

// Certificates reads a text of several lines that may be as long as authorities' certificates are.
func (n Node) Certificates() (string, bool) {
	if n.y.kind != yaml.ScalarNode || n.IsNull() {
		return n.Text()
	}
	return n.plain(n.y.value, mostCertificates, true)
}

// Lengths of texts, in bytes.
const (
	mostLine = 1024
	mostText = 16 << 10

	mostCertificates = 64 << 10
)

// plain complains of a text that is too long, or does something to whatever shows it.
func (n Node) plain(s string, most int, lines bool) (string, bool) {
	switch {
	case len(s) > most:
		n.Complain(fmt.Sprintf("write at most %d bytes", most), "the text has %d bytes", len(s))
	case words.Controls(s, lines):
		n.Complain("leave them out", "control characters stand in %q", s)
	default:
		return s, true
	}
	return "", false
}

// Bool reads true or false.
func (n Node) Bool() (v, ok bool) {
	if n.y.kind == yaml.ScalarNode && n.y.tag == tagBool {
		return strings.EqualFold(n.y.value, "true"), true
	}
	n.Complain("write true or false", "true or false is wanted here, found %s", n.kind())
	return false, false
}

// Int reads a whole number from lo to hi.
func (n Node) Int(lo, hi int) (int, bool) {
	v, err := strconv.Atoi(n.y.value)
	if n.y.kind != yaml.ScalarNode || n.y.tag != tagInt || err != nil || v < lo || v > hi {
		n.Complain(fmt.Sprintf("write a whole number from %d to %d", lo, hi), "a whole number from %d to %d is wanted "+
			"here, found %s", lo, hi, n.kind())
		return 0, false
	}
	return v, true
}

// List reads a list that has at least one element.
func (n Node) List() []Node {
	if n.overLimit() {
		return nil
	}
	if n.y.kind != yaml.SequenceNode {
		n.Complain("write a list: [ ... ]", "a list is wanted here, found %s", n.kind())
		return nil
	}
	if len(n.y.content) == 0 {
		n.Complain("leave the key out, or put something into the list", "the list is empty")
		return nil
	}
	out := make([]Node, 0, len(n.y.content))
	for i := range n.y.content {
		out = append(out, n.child(&n.y.content[i]))
	}
	return out
}

// A Text is one text of a list, with its place.
type Text struct {
	Node
	Value string
}

// Texts reads a list of texts.
func (n Node) Texts() []Text {
	var out []Text
	for _, c := range n.List() {
		if s, ok := c.Text(); ok {
			out = append(out, Text{c, s})
		}
	}
	return out
}

// Values gives the texts without their places.
func Values(texts []Text) []string {
	var out []string
	for _, t := range texts {
		out = append(out, t.Value)
	}
	return out
}

// Object reads a mapping. Keys that are not known are complaints naming the nearest known one; null values and repeated
// keys are complaints. Nil knows every key.
func (n Node) Object(known []string) (Object, bool) {
	o := Object{Node: n}
	if n.overLimit() {
		return o, false
	}
	if n.y.kind != yaml.MappingNode {
		n.Complain("write keys and values: "+strings.Join(known, ", "), "an object is wanted here, found %s", n.kind())
		return o, false
	}
	o.fields = make(map[string]Node, len(n.y.content)/2)
	for i := 0; i+1 < len(n.y.content); i += 2 {
		k, v := n.child(&n.y.content[i]), n.child(&n.y.content[i+1])
		key, ok := k.Text()
		if !ok {
			continue
		}
		_, again := o.fields[key]
		switch {
		case again:
			k.Complain("leave one of the two out", "the key %q stands here twice", key)
		case known != nil && !slices.Contains(known, key):
			k.Complain(nearestFix(key, known), "unknown key %q", key)
		case v.IsNull():
			k.Complain("give it a value or leave the key out", "%q has no value", key)
		default:
			o.fields[key] = v
			o.keys = append(o.keys, key)
		}
	}
	return o, true
}

// Value reads a value of IPP kind: a text, whole number, truth, or a list of these.
func (n Node) Value() (any, bool) {
	switch {
	case n.y.kind == yaml.SequenceNode:
		var out []any
		for _, c := range n.List() {
			if c.y.kind != yaml.ScalarNode {
				c.Complain("write texts or numbers", "a list of texts or numbers is wanted here, found %s", c.kind())
				return nil, false
			}
			v, ok := c.Value()
			if !ok {
				return nil, false
			}
			out = append(out, v)
		}
		return out, len(out) > 0
	case n.y.kind != yaml.ScalarNode || n.IsNull():
		n.Complain("write a text, a number, true or false, or a list of these", "an option's value is wanted "+
			"here, found %s", n.kind())
		return nil, false
	case n.y.tag == tagBool:
		return strings.EqualFold(n.y.value, "true"), true
	case n.y.tag == tagFloat:
		if v, err := strconv.ParseFloat(n.y.value, 64); err == nil && !math.IsInf(v, 0) && !math.IsNaN(v) {
			return v, true
		}
	case n.y.tag == tagInt:
		// One kind of number, as in JSON: what was read compares equal to what was kept.
		if v, err := strconv.Atoi(n.y.value); err == nil {
			return float64(v), true
		}
	}
	s, ok := n.plain(n.y.value, mostText, true)
	return s, ok
}
