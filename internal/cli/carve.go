package cli

import (
	"fmt"
	"math/big"
	"net/netip"

	"github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/plan"
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
			{"wendrik carve -format csv", "every subnet, old and new, for a spreadsheet"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			write := f.Bool("write", false, "put the ranges into the plan")
			all := f.Bool("all", false, "list the subnets that had a range, too; the other formats always do")
			why := f.Bool("why", false, "say why each range was chosen")
			return func(c *call) (int, error) {
				if len(c.args) > 0 {
					return cannot, &usageError{fmt.Sprintf("carve takes no arguments, and %q is one", c.args[0]), ""}
				}
				e, err := c.load(*name)
				if err != nil {
					return cannot, err
				}
				r := carve.Estate(e)
				switch *format {
				case "json":
					err = c.json(carveJSON(r, e.Plan.Source))
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
				return c.finishCarve(r, e.Plan.Source, *name, *write, *format == "text")
			}
		},
	}
}

// finishCarve writes the ranges when that was asked for and everything fits, and says what to do next.
func (c *call) finishCarve(r *carve.Result, src *plan.Source, name string, write, talk bool) (int, error) {
	for _, m := range r.Misfits {
		c.finding(c.err, src, m)
	}
	switch {
	case len(r.Misfits) > 0:
		c.tell("%s; %s written", misfits(len(r.Misfits)), map[bool]string{true: "nothing was", false: "nothing can be"}[write])
		return no, nil
	case write && r.New():
		if err := c.save(name, src, r.Edits, talk); err != nil {
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
	networks, subnets := 0, 0
	for _, n := range r.Networks {
		if n.State == carve.New {
			networks++
		}
	}
	for _, s := range r.Subnets {
		if s.State == carve.New {
			subnets++
		}
	}
	switch {
	case networks == 0:
		return count(subnets, "subnet")
	case subnets == 0:
		return count(networks, "network")
	}
	return count(networks, "network") + " and " + count(subnets, "subnet")
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
		_ = c.write(networks, "text")
		c.say("")
	}
	_ = c.write(carveSheet(r, all), "text")
	tiers := &sheet{header: []string{"tier", "lies in", "subnets", "room for"}, right: map[int]bool{2: true, 3: true}, wrap: -1}
	for _, t := range r.Tiers {
		tiers.add(t.Network+"/"+t.Name, t.Block.String(), fmt.Sprint(t.Used), fmt.Sprint(t.Slots))
	}
	if len(tiers.rows) > 0 {
		c.say("")
		_ = c.write(tiers, "text")
	}
	if why {
		c.say("")
		_ = c.write(reasons(r), "text")
	}
	if kept := len(r.Subnets) - newSubnets(r); kept > 0 && !all && r.New() {
		c.say("\n%s", dim.Sprintf("%s had a range and keep it; -all lists them", count(kept, "subnet")))
	}
}

func newSubnets(r *carve.Result) int {
	n := 0
	for _, s := range r.Subnets {
		if s.State == carve.New {
			n++
		}
	}
	return n
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

func carveSheet(r *carve.Result, all bool) *sheet {
	t := &sheet{header: []string{"network", "subnet", "tier", "zone", "range", "usable", "first", "last", "state"}, right: map[int]bool{5: true}, wrap: -1,
		paint: func(column int, cell string) text.Colors {
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
	Networks []carveNetworkOut `json:"networks"`
	Subnets  []carveSubnetOut  `json:"subnets"`
	Tiers    []carveTierOut    `json:"tiers"`
	Misfits  []findingOut      `json:"misfits"`
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

type carveTierOut struct {
	Network string `json:"network"`
	Tier    string `json:"tier"`
	Block   string `json:"block"`
	Subnets int    `json:"subnets"`
	RoomFor int    `json:"room_for"`
}

func carveJSON(r *carve.Result, src *plan.Source) carveOut {
	out := carveOut{[]carveNetworkOut{}, []carveSubnetOut{}, []carveTierOut{}, findingsJSON(r.Misfits, src)}
	for _, n := range r.Networks {
		out.Networks = append(out.Networks, carveNetworkOut{n.Name, n.Range.String(), n.Block, string(n.State), n.Why})
	}
	for _, s := range r.Subnets {
		out.Subnets = append(out.Subnets, carveSubnetOut{s.Network, s.Name, s.Tier, s.Zone, s.Region, s.Range.String(), s.Usable,
			addrText(s.First), addrText(s.Last), string(s.State), s.Why})
	}
	for _, t := range r.Tiers {
		out.Tiers = append(out.Tiers, carveTierOut{t.Network, t.Name, t.Block.String(), t.Used, t.Slots})
	}
	return out
}

// findingOut is the JSON of a finding. Where says the place in one word, for a person; the keys behind it in parts.
type findingOut struct {
	Code     string `json:"code"`
	Severity string `json:"severity"`
	Where    string `json:"where"`
	What     string `json:"what"`
	Mend     string `json:"mend"`
	Place    string `json:"place"`
	File     string `json:"file"`
	Line     int32  `json:"line"`
	Column   int32  `json:"column"`
}

func findingsJSON(fs []plan.Finding, src *plan.Source) []findingOut {
	out := make([]findingOut, 0, len(fs))
	for _, f := range fs {
		severity := f.Severity
		if severity == "" {
			severity = plan.Error
		}
		where := f.Place
		if f.At.Known() {
			where = src.Where(f.At) + " " + f.Place
		}
		out = append(out, findingOut{f.Code, string(severity), where, f.Message, f.Mend, f.Place, src.Name, f.At.Line, f.At.Column})
	}
	return out
}
