package text

import (
	"errors"
	"fmt"
	"strconv"

	"go.yaml.in/yaml/v4"
)

// Edit is one change to a plan, in the plan's own terms.
type Edit struct {
	Path   Path   // the mapping or list that is changed; a number in it is an element of a list, from 1
	Key    string // the entry that is set; empty for an element of a list
	Was    string // the key of the entry that it replaces, when not Key itself
	Nth    int    // of a list: the number (from 1) of the element that it goes before, or that goes; 0 for the end
	Value  Value
	Remove bool   // whether the entry or element goes, and nothing takes its place
	Put    bool   // whether the element with that number becomes the value
	Lines  bool   // whether what is in brackets may be written on lines of its own where it outgrows its line; what is to be taken back exactly must not
	In     string // of a plan in several files: the name of the one that it is made in; empty for the one where its path stands
}

// Set is the edit that writes an entry of a mapping, whether it is there already or not.
func Set(path Path, key string, value Value) Edit { return Edit{Path: path, Key: key, Value: value} }

// Replace is the edit that puts an entry in the place of one with another key.
func Replace(path Path, was, key string, value Value) Edit {
	return Edit{Path: path, Was: was, Key: key, Value: value}
}

// Add is the edit that adds an element to the end of a list. A single value counts as a list of one.
func Add(path Path, value Value) Edit { return Edit{Path: path, Value: value} }

// Insert is the edit that adds an element to a list before the one that is number nth, from 1.
func Insert(path Path, nth int, value Value) Edit { return Edit{Path: path, Nth: nth, Value: value} }

// Put is the edit that writes an element of a list anew, by its number from 1. A single value counts as a list of one.
func Put(path Path, nth int, value Value) Edit {
	return Edit{Path: path, Nth: nth, Value: value, Put: true}
}

// Remove is the edit that takes an entry out of a mapping.
func Remove(path Path, key string) Edit { return Edit{Path: path, Key: key, Remove: true} }

// RemoveNth is the edit that takes an element out of a list, by its number from 1.
func RemoveNth(path Path, nth int) Edit { return Edit{Path: path, Nth: nth, Remove: true} }

// String says what the edit does, as a message to a person does.
func (e Edit) String() string {
	where := e.Path.String()
	if where == "" {
		where = "the top"
	}
	if n := len(e.Path); n > 0 {
		if _, err := strconv.Atoi(e.Path[n-1]); err == nil {
			where = fmt.Sprintf("number %s of %s", e.Path[n-1], e.Path[:n-1])
		}
	}
	switch {
	case e.Remove && e.Key == "":
		return fmt.Sprintf("take number %d out of %s", e.Nth, where)
	case e.Remove:
		return fmt.Sprintf("take %s out of %s", e.Key, where)
	case e.Put:
		return fmt.Sprintf("write  %s  as number %d of %s", e.Value.bare(), e.Nth, where)
	case e.Key == "" && e.Nth > 0:
		return fmt.Sprintf("add  %s  to %s, as number %d", e.Value.bare(), where, e.Nth)
	case e.Key == "":
		return fmt.Sprintf("add  %s  to %s", e.Value.bare(), where)
	}
	return fmt.Sprintf("write  %s  at %s", Field{e.Key, e.Value}.text(false), where)
}

// A Patch replaces the bytes from Start to End of a text.
type Patch struct {
	Start, End int
	Text       string
	depth      int // how deep the change lies: at one place, what belongs further inside comes first
}

// Apply makes edits in the text of a plan, and returns the new text with the patches that lead to it, in order. Every
// byte that no patch names stays as it is. The result is read again and must hold exactly what the edits say, else
// nothing is returned but an error: a text can be written in ways that no edit can be made in, such as a mapping
// that stands in two places through an alias.
//
// An edit that stands twice among the edits is made once.
func (f *File) Apply(edits []Edit) (string, []Patch, error) {
	after, patches, err := f.apply(edits)
	if err != nil {
		return "", nil, err
	}
	return after.Text, patches, nil
}

// apply is Apply, and gives the file that the edits make.
func (f *File) apply(edits []Edit) (*File, []Patch, error) {
	if len(f.Text) > windowed {
		if after, patches, ok := f.applyIn(f.pieceSize(), edits); ok {
			return after, patches, nil
		}
	}
	return f.applyWhole(edits)
}

// applyWhole is apply, for which the library reads all of the text.
func (f *File) applyWhole(edits []Edit) (*File, []Patch, error) {
	edits = folded(once(edits))
	root, problem := f.own()
	if problem != nil {
		return nil, nil, problem
	}
	if root == nil || root.Kind != yaml.MappingNode {
		return nil, nil, errors.New("the plan is empty")
	}
	ed := &editor{src: f, root: root, keys: map[*yaml.Node]map[string]int{}, grown: map[*yaml.Node][]*growth{}, were: map[*yaml.Node][]*yaml.Node{}}
	edits = ed.hollowed(edits)
	ed.goes(edits)
	for _, e := range edits {
		if err := ed.plan(e); err != nil {
			return nil, nil, err
		}
	}
	if err := ed.grow(); err != nil {
		return nil, nil, err
	}
	text, err := ed.patched()
	if err != nil {
		return nil, nil, err
	}
	if after, patches, done := ed.unfold(edits); done {
		return after, patches, nil
	}
	for _, e := range edits {
		ed.change(e)
	}
	after := &File{Name: f.Name, Text: text}
	read, problem := after.parse()
	if problem != nil || read == nil || !sameTree(root, read) {
		return nil, nil, errExtent
	}
	after.keepRoot(read)
	return after, ed.patches, nil
}

// folded puts what edits write inside the values of edits before them into those values.
func folded(edits []Edit) []Edit {
	var out []Edit
	written := map[string]int{} // where the edit is that writes the value at a path
	for _, e := range edits {
		inside := -1
		for n := 1; n <= len(e.Path) && !e.Remove && len(written) > 0; n++ {
			if i, found := written[fmt.Sprintf("%q", e.Path[:n])]; found {
				inside = i
			}
		}
		if inside >= 0 {
			if v, ok := out[inside].Value.with(e.Path[len(out[inside].Path)+1:], e); ok {
				out[inside].Value = v
				continue
			}
		}
		if e.Key != "" && !e.Remove && e.Value.kind != yaml.ScalarNode {
			written[fmt.Sprintf("%q", e.Path.To(e.Key))] = len(out)
		}
		out = append(out, e)
	}
	return out
}

// once drops edits that are the same as one before.
func once(edits []Edit) []Edit {
	type place struct {
		first  Value
		values map[string]bool // of all of that place; nil while there is one
	}
	seen := make(map[string]*place, len(edits))
	var out []Edit
	var key []byte
	for _, e := range edits {
		key = key[:0]
		for _, word := range append([]string{e.In, e.Key, e.Was, strconv.Itoa(e.Nth), strconv.FormatBool(e.Remove), strconv.FormatBool(e.Put)}, e.Path...) {
			key = append(strconv.AppendInt(key, int64(len(word)), 10), ' ')
			key = append(key, word...)
		}
		p := seen[string(key)]
		if p == nil {
			seen[string(key)] = &place{first: e.Value}
			out = append(out, e)
			continue
		}
		if p.values == nil {
			p.values = map[string]bool{p.first.String(): true}
		}
		if value := e.Value.String(); !p.values[value] {
			p.values[value] = true
			out = append(out, e)
		}
	}
	return out
}
