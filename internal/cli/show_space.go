package cli

import (
	"fmt"
	"math/big"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
)

// spaceHead sums up the outermost blocks in a sentence.
func spaceHead(nodes []space.Node) string {
	var words []string
	for i, n := range nodes {
		if n.Depth > 0 || n.Block.Held {
			continue
		}
		free := n.Free.Count()
		for _, m := range nodes[i+1:] {
			if m.Depth == 0 {
				break // what lies in a block stands behind it
			}
			free.Add(free, m.Free.Count())
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
	const most = 6
	switch {
	case len(words) == 0:
		return "all of it is held"
	case len(words) > most:
		words = append(words[:most], fmt.Sprintf("%d more blocks stand below", len(words)-most))
	}
	return strings.Join(words, ", and ")
}

// indent sets a block in behind the one that it lies in, as far as that can be read.
func indent(n space.Node) string { return strings.Repeat("  ", min(n.Depth, 8)) }

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
		t.add(indent(n)+n.Block.Name, n.Range.String(), percent(n.Share(n.Used)), percent(n.Share(n.Held)), percent(n.Share(n.Inner)), percent(n.Share(n.Free)),
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
		widest = max(widest, len(indent(n))+len(n.Block.Name))
	}
	widest = min(widest, 28)
	for _, n := range nodes {
		cells := n.Map(min(mapWidth, c.width-widest-len("    /18 each")))
		var bar strings.Builder
		for i := 0; i < len(cells); {
			run := i
			for run < len(cells) && cells[run] == cells[i] {
				run++
			}
			bar.WriteString(cellColour[cells[i]].Sprint(strings.Repeat(cellMarks[cells[i]], run-i)))
			i = run
		}
		label := indent(n) + n.Block.Name
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
