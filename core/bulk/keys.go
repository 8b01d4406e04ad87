package bulk

import (
	"encoding"
	"reflect"
	"slices"
	"strings"

	"cirque/core/estate"
)

// A Shape is how a key's value is written.
type Shape string

// The shapes.
const (
	Text    Shape = "text"
	Flag    Shape = "flag"    // yes or no
	Number  Shape = "number"  // whole
	Words   Shape = "words"   // entries, divided by commas
	Windows Shape = "windows" // mon tue 08:00-17:00; sat 09:00-12:00
	Paths   Shape = "paths"   // device:hall-40; set:ardholm-pair=Hall Mono; gateway
	Pairs   Shape = "pairs"   // KEY=VALUE; KEY=VALUE
	Group   Shape = "group"   // has keys of its own
)

// A Key is something that an object of the estate says.
type Key struct {
	Name  string   `json:"name"`
	Shape Shape    `json:"shape" enum:"text,flag,number,words,windows,paths,pairs,group"`
	Doc   string   `json:"doc,omitempty"`
	Among []string `json:"among,omitempty" doc:"The values that there are; any when absent."`
	Keys  []Key    `json:"keys,omitempty" doc:"Of a group: those within."`
}

// Keys gives what an object of a list says, in the order of export: from the types themselves, so that none is
// forgotten. Of settings each has keys of its own. Nil where there is no such list, or no such setting.
func Keys(of estate.Ref) []Key {
	v := estate.Empty(of)
	if v == nil {
		return nil
	}
	return keysOf(reflect.TypeOf(v).Elem())
}

// A Keyed is a list of the estate, or one setting, with its keys.
type Keyed struct {
	List string `json:"list"`
	Name string `json:"name,omitempty" doc:"Of a setting."`
	Word string `json:"word" doc:"What one object is called."`
	By   string `json:"by" doc:"The key by which objects are called."`
	Keys []Key  `json:"keys"`
}

// AllKeys gives the keys of every list and setting.
func AllKeys() []Keyed {
	var out []Keyed
	for _, l := range estate.Lists() {
		out = append(out, KeysIn(l)...)
	}
	return out
}

// KeysIn gives the keys of one list, or those of each setting.
func KeysIn(list string) []Keyed {
	names := []string{""}
	if list == "settings" {
		names = estate.SettingNames()
	}
	var out []Keyed
	for _, n := range names {
		out = append(out, Keyed{list, n, estate.Word(list), NameKey(list), Keys(estate.Ref{List: list, Name: n})})
	}
	return out
}

// NameKey is the key by which objects of a list are called.
func NameKey(list string) string {
	switch list {
	case "locations":
		return "path"
	case "subnets":
		return "cidr"
	}
	return "name"
}

var marshals = reflect.TypeFor[encoding.TextMarshaler]()

func keysOf(t reflect.Type) []Key {
	var out []Key
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "" || name == "-" {
			continue
		}
		k := Key{Name: name, Doc: f.Tag.Get("doc"), Shape: shapeOf(f.Type)}
		if among := f.Tag.Get("enum"); among != "" {
			k.Among = strings.Split(among, ",")
		}
		if k.Shape == Group {
			k.Keys = keysOf(f.Type.Elem())
		}
		out = append(out, k)
	}
	return out
}

func shapeOf(t reflect.Type) Shape {
	if t.Implements(marshals) {
		return Text
	}
	switch t.Kind() {
	case reflect.Bool:
		return Flag
	case reflect.Int, reflect.Int64:
		return Number
	case reflect.Map:
		return Pairs
	case reflect.Slice:
		switch t.Elem() {
		case reflect.TypeFor[estate.Window]():
			return Windows
		case reflect.TypeFor[estate.Path]():
			return Paths
		}
		return Words
	case reflect.Pointer:
		if t.Elem().Kind() == reflect.Struct && !t.Elem().Implements(marshals) {
			return Group
		}
		return shapeOf(t.Elem())
	default:
		return Text
	}
}

// find gives the key of a name among keys.
func find(keys []Key, name string) *Key {
	if i := slices.IndexFunc(keys, func(k Key) bool { return k.Name == name }); i >= 0 {
		return &keys[i]
	}
	return nil
}

func names(keys []Key) []string {
	out := make([]string, len(keys))
	for i, k := range keys {
		out[i] = k.Name
	}
	return out
}
