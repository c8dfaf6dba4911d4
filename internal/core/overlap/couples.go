package overlap

import "slices"

// Couple is a pair, with the pairs of subnets that it accounts for.
type Couple struct {
	Pair
	Inside []Pair
}

// Couples puts what the subnets of two networks share with the networks.
func Couples(pairs []Pair) []*Couple {
	owners := func(p Pair) [2]string { return [2]string{min(p.A.Owner, p.B.Owner), max(p.A.Owner, p.B.Owner)} }
	networks := map[[2]string][]*Couple{}
	var all []*Couple
	for _, p := range pairs {
		if p.A.Kind == "network" && p.B.Kind == "network" {
			networks[owners(p)] = append(networks[owners(p)], &Couple{Pair: p})
		}
	}
	next := map[[2]string]int{}
	for _, p := range pairs {
		key := owners(p)
		switch {
		case p.A.Kind == "network" && p.B.Kind == "network":
			all = append(all, networks[key][next[key]])
			next[key]++
			continue
		case p.A.Kind == "subnet" && p.B.Kind == "subnet":
			if i := slices.IndexFunc(networks[key], func(c *Couple) bool { return c.Shared.Overlaps(p.Shared) }); i >= 0 {
				networks[key][i].Inside = append(networks[key][i].Inside, p)
				continue
			}
		}
		all = append(all, &Couple{Pair: p})
	}
	return all
}
