package cli

import (
	"encoding/csv"
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/verdict"
)

func gridCommand() *command {
	return &command{
		name:  "grid",
		short: "who reaches whom, and who is exposed to the internet",
		long: "Grid works out who reaches whom among all workloads, tiers, subnets or networks: a row for each source and a column for each destination. " +
			"Without -on a cell tells exactly which flows pass, by a letter that is spelled out below; with -on it tells open, partly or blocked. " +
			"A cell of a tier, subnet or network speaks of all its workloads: open when all pairs are, partly when some are, or some flows. " +
			"With -from or -to, internet, a site or an address gives a list in place of the table: -from internet is what is exposed, " +
			"and -to internet the way out of every workload, with the public address it is seen as; any other word narrows the rows or columns. " +
			"A table has at most 2,000 rows and columns, and as CSV 4,000; for more workloads ask by tiers or networks, or by classes of workloads that nothing tells apart.",
		examples: []example{
			{"wendrik grid", "every workload, for every flow"},
			{"wendrik grid -on tcp/5432 -by tiers", "one flow, tier by tier"},
			{"wendrik grid -from internet", "what is exposed"},
			{"wendrik grid -to internet -format csv", "the way out of everything, for a spreadsheet"},
			{"wendrik grid -by classes -format json", "all pairs of a large estate, without spelling each out"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			at := f.standing()
			on := f.onFlag()
			by := f.oneOf("by", "what a row and a column is; the largest table that can be read", "fit", "workloads", "subnets", "tiers", "networks", "classes")
			from, to := f.String("from", "", "`END` only from here"), f.String("to", "", "`END` only to there")
			all := f.Bool("all", false, "list workloads that nothing passes to or from, too")
			return func(c *call) (int, error) {
				c.ask(at)
				if err := c.noArguments("grid", "wendrik grid -from END -to END"); err != nil {
					return cannot, err
				}
				g := &gridCall{call: c, format: *format, by: *by, on: *on != "", all: *all}
				var err error
				if g.asked, err = askedFlows(*on); err != nil {
					return cannot, err
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				g.e = o.Estate
				return good, g.run(*from, *to)
			}
		},
	}
}

// gridCall is one run of grid.
type gridCall struct {
	*call
	e      *estate.Estate
	format string
	by     string
	asked  flow.Set
	on     bool // whether a flow was asked for
	all    bool
}

func (g *gridCall) run(from, to string) error {
	if g.by == "classes" {
		if from != "" || to != "" || g.format != "json" {
			return &usageError{"classes are for  -format json,  of the whole estate", "wendrik grid -by classes -format json" + g.samePlan()}
		}
		return g.classes()
	}
	rows, columns := reach.Ends{Many: g.e.Workloads}, reach.Ends{Many: g.e.Workloads}
	var err error
	if from != "" {
		if rows, err = findEnds(g.e, from); err != nil {
			return err
		}
	}
	if to != "" {
		if columns, err = findEnds(g.e, to); err != nil {
			return err
		}
	}
	rowsOut, columnsOut := outsider(rows), outsider(columns)
	switch {
	case rowsOut && columnsOut:
		return &usageError{fmt.Sprintf("grid is about workloads, and neither %s nor %s is one", from, to), fmt.Sprintf("wendrik reach %s %s%s", shellWord(from), shellWord(to), g.samePlan())}
	case (rowsOut || columnsOut) && g.by != "fit":
		return &usageError{"-by has no effect on a list of what one end outside reaches, or is reached from", "leave it out"}
	case !rowsOut && !columnsOut && g.all:
		return &usageError{"-all has no effect on a table, which always has all", "it is for lists, such as those of  -from internet"}
	case rowsOut:
		return g.list(*rows.One, false, insiders(columns))
	case columnsOut:
		return g.list(*columns.One, true, insiders(rows))
	}
	return g.table(insiders(rows), insiders(columns))
}

// outsider reports whether ends are no workloads.
func outsider(e reach.Ends) bool { return e.One != nil && e.One.Workload == nil }

func insiders(e reach.Ends) []*estate.Workload {
	if e.One != nil {
		return []*estate.Workload{e.One.Workload}
	}
	return e.Many
}

// maxMatrix is how many columns a matrix in Markdown has at most; beyond, a table has a row for each pair.
const maxMatrix = 60

// The rows and columns that a table has at most: one for people, and one for programs, which holds a gigabyte.
const (
	maxUnits    = 2000
	maxCSVUnits = 4000
)

func (g *gridCall) table(from, to []*estate.Workload) error {
	u := grid.UnitsFor(g.e, from, to, g.by, (g.width-25)/3)
	if len(u.Names) == 0 {
		return &usageError{"there is no workload with an address to ask about", "wendrik carve -write" + g.samePlan() + "  gives ranges to subnets that have none"}
	}
	most := maxUnits
	if g.format == "csv" {
		most = maxCSVUnits
	}
	if len(u.Names) > most {
		var others []string
		for _, kind := range []string{"networks", "tiers", "subnets", "workloads"} { // those that have fewer rows
			if kind == u.Kind {
				break
			}
			others = append(others, "-by "+kind)
		}
		if g.format != "csv" && len(u.Names) <= maxCSVUnits {
			others = append(others, "-format csv")
		}
		return &usageError{fmt.Sprintf("a table of %d %s is more than anybody reads", len(u.Names), u.Kind), strings.Join(append(others, "-from NETWORK", "or  -by classes -format json"), ",  ")}
	}
	meter := g.meter("working out the grid", 0, progress.UnitsDefault)
	m := grid.NewTable(g.e, u, from, to, meter.step)
	meter.end()
	switch g.format {
	case "json":
		return g.matrixJSON(m)
	case "text":
		g.drawn(m)
		return nil
	case "md":
		if len(m.Columns) <= maxMatrix {
			return g.matrixMarkdown(m)
		}
	}
	t := &sheet{header: []string{"from", "to", "verdict", "passes", "in part", "pairs"}, wrap: 3, right: map[int]bool{5: true}}
	var out *csv.Writer
	if g.format == "csv" {
		out = t.csvHead(g.out) // row by row, since there may be millions
	}
	for _, i := range m.Rows {
		for _, j := range m.Columns {
			if s := m.At(i, j); s.Pairs > 0 {
				full, part := s.Of(g.asked)
				t.add(u.Names[i], u.Names[j], string(s.Verdict(g.asked)), full.String(), part.String(), fmt.Sprint(s.Pairs))
			}
		}
		if out != nil {
			t.csvRows(out)
			t.rows = t.rows[:0]
		}
	}
	if out != nil {
		out.Flush()
		return out.Error()
	}
	return g.write(t, g.format)
}

// list lists what passes between one end outside and each workload.
func (g *gridCall) list(one reach.End, toOne bool, workloads []*estate.Workload) error {
	meter := g.meter("asking about each workload", 0, progress.UnitsDefault)
	all := grid.AskEach(g.e, one, toOne, workloads, g.asked, meter.step)
	meter.end()
	if g.format == "json" {
		return g.json(g.listJSON(one, toOne, all))
	}
	t := &sheet{header: []string{"workload", "subnet", "verdict", "public", "passes"}, wrap: 4, paint: verdictColumn(2)}
	if toOne {
		t = &sheet{header: []string{"workload", "subnet", "verdict", "seen as", "by", "passes"}, wrap: 5, paint: verdictColumn(2)}
	}
	reached, silent := 0, 0
	for _, x := range all {
		w, a := x.Workload, x.Answer
		switch {
		case a.Verdict != reach.Blocked:
			reached++
		case !g.all && g.format == "text":
			silent++
			continue
		}
		passes := g.passesOf(a, toOne)
		if toOne {
			by := leaves(a)
			if g.format == "text" {
				by, _, _ = strings.Cut(by, ",") // the NAT, where there is one, is what gives the address
			}
			t.add(w.Name, w.Subnet.ID(), string(a.Verdict), seenAs(x), by, passes)
		} else {
			t.add(w.Name, w.Subnet.ID(), string(a.Verdict), phrase.Names(w.Public, address.Word), passes)
		}
	}
	if g.format != "text" {
		return g.write(t, g.format)
	}
	if !g.on && !g.all {
		t.without(2) // all of them are partly, and what passes says more
		t.paint = nil
	}
	on := ""
	if g.on {
		on = " on " + g.asked.String()
	}
	if toOne {
		g.say("%s\n", strong.Sprintf("%d of %d workloads reach %s%s", reached, len(all), clean(one.Name), on))
	} else {
		g.say("%s\n", strong.Sprintf("%s reaches %d of %d workloads%s", clean(one.Name), reached, len(all), on))
	}
	dropped := t.cut(maxRows)
	if len(t.rows) > 0 {
		if err := g.write(t, "text"); err != nil {
			return err
		}
		g.say("")
	}
	if dropped > 0 {
		g.say("%d more are left out;  -format csv  lists all", dropped)
	}
	if silent > 0 {
		g.say("%s with nothing;  -all  lists them with the first cause", phrase.Count(silent, "workload"))
	}
	return nil
}
