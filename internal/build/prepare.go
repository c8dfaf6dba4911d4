package build

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"wendrik/internal/cloud"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
)

// Job is what is to be done at a cloud.
type Job struct {
	There  *There
	Owners *Owners
	Was    []stock.Thing // what is there, as the order sees it
	Is     []stock.Thing // what is to be
	Failed []stock.Act   // what is done first about things that failed
	Theirs []string      // names of wanted things that only another owner can make
	Left   []*Item       // what somebody made by hand, and no plan wants
	Order  *Order
}

// Phases are all that is to be done, in its order.
func (j *Job) Phases() []Phase {
	if len(j.Failed) == 0 {
		return j.Order.Phases
	}
	return append([]Phase{{What: "what failed before", Acts: j.Failed}}, j.Order.Phases...)
}

// Calls are how many there are.
func (j *Job) Calls() int { return len(j.Failed) + j.Order.Acts() }

// Empty reports whether nothing is to be done.
func (j *Job) Empty() bool { return j.Calls() == 0 }

// Leave is what a person has given a build leave to do, beyond making what the plan says of what the estate has made itself.
type Leave struct {
	Hand   bool     `json:"hand_made"` // remove what was made by hand inside of the estate, and the plan does not want
	Take   bool     `json:"take_over"` // label as the estate's what is there as planned and nobody's label is on, and change it
	Remove []string `json:"remove"`    // remove these, by their identifiers at the cloud or their names: what was made by hand anywhere, and what is kept
}

// named reports whether a thing was asked for by name.
func (l Leave) named(i *Item) bool {
	return slices.Contains(l.Remove, i.At.ID) || slices.Contains(l.Remove, i.Name) || slices.Contains(l.Remove, string(i.Kind)+" "+i.Name)
}

// Prepare finds what is to be done so that some things are there and nothing else of their estate. What others made by hand and the plan
// does not want, and what is kept, is left as it is, unless there is leave to remove it; what the plan wants is there, whoever made it. What
// is another estate's is never touched.
func Prepare(ctx context.Context, d cloud.Driver, head stock.Head, want []stock.Thing, leave Leave, step func(done, total int)) (*Job, error) {
	there, err := Look(ctx, d, head, want)
	if err != nil {
		return nil, err
	}
	return Prepared(there, head, want, leave, step)
}

