package cli

import (
	"fmt"
	"math/big"
	"net/netip"
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/address"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/space"
)

func spaceCommand() *command {
	return &command{
		name:  "space",
		short: "what of the address space is used, held and free, and where the next range fits",
		long: "Space shows the blocks of address space as a tree: of each, how much networks use, how much is held, how much is for blocks inside it, and how much is free, " +
			"with its largest free block, in how many pieces the free part is, and how many more networks of a size fit; and a map of each. " +
			"With -free it lists the next free ranges of a size and nothing else, for scripts. Networks outside every block, or in a block of another region, are findings, and the exit status is then 1.",
		examples: []example{
			{"wendrik space", "the whole space"},
			{"wendrik space -in west -fit /22", "one block, and how many more /22 fit"},
			{"wendrik space -free /22 -in west -count 3", "the next three free ranges"},
			{"wendrik space -in booking", "what is held and free inside a network"},
			{"wendrik space -taken inventory.csv -columns range=cidr", "with ranges in use that the plan does not know of"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			in := f.String("in", "", "`NAME` only this block and those in it, or what is free inside this network")
			fit := f.String("fit", "", "`/SIZE` the size of which to count how many more fit; /20 and /56 for IPv6 unless given")
			free := f.String("free", "", "`/SIZE` list free ranges of this size, the lowest first")
			number := f.Int("count", 1, "`N` how many ranges to list, with -free")
			taken, columns := f.takenFlags()
			f.onlyWith("count", "free")
			f.apart("fit", "free")
			return func(c *call) (int, error) {
				if err := c.noArguments("space", "-in BLOCK"); err != nil {
					return cannot, err
				}
				open := c.loadPart
				if *free != "" {
					open = c.loadRanged
				}
				o, partly, err := open(*name)
				if err != nil {
					return cannot, err
				}
				e := o.Estate
				used, err := c.inventory(*taken, *columns, e.Plan.Files)
				if err != nil {
					return cannot, err
				}
				block := e.Block(*in)
				if n := e.Network(*in); n != nil && block == nil {
					return c.insideNetwork(n, *free, *number, *format, partly)
				}
				if *in != "" && block == nil {
					return cannot, unknownBlock(e, *in)
				}
				survey := space.NewSurvey(e, used.taken)
				if *free != "" {
					if err := used.refusal(); err != nil {
						return cannot, err
					}
					return c.free(survey, block, *free, *number, *format)
				}
				sizes := [2]int{20, 56}
				if *fit != "" {
					size, err := address.ParseSize(*fit)
					switch {
					case err != nil:
						return cannot, rangeMistake(err)
					case size > 32:
						sizes[1] = size
					default:
						sizes[0] = size
					}
				}
				status, err := c.space(survey, block, sizes, *format)
				if used.unread > 0 && status == good {
					status = no // what is free may be less
				}
				return partly(status), err
			}
		},
	}
}

// insideNetwork tells what is free inside a network, and its held parts; or the next free ranges of a size.
func (c *call) insideNetwork(n *estate.Network, free string, number int, format string, partly func(int) int) (int, error) {
	left := space.FreeOf(n)
	if free != "" {
		size, err := address.ParseSize(free)
		if err != nil {
			return cannot, rangeMistake(err)
		}
		width := 32
		if size > width {
			width = 128
		}
		pool := address.NewPool(left, width)
		t := &sheet{header: []string{"range"}, wrap: -1}
		out := blockListOut{Ranges: []string{}}
		for len(out.Ranges) < number {
			p, found := pool.Take(size)
			if !found {
				break
			}
			t.add(p.String())
			out.Ranges = append(out.Ranges, p.String())
		}
		status := good
		if len(out.Ranges) < number {
			c.tell("network %s has room for %d of %d", n.Name, len(out.Ranges), number)
			status = no
		}
		switch format {
		case "json":
			return status, c.json(out)
		case "text":
			for _, p := range out.Ranges {
				c.say("%s", p)
			}
			return status, nil
		}
		return status, c.write(t, format)
	}
	t := &sheet{header: []string{"range", "what", "name", "addresses"}, right: map[int]bool{3: true}, wrap: -1}
	type row struct {
		p          netip.Prefix
		what, name string
	}
	var rows []row
	for _, s := range n.Subnets {
		for _, p := range s.Ranges {
			rows = append(rows, row{p, "subnet", s.Name})
		}
	}
	for _, h := range n.Held {
		for _, p := range h.Ranges {
			rows = append(rows, row{p, "held", h.Name})
		}
	}
	for _, p := range left.Ranges() {
		rows = append(rows, row{p, "free", ""})
	}
	slices.SortFunc(rows, func(a, b row) int { return address.Compare(a.p, b.p) })
	out := insideOut{Network: n.Name, Parts: []insidePartOut{}}
	for _, r := range rows {
		t.add(r.p.String(), r.what, r.name, grouped(address.Count(r.p)))
		out.Parts = append(out.Parts, insidePartOut{r.p.String(), r.what, r.name, address.Count(r.p)})
	}
	switch format {
	case "json":
		return partly(good), c.json(out)
	case "text":
		c.say("%s\n", strong.Sprintf("network %s (%s)", n.Name, phrase.List(n.Ranges)))
	}
	return partly(good), c.write(t, format)
}

// The JSON of space -in NETWORK; docs/json.md describes it.
type insideOut struct {
	Network string          `json:"network"`
	Parts   []insidePartOut `json:"parts"`
}

type insidePartOut struct {
	Range     string   `json:"range"`
	What      string   `json:"what"`
	Name      string   `json:"name"`
	Addresses *big.Int `json:"addresses"`
}

// loadRanged reads a plan for an answer that gives ranges away.
func (s *screen) loadRanged(name string) (*opened, func(int) int, error) {
	o, err := s.load(name, ranged)
	return o, func(answer int) int { return answer }, err
}

// takenFlags defines the flags for an inventory of ranges in use.
func (f *flags) takenFlags() (name, columns *string) {
	f.onlyWith("columns", "taken")
	return f.String("taken", "", "`FILE` a list of ranges in use that the plan does not know of: CSV with a header, or one range a line"),
		f.String("columns", "", "`range=NAME,...` which columns of that list are the range, name, owner and place")
}

func unknownBlock(e *estate.Estate, name string) error {
	var known []string
	for _, b := range e.Blocks {
		known = append(known, b.Name)
	}
	fix := "the blocks are " + strings.Join(known, ", ")
	if near := diag.Nearest(name, known); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	} else if len(known) == 0 {
		fix = "the plan has no space; add some, such as  space: {cloud: {block: 10.0.0.0/8}}"
	}
	return &usageError{fmt.Sprintf("there is no block named %q", name), fix}
}

