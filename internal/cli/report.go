package cli

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"html/template"
	"io"
	"math/big"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/draw"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/outage"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/verdict"
	"wendrik/internal/export"
	"wendrik/internal/inlet"
	"wendrik/internal/picture"
	"wendrik/internal/report"
)

func reportCommand() *command {
	return &command{
		name: "report", args: "-o FILE",
		short: "one page of HTML for those who open no terminal",
		long: "Report writes one HTML file that needs nothing else, no network and no server: overview and picture, address space, every network, who reaches whom as a grid in which a cell opens to the way and its rules, " +
			"a box to ask who reaches something, findings with their lines, expectations, outages, what will be built, and tables that sort and filter. " +
			"With -prices it says what that costs a month, in all and by owner and label; the list is CSV with the columns kind and month, such as nat gateway,32.50. " +
			"-watch serves the page to this machine alone and keeps it up to date while the plan is edited, until interrupted.",
		examples: []example{
			{"wendrik report -o estate.html", "the page"},
			{"wendrik report -o -", "to standard output"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name := f.planFlag()
			out := f.String("o", "", "`FILE` to write; - for standard output")
			force := f.forceFlag()
			prices := f.String("prices", "", "`FILE` of what each kind of thing costs a month, as CSV")
			watch := f.Bool("watch", false, "serve the page on this machine, and keep it up to date while the plan is edited")
			f.apart("watch", "o")
			f.onlyWith("force", "o")
			return func(c *call) (int, error) {
				if err := c.noArguments("report", ""); err != nil {
					return cannot, err
				}
				if *out == "" && !*watch {
					return cannot, &usageError{"report needs a file to write", "-o estate.html"}
				}
				if *watch {
					return c.watchReport(*name, *prices)
				}
				list, err := c.pricesOf(*prices)
				if err != nil {
					return cannot, err
				}
				page, err := c.reportOf(*name, list)
				if err != nil {
					return cannot, err
				}
				var content bytes.Buffer
				if err := report.Write(&content, page); err != nil {
					return cannot, err
				}
				if *out == "-" {
					_, err := c.out.Write(content.Bytes())
					return good, err
				}
				if err := c.overwrite(*out, content.Bytes(), *force); err != nil {
					return cannot, err
				}
				c.say("written to %s: %s", clean(*out), kilobytes(content.Len()))
				return good, nil
			}
		},
	}
}

func kilobytes(n int) string { return fmt.Sprintf("%.1f MB", float64(n)/1e6) }

// pricesOf reads what each kind of thing costs a month.
func (s *screen) pricesOf(name string) (map[string]*big.Rat, error) {
	if name == "" {
		return nil, nil
	}
	s.texts = append(s.texts, name)
	file, err := inlet.Open(name)
	if err != nil {
		return nil, unreadable(name, "list", err)
	}
	defer file.Close()
	r := csv.NewReader(file)
	r.FieldsPerRecord = -1
	header, err := r.Read()
	if err != nil {
		return nil, &usageError{fmt.Sprintf("%s: it has no line of column names", name), "kind,month"}
	}
	kind, month := slices.Index(header, "kind"), slices.Index(header, "month")
	if kind < 0 || month < 0 {
		return nil, &usageError{fmt.Sprintf("%s:1: there is no column %s", name, map[bool]string{true: "kind", false: "month"}[kind < 0]), "kind,month"}
	}
	all := map[string]*big.Rat{}
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return all, nil
		}
		line, _ := r.FieldPos(0)
		switch {
		case err != nil:
			return nil, &usageError{fmt.Sprintf("%s: %s", name, err), "lines such as  nat gateway,32.50"}
		case len(row) <= max(kind, month):
			return nil, &usageError{fmt.Sprintf("%s:%d: the line has too few columns", name, line), "nat gateway,32.50"}
		case !slices.Contains(estate.Charged, row[kind]):
			return nil, &usageError{fmt.Sprintf("%s:%d: there is no kind %q", name, line, row[kind]), "one of " + strings.Join(estate.Charged, ", ")}
		}
		price, ok := new(big.Rat).SetString(row[month])
		if !ok || price.Sign() < 0 || len(row[month]) > 20 || strings.ContainsAny(row[month], "eE/") {
			return nil, &usageError{fmt.Sprintf("%s:%d: %q is no price", name, line, row[month]), "a number such as 32.50"}
		}
		all[row[kind]] = price
	}
}

// The bounds of a page: beyond, it says what is left out.
const (
	mostReportRows     = 20000 // of a table
	mostReportUnits    = 1200  // of the grid
	mostReportGrid     = 60    // rows of the grid that are shown
	mostReportWays     = 3600  // pairs of which the way is told
	mostReportPictures = 60    // of single networks
	mostReportOutages  = 2000  // workloads of an estate whose outages are worked out
	mostReportLosses   = 60
)