// Prepared is Prepare where it is known what is there, by Look for the same things.
func Prepared(there *There, head stock.Head, want []stock.Thing, leave Leave, step func(done, total int)) (*Job, error) {
	if len(ours(there.Hello)) == 0 {
		return nil, cloud.Refused(cloud.Denied, "there is no key of any owner at this cloud")
	}
	for i := range want {
		if k := want[i].Kind; !slices.Contains(there.Hello.Kinds, k) {
			return nil, cloud.Refused(cloud.Unsupported, "this cloud has nothing of the kind %s, and the plan has %s", k, want[i].Name)
		}
	}
	j := &Job{There: there, Owners: OwnersOf(there.Hello, merged(there.Things(), want))}
	wanted := map[string]*stock.Thing{}
	lacking := map[string]bool{}
	stays := func(item *Item) bool { return !j.Owners.Ours(item.Key()) || item.At.Foreign || item.Context }
	supposed := there.supposed()
	missing := func(t *stock.Thing) bool { // it is not ours to make, or needs what is not there and not ours
		if there.Item(t.Key()) != nil {
			return slices.ContainsFunc(t.Refs(), func(ref string) bool { return lacking[ref] })
		}
		return !j.Owners.Ours(t.Key()) || lacking[stock.AlsoNeeds(t)] || slices.ContainsFunc(t.Refs(), func(ref string) bool { return lacking[ref] || supposed[ref] })
	}
	for again := true; again; { // groups name each other in circles
		again = false
		for i := range want {
			if key := want[i].Key(); !lacking[key] && !supposed[key] && missing(&want[i]) {
				lacking[key], again = true, true
			}
		}
	}
	for i := range want {
		key := want[i].Key()
		switch item := there.Item(key); {
		case item != nil && stays(item): // whatever is wanted of it
		case supposed[key] && !j.Owners.Ours(key):
			j.Was, j.Is = append(j.Was, want[i]), append(j.Is, want[i])
		case lacking[key] && !j.Owners.Ours(key) && !slices.Contains([]stock.Kind{stock.Network, stock.Hub, stock.Site}, want[i].Kind):
			// what only its owner sees: whether it is there cannot be told
		case lacking[key]:
			j.Theirs = append(j.Theirs, fmt.Sprintf("%s %s", want[i].Kind, want[i].Name))
		case j.Owners.Ours(key):
			j.Is = append(j.Is, want[i])
			wanted[key] = &want[i]
		}
	}
	users := map[string]int{}
	for i := range there.Items {
		for _, ref := range there.Items[i].Refs() {
			users[ref]++
		}
	}
	for i := range there.Items {
		item := &there.Items[i]
		key := item.Key()
		t := item.Thing
		switch {
		case stays(item):
			j.Was, j.Is = append(j.Was, t), append(j.Is, t)
			continue
		case wanted[key] == nil && !leave.named(item) && (item.ByHand && !(leave.Hand && item.Inside) || item.Kept()):
			j.Left = append(j.Left, item)
			j.Was, j.Is = append(j.Was, t), append(j.Is, t)
			continue
		case item.At.State == cloud.Failed && users[key] == 0:
			j.Failed = append(j.Failed, stock.Act{Verb: stock.Remove, Thing: &item.Thing})
			continue
		case item.At.State == cloud.Failed:
			j.Failed = append(j.Failed, stock.Act{Verb: stock.Change, Thing: &item.Thing, Props: changeable(&item.Thing)})
		case item.ByHand && wanted[key] != nil && !item.Inside && !leave.Take && len(stock.Between([]stock.Thing{*wanted[key]}, []stock.Thing{t})) > 0:
			return nil, cloud.Refused(cloud.Conflict, "%s %s (%s) is there, bears nobody's label, and is otherwise than the plan has it; -take-over makes it the estate's and changes it, another name in the plan leaves it alone", item.Kind, item.Name, item.At.ID)
		case item.ByHand && wanted[key] != nil && leave.Take, item.Mislabelled != "" && wanted[key] != nil: // it bears the estate's labels from now on
			t.Labels = map[string]string{EstateLabel: ""}
			for k, v := range item.Labels {
				t.Labels[k] = v
			}
		}
		j.Was = append(j.Was, t)
	}
	slices.SortStableFunc(j.Is, stock.ByRank)
	slices.SortStableFunc(j.Was, stock.ByRank)
	if key := stranded(j.Is, j.Left); key != "" {
		return nil, cloud.Refused(cloud.Needed, "%s needs something that is to go; name it, too, or keep what it needs", key)
	}
	head.Regions = there.Hello.Regions
	j.Order = Between(head, j.Was, j.Is, step)
	whose := map[string]*stock.Thing{}
	for i := range j.Is {
		if _, told := j.Is[i].Labels[stock.WasOfLabel]; told {
			whose[j.Is[i].Key()] = &j.Is[i]
		}
	}
	for i := range j.Order.Phases {
		p := &j.Order.Phases[i]
		p.Acts = j.asOwners(p.Acts)
		for k := range p.Acts {
			if a := &p.Acts[k]; a.Verb == stock.Make && whose[a.Thing.Key()] != nil {
				a.Thing = whose[a.Thing.Key()] // which steps that were read from a text do not tell
			}
		}
	}
	return j, nil
}

// TooMany says of which kinds a job would make more things than an owner may have; none where that is not known.
func (j *Job) TooMany() []string {
	var all []string
	for _, o := range j.There.Hello.Owners {
		for _, k := range slices.Sorted(maps.Keys(o.Left)) {
			more, most := 0, 0
			for _, p := range j.Phases() {
				for _, a := range p.Acts {
					switch {
					case a.Thing.Kind != k || j.Owners.Of(a.Thing.Key()) != o.Name:
					case a.Verb == stock.Make:
						more++
					case a.Verb == stock.Remove:
						more--
					}
				}
				most = max(most, more)
			}
			if most > o.Left[k] {
				all = append(all, fmt.Sprintf("%s may have %s of kind %s, and this makes %d", o.Name, phrase.Count(o.Left[k], "more thing"), k, most))
			}
		}
	}
	return all
}

