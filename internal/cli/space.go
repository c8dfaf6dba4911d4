package cli

import (
	"fmt"
	"math/big"
	"net/netip"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/address"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
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
			{"wendrik space -taken inventory.csv -columns range=cidr", "with ranges in use that the plan does not know of"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			in := f.String("in", "", "`BLOCK` only this block and those in it")
			fit := f.String("fit", "", "`/SIZE` the size of which to count how many more fit; /20 and /56 for IPv6 unless given")
			free := f.String("free", "", "`/SIZE` list free ranges of this size, the lowest first")
			number := f.Int("count", 1, "`N` how many ranges to list, with -free")
			taken, columns := f.takenFlags()
			return func(c *call) (int, error) {
				if err := c.noArguments("space", "-in BLOCK"); err != nil {
					return cannot, err
				}
				e, err := c.load(*name)
				if err != nil {
					return cannot, err
				}
				used, err := c.taken(*taken, *columns)
				if err != nil {
					return cannot, err
				}
				block := e.Block(*in)
				if *in != "" && block == nil {
					return cannot, unknownBlock(e, *in)
				}
				survey := space.NewSurvey(e, used)
				if *free != "" {
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
				return c.space(survey, block, sizes, *format)
			}
		},
	}
}

// takenFlags defines the flags for an inventory of ranges in use.
func (f *flags) takenFlags() (name, columns *string) {
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
			return cannot, &usageError{fmt.Sprintf("the plan has %s that are not held, and nothing says in which to look", count(len(open), "block")), "-in BLOCK"}
		}
		block = open[0]
	}
	width := 32
	if size > 32 || len(block.Ranges) > 0 && !hasIPv4(block.Ranges) {
		width = 128
	}
	pool := address.NewPool(survey.FreeIn(block), width)
	var list []netip.Prefix
	for range n {
		p, found := pool.Take(size)
		if !found {
			break
		}
		list = append(list, p)
	}
	if format == "json" {
		out := blockListOut{Ranges: []string{}}
		for _, p := range list {
			out.Ranges = append(out.Ranges, p.String())
		}
		err = c.json(out)
	} else {
		for _, p := range list {
			c.say("%s", p)
		}
	}
	if len(list) < n {
		c.tell("block %s has room for %d of %d", block.Name, len(list), n)
		return no, err
	}
	return good, err
}