// reportOf gathers all of a page.
func (c *call) reportOf(name string, prices map[string]*big.Rat) (*report.Page, error) {
	o, err := c.load(name, verdict.Needed)
	if err != nil {
		return nil, err
	}
	e := o.Estate
	p := &report.Page{Title: e.Plan.Estate.Value}
	if p.Title == "" {
		p.Title = "estate"
	}
	for _, x := range []struct {
		what string
		n    int
	}{{"networks", len(e.Networks)}, {"subnets", len(e.Subnets)}, {"workloads", len(e.Workloads)}, {"peerings", len(e.Peerings)}, {"hubs", len(e.Hubs)}, {"sites", len(e.Sites)}} {
		if x.n > 0 {
			p.Facts = append(p.Facts, report.Fact{What: x.what, Count: fmt.Sprint(x.n)})
		}
	}
	p.Estate, err = inlined(draw.Estate(e, false, picture.Width))
	if err != nil {
		return nil, err
	}
	if p.Space, err = inlined(draw.Space(e, picture.Width)); err != nil {
		return nil, err
	}
	for _, n := range e.Networks {
		x := report.Network{Name: n.Name, Facts: fmt.Sprintf("%s, %s, %s", cmp.Or(phrase.List(n.Ranges), "no range yet"), phrase.Count(len(n.Subnets), "subnet"), phrase.Count(len(n.Workloads()), "workload"))}
		if len(e.Networks) <= mostReportPictures {
			if x.Picture, err = inlined(draw.Network(n, false, picture.Width)); err != nil {
				return nil, err
			}
		}
		p.Networks = append(p.Networks, x)
	}
	if len(e.Networks) > mostReportPictures {
		p.Left = append(p.Left, fmt.Sprintf("Pictures of single networks are left out, since there are more than %d;  wendrik draw network NAME  makes one.", mostReportPictures))
	}
	c.reportChecks(p, o)
	c.reportOutages(p, o)
	billOf(p, e, prices)
	for _, t := range export.Tables(e) {
		rows := t.Rows[:min(len(t.Rows), mostReportRows)]
		p.Data.Tables = append(p.Data.Tables, report.Table{Name: t.Name, Header: t.Header, Rows: rows, Left: len(t.Rows) - len(rows)})
	}
	c.reportGrid(p, e)
	return p, nil
}

// inlined is a picture as part of a page, which brings the fonts.
func inlined(p *draw.Picture) (template.HTML, error) {
	var b bytes.Buffer
	if err := picture.SVG(&b, p, picture.Themes["light"], 0, 0, false); err != nil {
		return "", err
	}
	_, svg, _ := strings.Cut(b.String(), "?>")
	return template.HTML(strings.TrimSpace(svg)), nil // every text in it was escaped by the XML encoder
}

// reportChecks adds findings and expectations.
func (c *call) reportChecks(p *report.Page, o *opened) {
	r := c.checked(o, "all")
	for _, f := range errorsFirst(r.findings) {
		p.Findings = append(p.Findings, report.Finding{Severity: string(f.Severity), Code: string(f.Code), Where: o.Plan.Files.Where(f.At), Message: f.Message, Fix: f.Fix()})
	}
	for _, x := range r.expected {
		line := report.Line{Text: x.Text, State: "broken", Why: x.Why}
		switch {
		case x.Doubted:
			line.State = "doubtful"
		case x.Waits:
			line.State = "waits"
		case x.Holds:
			line.State, line.Why = "holds", ""
		}
		p.Expect = append(p.Expect, line)
	}
}

// reportOutages adds what stops when a part fails, of estates that are not too large.
func (c *call) reportOutages(p *report.Page, o *opened) {
	if len(o.Workloads) > mostReportOutages {
		p.Left = append(p.Left, fmt.Sprintf("Outages are left out, since there are more than %d workloads;  wendrik outage  works them out.", mostReportOutages))
		return
	}
	meter := c.meter("taking out each part", 0, progress.UnitsDefault)
	all := outage.Of(o.Estate, false, mostReportLosses, meter.step)
	meter.end()
	for i, l := range all {
		if i == mostReportLosses {
			p.Left = append(p.Left, fmt.Sprintf("Of %d parts that may fail the %d that do the most harm are told.", len(all), mostReportLosses))
			break
		}
		stops, breaks := lossWords(o, &l)
		p.Outages = append(p.Outages, report.Outage{Of: l.Name(), Gone: len(l.Gone), Stops: stops, Breaks: breaks, End: l.End})
	}
}

// billOf counts what will be built, and what that costs.
func billOf(p *report.Page, e *estate.Estate, prices map[string]*big.Rat) {
	counts := map[string]int{}
	costs := map[string]*big.Rat{}
	var order []string
	cost := func(of string, price *big.Rat) {
		if costs[of] == nil {
			costs[of] = new(big.Rat)
			order = append(order, of)
		}
		costs[of].Add(costs[of], price)
	}
	for _, t := range e.Things() {
		counts[t.Kind]++
		price := prices[t.Kind]
		if price == nil {
			continue
		}
		cost("all", price)
		owner := t.Owner
		if owner == "" {
			owner = "nobody"
		}
		cost("owner "+owner, price)
		for _, l := range t.Labels {
			cost("label "+l, price)
		}
	}
	for _, kind := range estate.Charged {
		if counts[kind] == 0 {
			continue
		}
		x := report.Charge{Kind: kind, Count: counts[kind]}
		if price := prices[kind]; price != nil {
			x.Price, x.Month = price.FloatString(2), new(big.Rat).Mul(price, big.NewRat(int64(counts[kind]), 1)).FloatString(2)
		}
		p.Bill = append(p.Bill, x)
	}
	for _, of := range order {
		p.Costs = append(p.Costs, report.Cost{Of: of, Month: costs[of].FloatString(2)})
	}
}

