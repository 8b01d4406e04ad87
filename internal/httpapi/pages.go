package httpapi

import (
	"encoding/json"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/page"
)

// Paging is how a part of a list is asked for.
type Paging struct { // exported: huma reads no embedded type that is not
	Limit int    `query:"limit" minimum:"1" maximum:"1000" default:"100" doc:"How many items at most."`
	After string `query:"after" maxLength:"1024" doc:"The next of the page before; the first page when absent."`
	Find  string `query:"find" maxLength:"256" doc:"Only items in which this is part of some text."`
}

func (p Paging) ask() page.Ask { return page.Ask{After: p.After, Limit: p.Limit} }

// paged is an answer with a part of a list.
type paged[T any] = *out[page.Page[T]]

// items answers with the part of a list that was asked for. key names an item, once in the list.
func items[T any](p Paging, list []T, err error, key func(*T) string) (paged[T], error) {
	if err != nil {
		return nil, err
	}
	return &out[page.Page[T]]{cut(p, list, key)}, nil
}

func number(id int64) string { return strconv.FormatInt(id, 10) }

// before is how a part of a history is asked for, where a former version's clients name the entry before which they
// want others.
func before(p Paging, id int64) page.Ask {
	if id > 0 && p.After == "" {
		p.After = strconv.FormatInt(id, 10)
	}
	return p.ask()
}

// offsetOf is from where on a list is asked for that knows only places.
func offsetOf(p Paging, offset int) (int, error) {
	if p.After == "" {
		return offset, nil
	}
	n, err := strconv.Atoi(p.After)
	if err != nil || n < 0 || n > math.MaxInt32 {
		return 0, fault.New(fault.Invalid, "after-invalid", "give the next of the page before, or leave it out",
			"after is %q, which is no place in this list", p.After)
	}
	return n, nil
}

// cut gives the part of a list that was asked for. key names an item, once in the list.
func cut[T any](p Paging, list []T, key func(*T) string) page.Page[T] {
	if p.Find != "" {
		folded := name.Fold(p.Find)
		list = slices.DeleteFunc(slices.Clone(list), func(v T) bool { return !mentions(reflect.ValueOf(&v), folded) })
	}
	return page.Cut(list, p.ask(), key)
}

var rawJSON = reflect.TypeFor[json.RawMessage]()

// mentions says whether a text is part of any that the API shows of a value.
func mentions(v reflect.Value, folded string) bool {
	if v.Type() == rawJSON {
		return strings.Contains(name.Fold(string(v.Bytes())), folded)
	}
	switch v.Kind() {
	case reflect.String:
		return strings.Contains(name.Fold(v.String()), folded)
	case reflect.Pointer, reflect.Interface:
		return !v.IsNil() && mentions(v.Elem(), folded)
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			if mentions(v.Index(i), folded) {
				return true
			}
		}
	case reflect.Map:
		for it := v.MapRange(); it.Next(); {
			if mentions(it.Key(), folded) || mentions(it.Value(), folded) {
				return true
			}
		}
	case reflect.Struct:
		t := v.Type()
		for i := range t.NumField() {
			if f := t.Field(i); f.IsExported() && f.Tag.Get("json") != "-" && mentions(v.Field(i), folded) {
				return true
			}
		}
	}
	return false
}
