package build

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"wendrik/internal/cloud"
)

// Print is a thing as it was seen: what it is called, and a sum of all that the cloud tells of it.
type Print struct {
	Name string `json:"name"`
	Sum  string `json:"sum"`
}

// Prints are those of all that was looked at, by the identifiers of the cloud: what an order of calls rests on.
func (t *There) Prints() map[string]Print {
	all := map[string]Print{}
	for i := range t.Items {
		item := &t.Items[i]
		all[item.At.ID] = Print{string(item.Kind) + " " + item.Name, sumOf(item.At)}
	}
	return all
}

// sumOf is of all but when, and by whom, a thing was changed last: what is as it was is the same.
func sumOf(t *cloud.Thing) string {
	x := *t
	x.At, x.By = "", ""
	raw, err := json.Marshal(x)
	if err != nil {
		raw = nil // which cannot come: a thing was JSON before
	}
	sum := sha256.Sum256(raw)
	return hex.EncodeToString(sum[:16])
}

// Moved says what of the things that an order rests on is otherwise than it was, is gone, or is new: in words, in the order of names.
func (t *There) Moved(was map[string]Print) []string {
	var all []string
	is := t.Prints()
	for id, p := range was {
		switch now, found := is[id]; {
		case !found:
			all = append(all, p.Name+" is gone")
		case now.Sum != p.Sum:
			all = append(all, p.Name+" has changed")
		}
	}
	for id, p := range is {
		if _, known := was[id]; !known {
			all = append(all, p.Name+" is new")
		}
	}
	slices.Sort(all)
	return all
}
