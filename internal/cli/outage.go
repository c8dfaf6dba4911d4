package cli

import (
	"bufio"
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/outage"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wrong"
)

func outageCommand() *command {
	return &command{
		name:  "outage",
		short: "what stops when a part fails: a zone, a gateway, a peering, a hub, a link",
		long: "Outage takes each part of the estate out, one at a time: each zone, gateway, NAT gateway, workload that forwards, peering, hub, hub link, attachment and link of a site. " +
			"It says what is gone with it, what else stops that did not live there, which lines of expect break, and whom the internet sees otherwise: the worst first, each with the change that would end it. " +
			"Packets that a route leads to what fails are lost; balancers hand on to what is left of their targets. -of takes some parts out together, and -pairs every two. " +
			"Lines of expect may ask for it:  booking/web reaches fare-db on tcp/5432 without any zone. " +
			"The exit status is 1 when anything stops beside what is gone itself.",
		examples: []example{
			{"wendrik outage", "every part, alone"},
			{"wendrik outage -of west-a", "one zone"},
			{"wendrik outage -of booking/out-a,booking-finance", "two parts at once"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "md")
			of := f.String("of", "", "`NAMES` of parts that fail together, with commas")
			pairs := f.Bool("pairs", false, "every two parts at once")
			f.apart("of", "pairs")
			return func(c *call) (int, error) {
				if err := c.noArguments("outage", "wendrik outage -of west-a"); err != nil {
					return cannot, err
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				var all []outage.Loss
				if *of != "" {
					one, err := outage.Named(o.Estate, strings.Split(*of, ","))
					if err != nil {
						return cannot, &usageError{err.Error(), wrong.Right(err)}
					}
					all = append(all, one)
				} else {
					meter := c.meter("taking out each part", 0, progress.UnitsDefault)
					all = outage.Of(o.Estate, *pairs, maxLosses, meter.step)
					meter.end()
				}
				status := good
				if slices.ContainsFunc(all, func(l outage.Loss) bool { return l.Harm() > 0 }) {
					status = no
				}
				switch *format {
				case "json":
					return status, c.outageJSON(o, all)
				case "md":
					return status, c.outageMarkdown(o, all)
				}
				c.outage(o, all)
				return status, nil
			}
		},
	}
}

// maxLosses is how many parts the text tells one by one.
const maxLosses = 40

func (c *call) outage(o *opened, all []outage.Loss) {
	harmful := 0
	for _, l := range all {
		if l.Harm() > 0 {
			harmful++
		}
	}
	parts := phrase.Count(len(all), "part")
	switch {
	case len(all) == 0:
		c.say("the estate has no part that could fail: no zone, no gateway, and nothing that joins networks")
		return
	case harmful == 0:
		c.say("%s", nothingStops.say(parts))
	default:
		c.say("%s", strong.Sprintf("%s taken out: %d %s down what does not live there", parts, harmful, map[bool]string{true: "takes", false: "take"}[harmful == 1]))
	}
	told := 0
	for _, l := range all {
		if l.Harm() == 0 && len(all) > 1 {
			continue
		}
		if told++; told > maxLosses {
			c.say("\n%d more;  -format json  lists all", harmful-maxLosses)
			break
		}
		c.say("\n%s  %s", bad.Sprint(clean(l.Name())), place.Sprint(clean(o.Plan.Files.Where(l.At))))
		if len(l.Gone) > 0 {
			c.say("  gone     %s", c.wrap(11, few(l.Gone)))
		}
		for i, x := range l.Breaks {
			if i == maxInside {
				c.say("  breaks   %d more", len(l.Breaks)-i)
				break
			}
			c.say("  breaks   %s", c.wrap(11, clean(fmt.Sprintf("%q", x.Text))))
		}
		if l.Many > 0 {
			c.say("  stops    what passes between %d pairs of workloads;  -of %s  lists them", l.Many, shellWord(strings.Join(l.Of, ",")))
		}
		for i, d := range l.Stops {
			if i == maxInside {
				c.say("  stops    %d more;  -of %s  lists them", len(l.Stops)-i, shellWord(strings.Join(l.Of, ",")))
				break
			}
			c.say("  stops    %s", c.wrap(11, effectLine(&d, func(all []string) string { return gathered(o, all) })))
		}
		for i, s := range l.Seen {
			if i == maxInside {
				c.say("  seen     %d more", len(l.Seen)-i)
				break
			}
			c.say("  seen     %s", c.wrap(11, clean(fmt.Sprintf("%s as %s, else as %s", s.Workload, seenWord(s.Is), seenWord(s.Was)))))
		}
		if l.End != "" {
			c.say("  %s", dim.Sprint("end it   "+c.wrap(11, clean(l.End))))
		}
	}
	if left := len(all) - harmful; left > 0 && harmful > 0 && len(all) > 1 {
		c.say("\n%s", c.wrap(2, fmt.Sprintf("of %s nothing stops beside what is gone itself", map[bool]string{true: "1 other part", false: fmt.Sprintf("%d other parts", left)}[left == 1])))
	}
}

// lossWords are what stops by a loss, some of it, and the lines that break.
func lossWords(o *opened, l *outage.Loss) (stops, breaks []string) {
	if l.Many > 0 {
		stops = append(stops, fmt.Sprintf("what passes between %d pairs of workloads", l.Many))
	}
	for i, d := range l.Stops {
		if i == maxInside {
			stops = append(stops, fmt.Sprintf("%d more", len(l.Stops)-i))
			break
		}
		stops = append(stops, effectLine(&d, func(all []string) string { return gathered(o, all) }))
	}
	for _, x := range l.Breaks {
		breaks = append(breaks, x.Text)
	}
	return stops, breaks
}

func (c *call) outageMarkdown(o *opened, all []outage.Loss) error {
	t := &sheet{header: []string{"fails", "gone with it", "stops", "breaks", "would end it"}}
	err := outage.Whole(o.Estate, all, func(l *outage.Loss) error {
		stops, breaks := lossWords(o, l)
		t.add(l.Name(), few(l.Gone), strings.Join(stops, "; "), strings.Join(breaks, "; "), l.End)
		return nil
	})
	if err != nil {
		return err
	}
	return c.write(t, "md")
}

// A loss in the JSON of outage; docs/json.md describes it.
type lossOut struct {
	Of           string      `json:"of"`
	Gone         []string    `json:"gone"`
	Stops        []effectOut `json:"stops"`
	Seen         []seenOut   `json:"seen"`
	Expectations []string    `json:"expectations"`
	End          string      `json:"end"`
}

// outageJSON writes the losses one after another, each on a line of its own, since each may be large.
func (c *call) outageJSON(o *opened, all []outage.Loss) error {
	w := &lineWriter{bufio.NewWriterSize(c.out, 1<<16)}
	w.WriteString("{\n  \"losses\": [")
	n := 0
	err := outage.Whole(o.Estate, all, func(l *outage.Loss) error {
		one := lossOut{l.Name(), append([]string{}, l.Gone...), effectsJSON(l.Stops), []seenOut{}, []string{}, l.End}
		for _, s := range l.Seen {
			one.Seen = append(one.Seen, seenOut(s))
		}
		for _, x := range l.Breaks {
			one.Expectations = append(one.Expectations, x.Text)
		}
		n++
		return w.element(n-1, one)
	})
	if err != nil {
		return err
	}
	w.WriteString("]\n}\n")
	return w.Flush()
}
