package text

import (
	"slices"

	"go.yaml.in/yaml/v4"
)

// This file makes edits in a plan that is spread over several files.

// Changed is a file of a set, and what it says once edits are made.
type Changed struct {
	*File
	After   string
	Patches []Patch
	read    *yaml.Node // the tree of After, where it is kept
}

// All are the files of the set, the first one first.
func (s *Files) All() []*File { return s.all }

// Apply makes edits in the files of the set, each in the one where the thing stands that it speaks of, as File.Apply does;
// what is new goes to where its neighbours stand, the first file before the others. The files that do not change are left
// out.
func (s *Files) Apply(edits []Edit) ([]Changed, error) {
	each := map[*File][]Edit{s.First(): edits}
	if len(s.all) > 1 {
		each = s.sorted(edits)
	}
	var all []Changed
	for _, f := range s.all {
		if len(each[f]) == 0 {
			continue
		}
		after, patches, err := f.apply(each[f])
		if err != nil {
			return nil, err
		}
		all = append(all, Changed{f, after.Text, patches, after.root})
	}
	return all, nil
}

// sorted gives each edit to the file that has most of its path.
func (s *Files) sorted(edits []Edit) map[*File][]Edit {
	depths := make([]func(Path) int, len(s.all))
	for i, f := range s.all {
		depths[i] = f.depths()
	}
	each := map[*File][]Edit{}
	for _, e := range edits {
		best, deepest := 0, -1
		if i := slices.IndexFunc(s.all, func(f *File) bool { return f.Name == e.In }); i >= 0 {
			each[s.all[i]] = append(each[s.all[i]], e)
			continue
		}
		path := e.Path
		if e.Key != "" {
			path = e.Path.To(e.Key)
			if e.Was != "" {
				path = e.Path.To(e.Was)
			}
		}
		for i := range s.all {
			if depth := depths[i](path); depth > deepest {
				best, deepest = i, depth
			}
		}
		each[s.all[best]] = append(each[s.all[best]], e)
	}
	return each
}

// depths reads the file once, and gives how many words of a path it has.
func (f *File) depths() func(Path) int {
	tree, problem := f.Tree()
	if problem != nil {
		return func(Path) int { return 0 }
	}
	return func(path Path) int {
		at := tree.Root()
		for depth, word := range path {
			if at.Kind() == AliasKind {
				at = at.Target()
			}
			found := false
			if at.Kind() == MapKind {
				for k, v := range at.Entries() {
					if k.Kind() == ScalarKind && k.Value() == word {
						at, found = v, true
						break
					}
				}
			}
			if !found {
				return depth
			}
		}
		return len(path)
	}
}

// With is the set with other texts in the place of those that changed.
func (s *Files) With(changed []Changed) *Files {
	after := NewFiles(nil)
	after.pieces, after.beside = s.pieces, s.beside
	for _, f := range s.all {
		content, root := f.Text, f.root
		for _, c := range changed {
			if c.File == f {
				content, root = c.After, c.read
			}
		}
		after.Add(f.Name, content).root = root
	}
	return after
}

// Whole is all that the files say, one after another: equal where two sets say the same.
func (s *Files) Whole() string {
	if len(s.all) == 1 {
		return s.all[0].Text
	}
	whole := ""
	for _, f := range s.all {
		whole += f.Name + "\x00" + f.Text + "\x00"
	}
	return whole
}

// Value is what stands at a path of a file of the set, as File.Value gives it.
func (s *Files) Value(path Path) (Value, bool) {
	for _, f := range s.all {
		if v, found := f.Value(path); found {
			return v, true
		}
	}
	return Value{}, false
}