// stranded is the key of something that is left as it is and needs what is to go; empty for none.
func stranded(is []stock.Thing, left []*Item) string {
	stays := map[string]bool{}
	for i := range is {
		stays[is[i].Key()] = true
	}
	for _, item := range left {
		if !item.Kept() {
			continue
		}
		for _, ref := range item.Refs() {
			if !stays[ref] {
				return item.Key()
			}
		}
	}
	return ""
}

// Unknown are the names that were given to be removed, and that are those of nothing here: of nothing at all, or of what is another estate's
// or owner's.
func (j *Job) Unknown(leave Leave) []string {
	return slices.DeleteFunc(slices.Clone(leave.Remove), func(name string) bool {
		return slices.ContainsFunc(j.There.Items, func(i Item) bool {
			return !i.Context && j.Owners.Ours(i.Key()) && Leave{Remove: []string{name}}.named(&i)
		})
	})
}

// Removes are the keys of what a job removes, and of what it makes anew.
func (j *Job) Removes() []string {
	var all []string
	for _, p := range j.Phases() {
		for _, a := range p.Acts {
			if a.Verb == stock.Remove {
				all = append(all, a.Thing.Key())
			}
		}
	}
	return all
}

// KeptButGone are the keys of kept things that a job would remove without having been asked for them by name, since they cannot be changed
// in place.
func (j *Job) KeptButGone(leave Leave) []string {
	return slices.DeleteFunc(j.Removes(), func(key string) bool {
		item := j.There.Item(key)
		return item == nil || !item.Kept() || leave.named(item)
	})
}

// Look compares what is there once a job is done with what was to be: the plan is true when nothing of it differs.
func (j *Job) Look(ctx context.Context, d cloud.Driver, head stock.Head, want []stock.Thing) ([]stock.Difference, error) {
	there, err := Look(ctx, d, head, want)
	if err != nil {
		return nil, err
	}
	theirs := func(key string) bool {
		for _, seen := range []*There{j.There, there} {
			if item := seen.Item(key); item != nil && (item.At.Foreign || item.Context) {
				return true
			}
		}
		return !j.Owners.Ours(key)
	}
	differs := stock.Between(j.Is, there.Things())
	for i := range there.Items {
		if item := &there.Items[i]; item.Mislabelled != "" && !slices.ContainsFunc(differs, func(x stock.Difference) bool { return x.Key() == item.Key() }) {
			differs = append(differs, stock.Difference{Was: &item.Thing, Is: &item.Thing, Labels: true})
		}
	}
	return slices.DeleteFunc(differs, func(x stock.Difference) bool { return theirs(x.Key()) }), nil
}

// changeable are the properties of a thing that can be written again.
func changeable(t *stock.Thing) map[string]any {
	out := map[string]any{}
	for _, p := range stock.SpecOf(t.Kind).Props {
		if v := t.Props[p.Name]; v != nil && !p.Fixed && p.Name != "accepted" {
			out[p.Name] = v
		}
	}
	return out
}

// Do does a job.
func (j *Job) Do(ctx context.Context, d cloud.Driver, opt Options) (*Outcome, error) {
	return run(ctx, d, j.There, j.Phases(), j.Owners, opt)
}

// Await waits until what others must accept is accepted, up to a time; it gives the keys of what still waits.
func Await(ctx context.Context, d cloud.Driver, head stock.Head, want []stock.Thing, waiting []string, patience time.Duration, tell func(left []string)) ([]string, error) {
	deadline := time.Now().Add(patience)
	for {
		there, err := Look(ctx, d, head, want)
		if err != nil {
			return waiting, err
		}
		waiting = slices.DeleteFunc(slices.Clone(waiting), func(key string) bool {
			i := there.Item(key)
			return i == nil || i.At.State == cloud.Ready
		})
		if len(waiting) == 0 || !time.Now().Before(deadline) {
			return waiting, nil
		}
		tell(waiting)
		if err := sleep(ctx, min(time.Second, time.Until(deadline))); err != nil {
			return waiting, err
		}
	}
}
