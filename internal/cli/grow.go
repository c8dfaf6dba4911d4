package cli

import (
	"fmt"
	"time"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wrong"
)

func growCommand() *command {
	return &command{
		name: "grow", args: "[NETWORK|TIER]...",
		short: "makes room for more hosts and zones: what grows where it is, what must move, what is carved",
		long: "Grow makes room where a tier is to hold more hosts than its subnets can, or is to live in one more zone: of the networks and tiers that are named, or of all. " +
			"A subnet grows where it is when what lies beside it is free; else it moves to the nearest place, and all in the plan that speaks of it follows, as renumber does it; what lacks is carved, with the table and the list of its tier. -stay moves nothing, and gives further subnets of the tier instead. " +
			"-hosts and -zone write what is wanted into the plan first. It tells what has no room and what would give it, what is to be asked for outside the plan, and whether anything opens or closes. -write makes it. The exit status is 1 when something lacks room, opens or closes.",
		examples: []example{
			{"wendrik grow", "all that is too small for what the plan says"},
			{"wendrik grow booking/app -hosts 200", "one tier, for more than it says"},
			{"wendrik grow booking -zone west-d", "one more zone for a network"},
			{"wendrik grow booking/app -stay", "without moving anything: further subnets beside what is there"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			var q grow.Request
			f.IntVar(&q.Hosts, "hosts", 0, "`N` that the one tier that is named is to hold in each zone")
			f.StringVar(&q.Zone, "zone", "", "`ZONE` that is new in the region of the one network that is named")
			f.BoolVar(&q.Stay, "stay", false, "move nothing: what cannot grow where it is gets further subnets")
			write := f.Bool("write", false, "make the changes")
			breaks := f.breaksFlag()
			return func(c *call) (int, error) {
				if q.Names = c.args; q.Hosts < 0 || q.Hosts > 1<<24 {
					return cannot, &usageError{fmt.Sprintf("-hosts %d is no number of hosts", q.Hosts), "-hosts 900"}
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				r, err := grow.Of(o.Estate, q)
				if err != nil {
					return cannot, &usageError{err.Error(), wrong.Right(err)}
				}
				before, _ := estate.Load(o.Plan.Files)
				d := compare.Of(before, r.After, nil, time.Now())
				status := good
				if len(d.Opens)+len(d.Closes)+len(r.NoRoom) > 0 {
					status = no
				}
				changed := changedFiles(o.Plan.Files, r.After.Plan.Files)
				if *format == "json" {
					err = c.json(growJSON(r, d))
				} else {
					err = c.grown(o, r, d, changed)
				}
				if err != nil || len(changed) == 0 {
					return status, err
				}
				if *write {
					if err := keeps(expect.NoLonger(before, r.After, len(d.Closes) > 0), *breaks); err != nil {
						return cannot, err
					}
				}
				if err := c.makeSo(o, changed, *write, *format == "text", phrase.Count(len(r.Steps), "range")); err != nil {
					return cannot, err
				}
				return status, nil
			}
		},
	}
}

// grown shows what making room comes to.
func (c *call) grown(o *opened, r *grow.Result, d *compare.Result, changed []text.Changed) error {
	if len(changed) == 0 && len(r.NoRoom) == 0 {
		of := ""
		if len(c.args) > 0 {
			of = ", of " + clean(phrase.Few(c.args, 4)) + " alone"
		}
		if waiting := grow.Waiting(r.After, c.args); len(waiting) > 0 {
			c.say("%s%s; without a range yet: %s;  wendrik carve  gives it one", noneTooSmall.say(), of, clean(phrase.Few(waiting, 4)))
			return nil
		}
		c.say("%s%s", enoughRoom.say(), of)
		return nil
	}
	if len(r.Steps) > 0 {
		t := &sheet{header: []string{"what", "does", "from", "to", "why"}, wrap: 4}
		for _, x := range r.Steps {
			from := ""
			if x.Was.IsValid() {
				from = x.Was.String()
			}
			t.add(x.What, x.Does, from, x.Is.String(), x.Why)
		}
		if err := c.write(t, "text"); err != nil {
			return err
		}
	}
	for _, words := range r.NoRoom {
		c.say("%s", c.wrap(9, bad.Sprint("no room  ")+clean(words)))
	}
	if len(changed) == 0 {
		return nil
	}
	if err := c.showChanged(changed, 1); err != nil {
		return err
	}
	c.sameOrNot(o, d, r.Told)
	return nil
}

// The JSON of grow; docs/json.md describes it.
type growOut struct {
	Steps  []growStepOut `json:"steps"`
	NoRoom []string      `json:"no_room"`
	Opens  []effectOut   `json:"opens"`
	Closes []effectOut   `json:"closes"`
	Told   []string      `json:"told"`
}

type growStepOut struct {
	What string `json:"what"`
	Does string `json:"does"`
	Was  string `json:"was"`
	Is   string `json:"is"`
	Why  string `json:"why"`
}

func growJSON(r *grow.Result, d *compare.Result) growOut {
	out := growOut{[]growStepOut{}, append([]string{}, r.NoRoom...), []effectOut{}, []effectOut{}, append([]string{}, r.Told...)}
	for _, x := range r.Steps {
		was := ""
		if x.Was.IsValid() {
			was = x.Was.String()
		}
		out.Steps = append(out.Steps, growStepOut{x.What, x.Does, was, x.Is.String(), x.Why})
	}
	for i := range d.Opens {
		out.Opens = append(out.Opens, effectJSON(&d.Opens[i].Difference))
	}
	for i := range d.Closes {
		out.Closes = append(out.Closes, effectJSON(&d.Closes[i].Difference))
	}
	return out
}
