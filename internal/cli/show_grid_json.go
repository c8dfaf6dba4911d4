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

// The units and cells of the JSON of grid; docs/json.md describes it.
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

// matrixJSON writes a table cell by cell, each on a line of its own, since there may be millions.
func (g *gridCall) matrixJSON(m *grid.Table) error {
	w := &lineWriter{bufio.NewWriterSize(g.out, 1<<16)}
	flow, err := json.Marshal(g.asked.String())
	if err != nil {
		return err
	}
	fmt.Fprintf(w, "{\n  \"flow\": %s,\n  \"by\": %q,\n  \"units\": [", flow, m.Kind)
	for i, name := range m.Names {
		if err := w.element(i, unitOut{name, m.Sizes[i]}); err != nil {
			return err
		}
	}
	w.WriteString("],\n  \"cells\": [")
	n := 0
	for _, i := range m.Rows {
		for _, j := range m.Columns {
			s := m.At(i, j)
			if s.Pairs == 0 {
				continue
			}
			if err := w.element(n, cellOut{m.Names[i], m.Names[j], outcomeJSON(s.Outcome, g.asked), s.Pairs}); err != nil {
				return err
			}
			n++
		}
	}
	w.WriteString("]\n}\n")
	return w.Flush()
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
	SeenAs   []string `json:"seen_as"`
	ByChance bool     `json:"by_chance"`
	By       string   `json:"by"`
	Why      string   `json:"why"`
}

func (g *gridCall) listJSON(one reach.End, toOne bool, all []grid.One) gridListOut {
	out := gridListOut{Flow: g.asked.String(), From: one.Name, Workloads: []gridLineOut{}}
	if toOne {
		out.From, out.To = "", one.Name
	}
	for _, x := range all {
		w, a := x.Workload, x.Answer
		line := gridLineOut{w.Name, w.Subnet.ID(), addrTexts(w.Public), outcomeJSON(a.Outcome, g.asked), []string{}, false, "", ""}
		if toOne {
			line.SeenAs, line.ByChance, line.By = addrTexts(x.SeenAs), a.ByChance(), leaves(a)
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

// classWriter writes a grid class by class as it is worked out. Outcomes are numbered in the order in which they come,
// so that one plan always gives one text.
type classWriter struct {
	lineWriter
	order   []grid.OutcomeID
	numbers []int // of the grid's own numbers, from 1
	line    []byte
}

// classes writes the grid class by class: the classes, for each a row with the numbers of the outcomes towards every
// class, and what these are.
func (g *gridCall) classes() error {
	all := grid.NewGrid(g.e, func(*estate.Workload) int { return 0 })
	w := &classWriter{lineWriter: lineWriter{bufio.NewWriterSize(g.out, 1<<16)}}
	fmt.Fprintf(w, "{\n\"flow\": %q,\n\"classes\": [", g.asked)
	for i, c := range all.Classes {
		x := classOut{Network: c.Members[0].Subnet.Network.Name}
		for _, m := range c.Members {
			x.Workloads = append(x.Workloads, m.Name)
		}
		if err := w.element(i, x); err != nil {
			return err
		}
	}
	w.WriteString("],\n\"rows\": [")
	meter := g.meter("working out the grid", 0, progress.UnitsDefault)
	err := all.Rows(func(from int, row []grid.Cell) error {
		meter.step(from+1, len(all.Classes))
		return w.row(from, row)
	})
	meter.end()
	if err != nil {
		return err
	}
	w.WriteString("],\n\"outcomes\": [")
	for i, id := range w.order {
		if err := w.element(i, outcomeJSON(all.Outcome(id), g.asked)); err != nil {
			return err
		}
	}
	w.WriteString("]\n}\n")
	return w.Flush()
}

// row writes what becomes of the flows of a class: across towards every class, and within subnets where that differs.
func (w *classWriter) row(from int, row []grid.Cell) error {
	w.line = append(append(w.line[:0], comma(from)...), "{\"across\":["...)
	for to, cell := range row {
		if to > 0 {
			w.line = append(w.line, ',')
		}
		w.line = strconv.AppendInt(w.line, w.number(cell.Across), 10)
	}
	w.line = append(w.line, "],\"within\":["...)
	first := true
	for to, cell := range row {
		if cell.Within == grid.NoPair {
			continue
		}
		if !first {
			w.line = append(w.line, ',')
		}
		first = false
		w.line = strconv.AppendInt(append(w.line, '['), int64(to), 10)
		w.line = strconv.AppendInt(append(w.line, ','), w.number(cell.Within), 10)
		w.line = append(w.line, ']')
	}
	w.line = append(w.line, "]}"...)
	_, err := w.Write(w.line)
	return err
}

// number is the number under which an outcome is written, -1 for none.
func (w *classWriter) number(id grid.OutcomeID) int64 {
	if id == grid.NoPair {
		return -1
	}
	for int(id) >= len(w.numbers) {
		w.numbers = append(w.numbers, 0)
	}
	if w.numbers[id] == 0 {
		w.order = append(w.order, id)
		w.numbers[id] = len(w.order)
	}
	return int64(w.numbers[id] - 1)
}