func hasIPv4(all []netip.Prefix) bool {
	for _, p := range all {
		if p.Addr().Is4() {
			return true
		}
	}
	return false
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
	findings := check.Run(survey.Estate, check.Space)
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

// spaceHead sums up the outermost blocks in a sentence.
func spaceHead(nodes []space.Node) string {
	var words []string
	for _, n := range nodes {
		if n.Depth > 0 || n.Block.Held {
			continue
		}
		free := new(big.Int)
		for _, m := range nodes {
			if address.Covers(n.Range, m.Range) {
				free.Add(free, m.Free.Count())
			}
		}
		part, _ := new(big.Rat).SetFrac(free, address.Count(n.Range)).Float64()
		word := fmt.Sprintf("%s is %s free", n.Block.Name, percent(part))
		if n.Range.Addr().Is6() {
			word = fmt.Sprintf("%s of %s", percent(part), n.Range)
			if len(n.Block.Ranges) == 1 {
				word += " is free"
			}
		}
		words = append(words, word)
	}
	if len(words) == 0 {
		return "all of it is held"
	}
	return strings.Join(words, ", and ")
}

// percent writes a part as a percentage; what is not quite nothing or all is not written so.
func percent(part float64) string {
	switch {
	case part == 0 || part == 1:
		return fmt.Sprintf("%.0f%%", part*100)
	case part < 0.001:
		return "<0.1%"
	case part > 0.999:
		return ">99.9%"
	}
	return fmt.Sprintf("%.1f%%", part*100)
}

// fitSize is the size to count in a node: that for its family.
func fitSize(n space.Node, sizes [2]int) int {
	if n.Range.Addr().Is4() {
		return sizes[0]
	}
	return sizes[1]
}

func spaceSheet(nodes []space.Node, sizes [2]int) *sheet {
	t := &sheet{header: []string{"block", "range", "used", "held", "in blocks", "free", "largest free", "pieces", "more fit"},
		right: map[int]bool{2: true, 3: true, 4: true, 5: true, 7: true, 8: true}, wrap: -1,
		paint: func(column int, cell string) pretty.Colors {
			if cell == "0%" || cell == "0" || strings.HasPrefix(cell, "0 /") {
				return dim
			}
			return nil
		}}
	for _, n := range nodes {
		largest := ""
		if p := n.Largest(); p.IsValid() {
			largest = p.String()
			if p.Addr().Is6() {
				largest = fmt.Sprintf("/%d", p.Bits()) // the whole range would be too wide for a screen
			}
		}
		size := fitSize(n, sizes)
		t.add(strings.Repeat("  ", n.Depth)+n.Block.Name, n.Range.String(), percent(n.Share(n.Used)), percent(n.Share(n.Held)), percent(n.Share(n.Inner)), percent(n.Share(n.Free)),
			largest, fmt.Sprint(n.Pieces()), fmt.Sprintf("%s /%d", grouped(n.Fits(size)), size))
	}
	return t
}

// The cells of a map: darker is more taken, so that it can be read without colour.
var (
	cellMarks  = map[space.Cell]string{space.FreeCell: "·", space.InnerCell: "░", space.HeldCell: "▒", space.PartlyUsed: "▓", space.FullyUsed: "█"}
	cellColour = map[space.Cell]pretty.Colors{space.FreeCell: dim, space.InnerCell: place, space.HeldCell: doubt, space.PartlyUsed: fine, space.FullyUsed: fine}
)

// mapWidth is how many cells a map has at most.
const mapWidth = 64

// maps draws each block as a bar.
func (c *call) maps(nodes []space.Node) {
	widest := 0
	for _, n := range nodes {
		widest = max(widest, 2*n.Depth+len(n.Block.Name))
	}
	widest = min(widest, 28)
	for _, n := range nodes {
		cells := n.Map(mapWidth)
		var bar strings.Builder
		for i := 0; i < len(cells); {
			run := i
			for run < len(cells) && cells[run] == cells[i] {
				run++
			}
			bar.WriteString(cellColour[cells[i]].Sprint(strings.Repeat(cellMarks[cells[i]], run-i)))
			i = run
		}
		label := strings.Repeat("  ", n.Depth) + n.Block.Name
		if len(label) > widest {
			label = label[:widest]
		}
		each := ""
		if bits := n.Range.Bits(); len(cells) > 1 {
			each = dim.Sprintf("  /%d each", bits+log2(len(cells)))
		}
		c.say("%-*s  %s%s", widest, label, bar.String(), each)
	}
	var legend []string
	for _, cell := range []space.Cell{space.FullyUsed, space.PartlyUsed, space.HeldCell, space.InnerCell, space.FreeCell} {
		legend = append(legend, cellColour[cell].Sprint(cellMarks[cell])+" "+map[space.Cell]string{space.FullyUsed: "used", space.PartlyUsed: "used in part",
			space.HeldCell: "held", space.InnerCell: "in a block inside", space.FreeCell: "free"}[cell])
	}
	c.say("%s  %s", strings.Repeat(" ", widest), strings.Join(legend, "   "))
}

// log2 is the logarithm of a power of two.
func log2(n int) int {
	k := 0
	for n > 1 {
		n, k = n/2, k+1
	}
	return k
}

// The JSON of space; docs/json.md describes it.
type spaceOut struct {
	Blocks   []spaceBlockOut `json:"blocks"`
	Findings []findingOut    `json:"findings"`
}

type spaceBlockOut struct {
	Block       string   `json:"block"`
	Range       string   `json:"range"`
	Depth       int      `json:"depth"`
	Region      string   `json:"region"`
	HeldFor     string   `json:"held_for"`
	Owner       string   `json:"owner"`
	Total       *big.Int `json:"total"`
	Used        *big.Int `json:"used"`
	Held        *big.Int `json:"held"`
	InBlocks    *big.Int `json:"in_blocks"`
	Free        *big.Int `json:"free"`
	LargestFree string   `json:"largest_free"`
	Pieces      int      `json:"pieces"`
	FitSize     string   `json:"fit_size"`
	Fit         *big.Int `json:"fit"`
}

func spaceJSON(nodes []space.Node, sizes [2]int, findings []diag.Finding, src *text.Files) spaceOut {
	out := spaceOut{[]spaceBlockOut{}, findingsJSON(findings, src)}
	for _, n := range nodes {
		largest := ""
		if p := n.Largest(); p.IsValid() {
			largest = p.String()
		}
		size := fitSize(n, sizes)
		out.Blocks = append(out.Blocks, spaceBlockOut{n.Block.Name, n.Range.String(), n.Depth, n.Block.Region, n.Block.Plan.Held.Value, n.Block.Plan.Owner.Value,
			address.Count(n.Range), n.Used.Count(), n.Held.Count(), n.Inner.Count(), n.Free.Count(), largest, n.Pieces(), fmt.Sprintf("/%d", size), n.Fits(size)})
	}
	return out
}
