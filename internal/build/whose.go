package build

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// This file says what of an account is an estate's, and which labels of a thing are the plan's.

// InScope reports whether a thing that bears no estate's label, and is a part of nothing, is an estate's by its scope: words that are each a
// label with its value (team=ferries), or the name or identifier of a network, a hub or a site. Where there are none, all is.
func InScope(scope []string, t *cloud.Thing) bool {
	return len(scope) == 0 || slices.ContainsFunc(scope, func(word string) bool {
		if key, value, label := strings.Cut(word, "="); label {
			had, has := t.Labels[key]
			return has && had == value
		}
		return word == t.ID || word == t.Name && slices.Contains([]stock.Kind{stock.Network, stock.Hub, stock.Site}, t.Kind)
	})
}

// vocabulary are the labels of which the plan speaks. What else stands at a thing is somebody else's matter: nothing is done about it.
type vocabulary struct {
	any     bool // whether every label is the plan's to say, since there is no plan yet
	words   map[string]bool
	ignored []string
}

func newVocabulary(head stock.Head, wanted []stock.Thing) vocabulary {
	v := vocabulary{any: wanted == nil, words: map[string]bool{}, ignored: head.Ignored}
	for i := range wanted {
		for label := range wanted[i].Labels {
			v.words[label] = true
		}
	}
	return v
}

// ignores reports whether the plan says that others write a label.
func (v vocabulary) ignores(label string) bool { return slices.Contains(v.ignored, label) }

// has reports whether a label of a thing of some kind is the plan's.
func (v vocabulary) has(k stock.Kind, label string) bool {
	switch {
	case label == stock.TierLabel || label == stock.KeepLabel || label == stock.WasOfLabel:
		return true
	case !stock.SpecOf(k).Tagged || v.ignores(label):
		return false
	}
	return v.any || v.words[label]
}

// labels are those of a thing that the plan has for it; wanted is what it wants, nil for nothing. Those that are others' are counted,
// but for things that are context.
func (t *There) labels(at *cloud.Thing, wanted *stock.Thing, context bool) map[string]string {
	out := map[string]string{}
	for label, value := range ownLabels(at.Labels) {
		if t.says.has(at.Kind, label) {
			out[label] = value
		} else if !context {
			t.Strange[label]++
		}
	}
	if wanted != nil {
		for label, value := range wanted.Labels { // taken to be as planned
			if t.says.ignores(label) {
				out[label] = value
			}
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// ownLabels are the labels of a thing that neither a build nor the cloud needs for itself.
func ownLabels(all map[string]string) map[string]string {
	out := maps.Clone(all)
	maps.DeleteFunc(out, func(k, _ string) bool {
		return k == EstateLabel || k == NameLabel || k == ownerLabel || strings.HasPrefix(k, "cloud-")
	})
	return out
}

// astray is what the plan calls a thing of the estate whose label with its name was changed: it has the name at the cloud that a build gave to
// what the plan has, and that bears no label now.
func (s *seer) astray(t *cloud.Thing, up string) (string, bool) {
	name := plain(t.Name)
	if up != "" && t.Kind != stock.Workload {
		name = up + "/" + name
	}
	key := stock.KeyOf(t.Kind, name)
	return name, s.wanted[stock.KeyOf(t.Kind, t.Labels[NameLabel])] == nil && s.wanted[key] != nil && !s.labelled[key]
}

// mislabelled says what is wrong with the labels by which a thing of the estate is known; empty for nothing. A tier that only one of both
// knows is nothing: adopt finds tiers that nobody has labelled.
func mislabelled(t *cloud.Thing, name string, wanted *stock.Thing) string {
	var all []string
	if is := t.Labels[NameLabel]; is == "" {
		all = append(all, fmt.Sprintf("it lacks the label %s, planned %s", NameLabel, name))
	} else if is != name {
		all = append(all, fmt.Sprintf("its label %s is %s, planned %s", NameLabel, is, name))
	}
	if is, tier := t.Labels[stock.TierLabel], wanted.Labels[stock.TierLabel]; is != tier && is != "" && tier != "" {
		all = append(all, fmt.Sprintf("its label %s is %s, planned %s", stock.TierLabel, is, tier))
	}
	return strings.Join(all, "; ")
}
