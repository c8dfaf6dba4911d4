package cli

import (
	"fmt"
	"math/big"
	"net/netip"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/text"
)

func carveCommand() *command {
	return &command{
		name:  "carve",
		short: "gives every network and subnet without a range one",
		long: "Carve gives a range to every network with a size and to every tier's subnets that have none: from the named block of space, " +
			"aligned, one subnet for each tier and zone, a tier's subnets side by side with room for another zone, and without moving anything " +
			"that is there. It shows what it would do; with -write it puts the ranges into the plan and leaves every other byte as it was.",
		examples: []example{
			{"wendrik carve", "what would get which range"},
			{"wendrik carve -why", "and for what reason"},
			{"wendrik carve -taken inventory.csv -columns range=cidr", "around ranges in use that the plan does not know of"},
			{"wendrik carve -format csv", "every subnet, old and new, for a spreadsheet"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			write := f.Bool("write", false, "put the ranges into the plan")
			all := f.Bool("all", false, "list the subnets that had a range, too; the other formats always do")
			why := f.Bool("why", false, "say why each range was chosen")
			taken, columns := f.takenFlags()
			return func(c *call) (int, error) {
				if err := c.noArguments("carve", ""); err != nil {
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
				r := carve.Estate(e, used...)
				findings := check.Run(e, check.Names)
				switch *format {
				case "json":
					err = c.json(carveJSON(r, findings, e.Plan.Files))
				case "text":
					if !*write {
						c.carved(r, *all, *why)
					}
				default:
					err = c.write(carveSheet(r, true), *format)
				}
				if err != nil {
					return cannot, err
				}
				for _, f := range findings {
					c.finding(c.err, e.Plan.Files, f)
				}
				status, err := c.finishCarve(r, e.Plan.Files, *name, *write, *format == "text")
				if status == good && len(findings) > 0 {
					status = no
				}
				return status, err
			}
		},
	}
}

// finishCarve writes the ranges when that was asked for and everything fits, and says what to do next.
func (c *call) finishCarve(r *carve.Result, src *text.Files, name string, write, talk bool) (int, error) {
	for _, m := range r.Misfits {
		c.finding(c.err, src, m)
	}
	switch {
	case len(r.Misfits) > 0:
		c.tell("%s; %s written", misfits(len(r.Misfits)), map[bool]string{true: "nothing was", false: "nothing can be"}[write])
		return no, nil
	case write && r.New():
		if err := c.save(name, src, r.Changes, talk); err != nil {
			return cannot, err
		}
		c.written(talk, "written to %s: the ranges of %s", clean(name), news(r))
	case write:
		c.written(talk, "%s is as it was: every network and subnet has its range", clean(name))
	case talk && r.New():
		c.say("\nto write them into the plan:  wendrik carve -write%s", planArg(name))
	}
	return good, nil
}

// written says what became of the plan: in the result where that is for a person, beside it otherwise.
func (c *call) written(talk bool, format string, args ...any) {
	if talk {
		c.say("%s", strong.Sprintf(format, args...))
		return
	}
	c.tell(format, args...)
}

func misfits(n int) string {
	if n == 1 {
		return "1 thing does not fit"
	}
	return fmt.Sprintf("%d things do not fit", n)
}

// planArg is the flag that a suggested command needs to read the same plan.
func planArg(name string) string {
	if name == "wendrik.yaml" {
		return ""
	}
	return " -plan " + clean(name)
}

// news counts what is new in a result.
func news(r *carve.Result) string {
	networks, subnets, held := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, n := range r.Networks {
		if n.State == carve.New {
			networks[n.Name] = true
		}
	}
	for _, s := range r.Subnets {
		if s.State == carve.New {
			subnets[s.Network+"/"+s.Name] = true
		}
	}
	for _, h := range r.Held {
		if h.State == carve.New {
			held[h.Network+"/"+h.Name] = true
		}
	}
	var words []string
	for _, x := range []struct {
		n     int
		thing string
	}{{len(networks), "network"}, {len(subnets), "subnet"}, {len(held), "held part"}} {
		if x.n > 0 {
			words = append(words, count(x.n, x.thing))
		}
	}
	if last := len(words) - 1; last > 0 {
		return strings.Join(words[:last], ", ") + " and " + words[last]
	}
	return strings.Join(words, "")
}

// carved shows a result to a person.
func (c *call) carved(r *carve.Result, all, why bool) {
	switch {
	case r.New():
		c.say("%s\n", strong.Sprintf("%s get ranges; nothing is written yet", news(r)))
	case len(r.Misfits) == 0:
		c.say("%s", strong.Sprint("every network and subnet has its range"))
	}
	networks := &sheet{header: []string{"network", "range", "from"}, wrap: -1}
	for _, n := range r.Networks {
		if n.State == carve.New {
			networks.add(n.Name, n.Range.String(), "block "+n.Block)
		}
	}
	if len(networks.rows) > 0 {
		left := networks.cut(maxRows)
		_ = c.write(networks, "text")
		if left > 0 {
			c.say("%s", dim.Sprintf("%d more are left out; -format json lists all", left))
		}
		c.say("")
	}
	rows := forScreen(carveSheet(r, all))
	left := rows.cut(maxRows)
	_ = c.write(rows, "text")
	if left > 0 {
		c.say("%s", dim.Sprintf("%d more are left out; -format csv lists all", left))
	}
	held := &sheet{header: []string{"network", "held", "range", "for", "owner"}, wrap: 3}
	for _, h := range r.Held {
		if h.State == carve.New {
			held.add(h.Network, h.Name, h.Range.String(), h.For, h.Owner)
		}
	}
	aggregates := &sheet{header: []string{"network", "side by side", "lie in", "subnets", "addresses left"}, right: map[int]bool{3: true, 4: true}, wrap: -1}
	for _, b := range r.Aggregates {
		if b.Subnets == 1 && b.Free.Sign() == 0 {
			continue
		}
		aggregates.add(b.Network, b.Name, b.Block.String(), fmt.Sprint(b.Subnets), grouped(b.Free))
	}
	for _, t := range []*sheet{held, aggregates} {
		if len(t.rows) > 0 {
			left := t.cut(maxRows)
			c.say("")
			_ = c.write(t, "text")
			if left > 0 {
				c.say("%s", dim.Sprintf("%d more are left out; -format json lists all", left))
			}
		}
	}
	if why {
		c.say("")
		t := reasons(r)
		t.cut(maxRows)
		_ = c.write(t, "text")
	}
	if kept := keptSubnets(r); kept > 0 && !all && r.New() {
		c.say("\n%s", dim.Sprintf("%s had a range and keep it; -all lists them", count(kept, "subnet")))
	}
}

// keptSubnets counts the subnets that had a range.
func keptSubnets(r *carve.Result) int {
	kept := map[string]bool{}
	for _, s := range r.Subnets {
		if s.State == carve.Kept {
			kept[s.Network+"/"+s.Name] = true
		}
	}
	return len(kept)
}

// reasons says why each new range was chosen; the subnets of a tier share theirs.
func reasons(r *carve.Result) *sheet {
	t := &sheet{header: []string{"what", "why"}, wrap: 1}
	for _, n := range r.Networks {
		if n.State == carve.New {
			t.add("network "+n.Name, n.Why)
		}
	}
	for _, s := range r.Subnets {
		what := "subnets of " + s.Network + "/" + s.Tier
		if last := len(t.rows) - 1; s.State == carve.New && (last < 0 || t.rows[last][0] != what || t.rows[last][1] != s.Why) {
			t.add(what, s.Why)
		}
	}
	return t
}

// forScreen leaves out what makes the rows of IPv6 too wide for a screen: every subnet is a /64 and has all of it.
func forScreen(t *sheet) *sheet {
	for _, row := range t.rows {
		if strings.Contains(row[4], ":") {
			row[5], row[6], row[7] = "2^64", "", ""
		}
	}
	return t
}

func carveSheet(r *carve.Result, all bool) *sheet {
	t := &sheet{header: []string{"network", "subnet", "tier", "zone", "range", "usable", "first", "last", "state"}, right: map[int]bool{5: true}, wrap: -1,
		paint: func(column int, cell string) pretty.Colors {
			if column == 8 && cell == string(carve.New) {
				return fine
			}
			return nil
		}}
	for _, s := range r.Subnets {
		if !all && s.State != carve.New {
			continue
		}
		zone := s.Zone
		if zone == "" {
			zone = s.Region
		}
		t.add(s.Network, s.Name, s.Tier, zone, s.Range.String(), s.Usable.String(), addrText(s.First), addrText(s.Last), string(s.State))
	}
	return t
}

// addrText is empty for no address.
func addrText(a netip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	return a.String()
}

// The JSON of carve; docs/json.md describes it.
type carveOut struct {
	Networks   []carveNetworkOut   `json:"networks"`
	Subnets    []carveSubnetOut    `json:"subnets"`
	Held       []carveHeldOut      `json:"held"`
	Aggregates []carveAggregateOut `json:"aggregates"`
	Misfits    []findingOut        `json:"misfits"`
	Findings   []findingOut        `json:"findings"`
}

type carveNetworkOut struct {
	Network string `json:"network"`
	Range   string `json:"range"`
	Block   string `json:"block"`
	State   string `json:"state"`
	Why     string `json:"why"`
}

type carveSubnetOut struct {
	Network string   `json:"network"`
	Subnet  string   `json:"subnet"`
	Tier    string   `json:"tier"`
	Zone    string   `json:"zone"`
	Region  string   `json:"region"`
	Range   string   `json:"range"`
	Usable  *big.Int `json:"usable"`
	First   string   `json:"first"`
	Last    string   `json:"last"`
	State   string   `json:"state"`
	Why     string   `json:"why"`
}

type carveHeldOut struct {
	Network string `json:"network"`
	Held    string `json:"held"`
	Range   string `json:"range"`
	For     string `json:"for"`
	Owner   string `json:"owner"`
	State   string `json:"state"`
	Why     string `json:"why"`
}

type carveAggregateOut struct {
	Network   string   `json:"network"`
	Aggregate string   `json:"aggregate"`
	Block     string   `json:"block"`
	Subnets   int      `json:"subnets"`
	Free      *big.Int `json:"free"`
}

func carveJSON(r *carve.Result, findings []diag.Finding, src *text.Files) carveOut {
	out := carveOut{[]carveNetworkOut{}, []carveSubnetOut{}, []carveHeldOut{}, []carveAggregateOut{}, findingsJSON(r.Misfits, src), findingsJSON(findings, src)}
	for _, n := range r.Networks {
		out.Networks = append(out.Networks, carveNetworkOut{n.Name, n.Range.String(), n.Block, string(n.State), n.Why})
	}
	for _, s := range r.Subnets {
		out.Subnets = append(out.Subnets, carveSubnetOut{s.Network, s.Name, s.Tier, s.Zone, s.Region, s.Range.String(), s.Usable,
			addrText(s.First), addrText(s.Last), string(s.State), s.Why})
	}
	for _, h := range r.Held {
		out.Held = append(out.Held, carveHeldOut{h.Network, h.Name, h.Range.String(), h.For, h.Owner, string(h.State), h.Why})
	}
	for _, b := range r.Aggregates {
		out.Aggregates = append(out.Aggregates, carveAggregateOut{b.Network, b.Name, b.Block.String(), b.Subnets, b.Free})
	}
	return out
}

// findingOut is the JSON of a finding. Where says the place in one word, for a person; the keys behind it in parts.
type findingOut struct {
	Code     string `json:"code"`
	Severity string `json:"severity"`
	Where    string `json:"where"`
	What     string `json:"what"`
	Fix      string `json:"fix"`
	Place    string `json:"place"`
	File     string `json:"file"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
}

func findingsJSON(fs []diag.Finding, src *text.Files) []findingOut {
	out := make([]findingOut, 0, len(fs))
	for _, f := range fs {
		place := f.Place.String()
		where := place
		if f.At.Known() {
			where = src.Where(f.At) + " " + place
		}
		out = append(out, findingOut{string(f.Code), string(f.Weight()), where, f.Message, f.Fix(), place, src.Of(f.At).Name, f.At.Line(), f.At.Column()})
	}
	return out
}
