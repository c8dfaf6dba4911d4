package build

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"wendrik/internal/cloud"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
)

// This file takes back what was done, by the log of the cloud.

// notePrefix is what the notes of runs begin with, before the estate and the run.
const notePrefix = "wendrik "

// Note is the note of a run: when it began and of which job it is a part, and whether it takes another back.
func Note(estateName, run string) string { return notePrefix + estateName + " " + run }

// undoes is in the note of a run that takes back another one, before the name of that.
const undoes = "undo of "

// Undo is the note of a run that takes back another.
func Undo(estateName, run string) string { return Note(estateName, undoes+run) }

// Run names a run by when it began, and by the job that it is a part of: what is wanted. A build that stopped, and the one that goes on
// from there, are runs of one job.
func Run(began string, want []stock.Thing) string {
	raw, err := json.Marshal(want)
	if err != nil {
		return began
	}
	sum := sha256.Sum256(raw)
	return began + " " + hex.EncodeToString(sum[:6])
}

// jobOf is the job that a run is a part of; of one that names none, the run itself.
func jobOf(run string) string {
	if _, job, named := strings.Cut(run, " "); named {
		return job
	}
	return run
}

// Before is the stock as it was before the last job, over all its runs, and the name of its last run; empty when there is none, or when it
// has been taken back. The error is a refusal where somebody else has changed since what the job made or changed.
func Before(ctx context.Context, d cloud.Driver, there *There, estateName string) (things []stock.Thing, run string, err error) {
	if !there.Hello.Log {
		return nil, "", cloud.Refused(cloud.Unsupported, "this cloud keeps no log, so that nobody knows what was before")
	}
	entries, err := cloud.WholeLog(ctx, d)
	if err != nil {
		return nil, "", err
	}
	names, apart := runsIn(entries, estateName)
	if len(names) == 0 {
		return nil, "", nil
	}
	last := names[len(names)-1]
	was, undo := strings.CutPrefix(last, undoes)
	runs := map[string]bool{was: true}
	for i := slices.Index(names, was); i > 0 && !apart[names[i]] && jobOf(names[i-1]) == jobOf(was); i-- {
		runs[names[i-1]] = true
	}
	things, moved, err := asBefore(there, entries, estateName, was, runs)
	switch {
	case err != nil:
		return nil, was, err
	case undo && len(stock.Between(there.Things(), things)) == 0: // else it stopped on its way
		return nil, "", nil
	case len(moved) > 0:
		return nil, was, cloud.Refused(cloud.Conflict, "since then somebody else has changed what it made or changed: %s", phrase.Few(moved, 6))
	}
	return things, was, nil
}

// runsIn are the names of the runs of an estate, and of those that take one back, in the order in which they were last heard of; and which
// of them came after somebody else had changed something of the estate: those do not go on from the one before, they make good what was done.
func runsIn(entries []cloud.Entry, estateName string) (names []string, apart map[string]bool) {
	mine, changed := notePrefix+estateName+" ", false
	apart = map[string]bool{}
	for i := range entries {
		e := &entries[i]
		name, ours := strings.CutPrefix(e.Note, mine)
		switch {
		case ours && (len(names) == 0 || names[len(names)-1] != name):
			names = append(slices.DeleteFunc(names, func(x string) bool { return x == name }), name)
			apart[name], changed = changed, false
		case !ours && e.What != "accept":
			changed = changed || ofEstate(e.Before, estateName) || ofEstate(e.After, estateName)
		}
	}
	return names, apart
}

func ofEstate(t *cloud.Thing, estateName string) bool {
	return t != nil && t.Labels[EstateLabel] == estateName
}

// asBefore is what is there, with what some runs of a job did taken back, the last of which has a name; and who of what they did has been
// changed by others since, in words.
func asBefore(there *There, entries []cloud.Entry, estateName, last string, runs map[string]bool) (things []stock.Thing, moved []string, err error) {
	first := map[string]*cloud.Thing{} // what the job found, by id
	made := map[string]bool{}          // what it made, or what made it undone
	touched := map[string]bool{}       // what it did something to
	mine, others := notePrefix+estateName+" ", map[string]string{}
	var order []string
	for i := range entries {
		e := &entries[i]
		name, ours := strings.CutPrefix(e.Note, mine)
		switch {
		case ours && runs[name]:
			touched[e.ID] = true
			delete(others, e.ID)
			if _, seen := first[e.ID]; !seen && !made[e.ID] {
				if made[e.ID] = e.Before == nil; e.Before != nil {
					first[e.ID] = e.Before
					order = append(order, e.ID)
				}
			}
		case ours && name == undoes+last:
			if e.Before == nil {
				made[e.ID] = true
			}
		case touched[e.ID] && !ours && e.What != "accept":
			others[e.ID] = e.By
		}
	}
	for i := range there.Items {
		if by := others[there.Items[i].At.ID]; by != "" {
			moved = append(moved, string(there.Items[i].Kind)+" "+there.Items[i].Name+" by "+by)
		}
	}
	things, err = restored(there, estateName, first, made, order)
	return things, moved, err
}

// restored is what is there with what a run found in the place of what it did.
func restored(there *There, estateName string, first map[string]*cloud.Thing, made map[string]bool, order []string) ([]stock.Thing, error) {
	var all []cloud.Thing
	had := map[string]bool{}
	whose := map[string]string{} // of what comes back and was nobody's, or another's, by its key
	for i := range there.Items {
		t := there.Items[i].At
		had[t.ID] = true
		switch {
		case made[t.ID]:
		case first[t.ID] != nil:
			all = append(all, *first[t.ID])
		default:
			all = append(all, *t)
		}
	}
	for _, id := range order {
		if !had[id] {
			all = append(all, *first[id])
		}
	}
	before, err := see(there.Hello, all, stock.Head{Estate: estateName, Scope: there.scope, Ignored: there.says.ignored}, there.Things())
	if err != nil {
		return nil, err
	}
	for i := range before.Items {
		if item := &before.Items[i]; !had[item.At.ID] && item.At.Labels[EstateLabel] != estateName {
			whose[item.Key()] = item.At.Labels[EstateLabel]
		}
	}
	var things []stock.Thing
	for i := range before.Items {
		t := before.Items[i].Thing
		if label, others := whose[t.Key()]; others {
			t.Labels = maps.Clone(t.Labels)
			if t.Labels == nil {
				t.Labels = map[string]string{}
			}
			t.Labels[stock.WasOfLabel] = label
		}
		if is := there.Item(t.Key()); t.Kind == stock.Attachment && is != nil && len(t.Props.Words("accepted")) < len(is.Props.Words("accepted")) {
			continue // what it was accepted for is not taken back: it goes
		}
		things = append(things, t)
	}
	return things, nil
}
