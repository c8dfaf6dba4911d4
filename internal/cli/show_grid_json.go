package cli

import (
	"bufio"
	"encoding/json"
	"fmt"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
)

// The JSON of grid; docs/json.md describes it.
type gridOut struct {
	Flow  string    `json:"flow"`
	By    string    `json:"by"`
	Units []unitOut `json:"units"`
	Cells []cellOut `json:"cells"`
}

type unitOut struct {
	Name      string `json:"name"`
	Workloads int    `json:"workloads"`
}

type cellOut struct {
	From string `json:"from"`
	To   string `json:"to"`
	outcomeOut
	Pairs int `json:"pairs"`
}

func (g *gridCall) matrixJSON(m *grid.Table) gridOut {
	out := gridOut{g.asked.String(), m.Kind, []unitOut{}, []cellOut{}}
	for i, name := range m.Names {
		out.Units = append(out.Units, unitOut{name, m.Sizes[i]})
	}
	for _, i := range m.Rows {
		for _, j := range m.Columns {
			if s := m.At(i, j); s.Pairs > 0 {
				out.Cells = append(out.Cells, cellOut{m.Names[i], m.Names[j], outcomeJSON(s.Outcome, g.asked), s.Pairs})
			}
		}
	}
	return out
}

type gridListOut struct {
	Flow      string        `json:"flow"`
	From      string        `json:"from"`
	To        string        `json:"to"`
	Workloads []gridLineOut `json:"workloads"`
}

type gridLineOut struct {
	Workload string   `json:"workload"`
	Subnet   string   `json:"subnet"`
	Public   []string `json:"public"`
	outcomeOut
	SeenAs []string `json:"seen_as"`
	By     string   `json:"by"`
	Why    string   `json:"why"`
}

func (g *gridCall) listJSON(one reach.End, toOne bool, all []grid.One) gridListOut {
	out := gridListOut{Flow: g.asked.String(), From: one.Name, Workloads: []gridLineOut{}}
	if toOne {
		out.From, out.To = "", one.Name
	}
	for _, x := range all {
		w, a := x.Workload, x.Answer
		line := gridLineOut{w.Name, w.Subnet.ID(), addrTexts(w.Public), outcomeJSON(a.Outcome, g.asked), []string{}, "", ""}
		if toOne {
			line.SeenAs, line.By = addrTexts(x.SeenAs), leaves(a)
		}
		if a.Verdict == reach.Blocked && len(a.Blockers) > 0 {
			line.Why = a.Blockers[0].Message
		}
		out.Workloads = append(out.Workloads, line)
	}
	return out
}

type classOut struct {
	Network   string   `json:"network"`
	Workloads []string `json:"workloads"`
}

// classes writes the grid class by class as it is worked out: the classes, for each a row with the numbers of the ways
// to fare towards every class, and what these are.
func (g *gridCall) classes() error {
	all := grid.NewGrid(g.e, func(*estate.Workload) int { return 0 })
	w := bufio.NewWriterSize(g.out, 1<<16)
	object := func(v any) error {
		raw, err := json.Marshal(v)
		if err != nil {
			return err
		}
		_, err = w.Write(raw)
		return err
	}
	fmt.Fprintf(w, "{\n\"flow\": %q,\n\"classes\": [", g.asked)
	for i, c := range all.Classes {
		x := classOut{Network: c.Members[0].Subnet.Network.Name}
		for _, m := range c.Members {
			x.Workloads = append(x.Workloads, m.Name)
		}
		w.WriteString(comma(i))
		if err := object(x); err != nil {
			return err
		}
	}
	w.WriteString("],\n\"rows\": [")
	meter := g.meter("working out the grid", 0, progress.UnitsDefault)
	// Outcomes are numbered in the order in which they come, so that one plan always gives one text.
	var order []grid.OutcomeID
	var numbers []int // by the grid's own numbers, from 1
	numberOf := func(id grid.OutcomeID) int64 {
		for int(id) >= len(numbers) {
			numbers = append(numbers, 0)
		}
		if numbers[id] == 0 {
			order = append(order, id)
			numbers[id] = len(order)
		}
		return int64(numbers[id] - 1)
	}
	var line []byte
	err := all.Rows(func(from int, row []grid.Cell) error {
		line = append(line[:0], "{\"across\":["...)
		for to, cell := range row {
			if to > 0 {
				line = append(line, ',')
			}
			if cell.Across == grid.NoPair {
				line = append(line, "-1"...)
			} else {
				line = strconv.AppendInt(line, numberOf(cell.Across), 10)
			}
		}
		line = append(line, "],\"within\":["...)
		first := true
		for to, cell := range row {
			if cell.Within == grid.NoPair {
				continue
			}
			if !first {
				line = append(line, ',')
			}
			first = false
			line = append(line, '[')
			line = strconv.AppendInt(line, int64(to), 10)
			line = append(line, ',')
			line = strconv.AppendInt(line, numberOf(cell.Within), 10)
			line = append(line, ']')
		}
		w.WriteString(comma(from))
		w.Write(line)
		meter.step(from+1, len(all.Classes))
		_, err := w.WriteString("]}")
		return err
	})
	meter.end()
	if err != nil {
		return err
	}
	w.WriteString("],\n\"outcomes\": [")
	for i, id := range order {
		w.WriteString(comma(i))
		if err := object(outcomeJSON(all.Outcome(id), g.asked)); err != nil {
			return err
		}
	}
	w.WriteString("]\n}\n")
	return w.Flush()
}

// comma is what stands before an element of a list.
func comma(i int) string {
	if i == 0 {
		return "\n"
	}
	return ",\n"
}
