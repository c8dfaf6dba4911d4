package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"wendrik/internal/core/cut"
	"wendrik/internal/core/text"
	"wendrik/internal/inlet"
	"wendrik/internal/replace"
)

// This file remembers what cuts have written, and takes it back.

// made is a cut as it was written, kept in the user's own cache folder so that it can be taken back.
type made struct {
	A, B, On string
	Files    []replace.Change
}

// maxMade is how many cuts of a plan are kept, and maxMadeSize how large they may be together.
const (
	maxMade     = 20
	maxMadeSize = 64 << 20
)

// cutsMade are the cuts of a plan that are remembered.
func cutsMade(plan string) []made {
	name := replace.Kept("cuts", plan)
	if name == "" {
		return nil
	}
	raw, err := inlet.Read(name, maxMadeSize)
	var all []made
	if err != nil || json.Unmarshal(raw, &all) != nil {
		return nil
	}
	return all
}

// remember keeps what a cut has written, and reports whether it could.
func remember(plan string, q cut.Request, changed []text.Changed) bool {
	one := made{A: q.A, B: q.B, On: q.Flows.String()}
	for _, x := range changed {
		path, err := filepath.Abs(x.Name)
		if err != nil {
			return false
		}
		one.Files = append(one.Files, replace.Change{Name: path, Before: x.Text, After: x.After})
	}
	all := append(cutsMade(plan), one)
	return keep(plan, all[max(0, len(all)-maxMade):])
}

// keep writes the cuts of a plan, the last of them as far as there is room; it reports false where not even one could be kept.
func keep(plan string, all []made) bool {
	raw, err := json.Marshal(all)
	for err == nil && len(raw) > maxMadeSize && len(all) > 1 {
		all = all[1:]
		raw, err = json.Marshal(all)
	}
	name := replace.Kept("cuts", plan)
	return err == nil && name != "" && len(raw) <= maxMadeSize && os.WriteFile(name, raw, 0o600) == nil
}

// uncut takes the last cut of the same sides back.
func (c *call) uncut(o *opened, q cut.Request, write bool, format string) (int, error) {
	plan := o.Plan.Files.First().Name
	all := cutsMade(plan)
	i := len(all) - 1
	for i >= 0 && (all[i].A != q.A || all[i].B != q.B || all[i].On != q.Flows.String()) {
		i--
	}
	if i < 0 {
		return cannot, &usageError{fmt.Sprintf("no cut of %s from %s is remembered here", clean(q.A), clean(q.B)), "take the line of expect out, and what the plan's history says of it"}
	}
	var changed []text.Changed
	for _, f := range all[i].Files {
		at := slices.IndexFunc(o.Plan.Files.All(), func(x *text.File) bool {
			path, err := filepath.Abs(x.Name)
			return err == nil && path == f.Name
		})
		if at < 0 || o.Plan.Files.All()[at].Text != f.After {
			return cannot, &usageError{fmt.Sprintf("%s was edited since it was cut, so that is not taken back", clean(filepath.Base(f.Name))), "take back later cuts first; or take the line of expect out, and what the plan's history says of it"}
		}
		name := o.Plan.Files.All()[at].Name
		changed = append(changed, text.Changed{File: &text.File{Name: name, Text: f.After}, After: f.Before})
	}
	if format == "json" {
		if err := c.json(map[string]bool{"undone": write}); err != nil {
			return cannot, err
		}
	} else {
		for _, one := range changed {
			c.diff(unified(clean(one.Name), one.Text, one.After))
		}
	}
	if !write {
		if format == "text" {
			c.say("\nto take it back:  the same command with  -write")
		}
		return good, nil
	}
	if err := c.replaceAll(plan, changed); err != nil {
		return cannot, err
	}
	keep(plan, slices.Delete(all, i, i+1))
	c.written(format == "text", "written to %s: the cut is taken back", clean(o.label))
	return good, nil
}