// reportGrid adds who reaches whom: by workloads where they are few, else by tiers or networks.
func (c *call) reportGrid(p *report.Page, e *estate.Estate) {
	u := grid.UnitsFor(e, e.Workloads, e.Workloads, "workloads", 0)
	for _, kind := range []string{"tiers", "networks"} {
		if len(u.Names) > mostReportGrid && (kind == "tiers" || len(u.Names) > mostReportUnits) {
			u = grid.UnitsFor(e, e.Workloads, e.Workloads, kind, 0)
		}
	}
	d := &p.Data
	d.Kind, d.Most = u.Kind, mostReportGrid
	d.Units, d.Names, d.Cells, d.Ways, d.Flows, d.From, d.To = []report.Unit{}, [][2]any{}, [][]report.Group{}, []report.Way{}, []string{}, [][2]int{}, [][2]int{}
	if len(u.Names) == 0 || len(u.Names) > 3*mostReportUnits {
		p.Left = append(p.Left, "Who reaches whom is left out: there are no workloads with an address, or too many networks.")
		return
	}
	meter := c.meter("working out the grid", 0, progress.UnitsDefault)
	m := grid.NewTable(e, u, e.Workloads, e.Workloads, meter.step)
	meter.end()
	known := map[string]int{}
	flows := func(s flow.Set) int {
		word := s.String()
		if s.Empty() {
			word = "nothing"
		}
		n, had := known[word]
		if !had {
			n = len(d.Flows)
			known[word] = n
			d.Flows = append(d.Flows, word)
		}
		return n
	}
	example := make([]*estate.Workload, len(u.Names))
	other := make([]*estate.Workload, len(u.Names))
	for _, w := range e.Workloads {
		if i := u.Of(w); i >= 0 {
			d.Names = append(d.Names, [2]any{w.Name, i})
			switch {
			case example[i] == nil:
				example[i] = w
			case other[i] == nil:
				other[i] = w
			}
		}
	}
	for i, name := range u.Names {
		d.Units = append(d.Units, report.Unit{Name: name, Size: u.Sizes[i]})
		row := []report.Group{}
		for j := range u.Names {
			s := m.At(i, j)
			if s.Pairs > 0 && !s.Some.Empty() {
				full, some := flows(s.Full), flows(s.Some)
				k := slices.IndexFunc(row, func(g report.Group) bool { return g.Full == full && g.Some == some })
				if k < 0 {
					k = len(row)
					row = append(row, report.Group{Full: full, Some: some})
				}
				row[k].To = append(row[k].To, j)
			}
			if a, b := example[i], example[j]; i < mostReportGrid && j < mostReportGrid && len(d.Ways) < mostReportWays && a != nil {
				if a == b {
					b = other[j]
				}
				if b != nil {
					d.Ways = append(d.Ways, wayOf(e, i, j, a, b))
				}
			}
		}
		d.Cells = append(d.Cells, row)
	}
	outside := reach.End{}
	if ends, err := reach.FindEnds(e, "internet"); err == nil && ends.One != nil {
		outside = *ends.One
	}
	for _, toOne := range []bool{false, true} {
		some := map[int]flow.Set{}
		for _, x := range grid.AskEach(e, outside, toOne, e.Workloads, flow.Any(), nil) {
			if i := u.Of(x.Workload); i >= 0 && !x.Answer.Some.Empty() {
				some[i] = some[i].Union(x.Answer.Some)
			}
		}
		for i := range u.Names {
			if set, has := some[i]; has && toOne {
				d.To = append(d.To, [2]int{i, flows(set)})
			} else if has {
				d.From = append(d.From, [2]int{i, flows(set)})
			}
		}
	}
}

// wayOf tells the way between two workloads.
func wayOf(e *estate.Estate, i, j int, a, b *estate.Workload) report.Way {
	x := reach.Ask(e, reach.Question{From: reach.EndOf(a), To: reach.EndOf(b), Flows: flow.Any()})
	w := report.Way{From: i, To: j, Pair: a.Name + " to " + b.Name, There: []string{}, Back: []string{}, Why: []string{}}
	for k, way := range x.Ways {
		if k == 1 {
			break
		}
		for _, h := range way.Forward {
			w.There = append(w.There, hopWhere(h)+": "+hopWhat(h))
		}
		for _, h := range way.Back {
			w.Back = append(w.Back, hopWhere(h)+": "+hopWhat(h))
		}
	}
	for k, f := range x.Blockers {
		if k == maxInside {
			break
		}
		line := f.Message
		if fix := f.Fix(); fix != "" {
			line += " — " + fix
		}
		w.Why = append(w.Why, line)
	}
	return w
}