// free lists the next free ranges of a size.
func (c *call) free(survey *space.Survey, block *estate.Block, text string, n int, format string) (int, error) {
	size, err := address.ParseSize(text)
	switch {
	case err != nil:
		return cannot, rangeMistake(err)
	case n < 1 || n > 1_000_000:
		return cannot, &usageError{fmt.Sprintf("-count takes a number from 1 to a million, not %d", n), ""}
	}
	if block == nil {
		var open []*estate.Block
		for _, b := range survey.Estate.Blocks {
			if !b.Held {
				open = append(open, b)
			}
		}
		if len(open) != 1 {
			return cannot, &usageError{fmt.Sprintf("the plan has %s that are not held, and nothing says in which to look", phrase.Count(len(open), "block")), "-in BLOCK"}
		}
		block = open[0]
	}
	list := survey.Next(block, size, n)
	switch format {
	case "json":
		out := blockListOut{Ranges: []string{}}
		for _, p := range list {
			out.Ranges = append(out.Ranges, p.String())
		}
		err = c.json(out)
	case "text":
		for _, p := range list {
			c.say("%s", p)
		}
	default:
		t := &sheet{header: []string{"range"}, wrap: -1}
		for _, p := range list {
			t.add(p.String())
		}
		err = c.write(t, format)
	}
	if len(list) < n {
		c.tell("block %s has room for %d of %d", block.Name, len(list), n)
		return no, err
	}
	return good, err
}

// space shows the tree of blocks.
func (c *call) space(survey *space.Survey, in *estate.Block, sizes [2]int, format string) (int, error) {
	src := survey.Estate.Plan.Files
	var nodes []space.Node
	var base netip.Prefix
	for _, n := range survey.Tree() {
		if in != nil && n.Block == in {
			base = n.Range
		}
		if in == nil || base.IsValid() && address.Covers(base, n.Range) {
			nodes = append(nodes, n)
		}
	}
	for i := range nodes {
		nodes[len(nodes)-1-i].Depth -= nodes[0].Depth
	}
	findings, _ := check.Judge(survey.Estate, time.Now(), check.Space)
	status := good
	if len(findings) > 0 {
		status = no
	}
	switch format {
	case "json":
		return status, c.json(spaceJSON(nodes, sizes, findings, src))
	case "csv", "md":
		err := c.write(spaceSheet(nodes, sizes), format)
		for _, f := range findings {
			c.finding(c.err, src, f)
		}
		return status, err
	}
	if len(nodes) == 0 {
		c.say("the plan has no address space; add some, such as  space: {cloud: {block: 10.0.0.0/8}}")
		return no, nil
	}
	c.say("%s\n", strong.Sprint(spaceHead(nodes)))
	_ = c.write(spaceSheet(nodes, sizes), "text")
	c.say("")
	c.maps(nodes)
	c.findings("doubtful", findings, src)
	return status, nil
}
