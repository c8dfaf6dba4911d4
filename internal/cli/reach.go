package cli

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
)

func reachCommand() *command {
	return &command{
		name: "reach", args: "FROM TO",
		short: "says whether a flow passes, by which way, and if not, everything that stops it",
		long: "Reach walks a flow from one end to the other and its replies back, through groups, lists, route tables, gateways, peerings, hubs and sites. " +
			"An end is a workload, a site, an address, or internet. It names every blocker at once, each with its place in the plan and the change that mends it: " +
			"behind each blocker it goes on as if that were mended. Without -on it says exactly which protocols and ports pass. " +
			"The exit status is 0 when the flow passes, or without -on when anything does.",
		examples: []example{
			{"wendrik reach ticket-1 fare-db -on tcp/5432", "blocked, and by what"},
			{"wendrik reach fares-1 internet -on tcp/443", "open, and as whom the internet sees it"},
			{"wendrik reach internet ticket-1", "all that passes"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			on := f.String("on", "", "`FLOW` what is asked for: tcp/443, udp/53, icmp, any, or several with commas")
			return func(c *call) (int, error) {
				if len(c.args) != 2 {
					return cannot, &usageError{fmt.Sprintf("reach takes two ends, not %d", len(c.args)), "wendrik reach FROM TO -on tcp/443"}
				}
				asked := flow.Any()
				if *on != "" {
					var err error
					if asked, err = flow.Parse(*on); err != nil {
						return cannot, &usageError{err.Error(), "-on tcp/443"}
					}
				}
				e, err := c.load(*name)
				if err != nil {
					return cannot, err
				}
				from, err := findEnd(e, c.args[0])
				if err != nil {
					return cannot, err
				}
				to, err := findEnd(e, c.args[1])
				if err != nil {
					return cannot, err
				}
				a := reach.Ask(e, from, to, asked)
				if *format == "json" {
					err = c.json(reachJSON(a, e.Plan.Source))
				} else {
					c.reached(a, e.Plan.Source, *on != "")
				}
				if a.Verdict == reach.Open || a.Verdict == reach.Partly && *on == "" {
					return good, err
				}
				return no, err
			}
		},
	}
}

// findEnd finds an end of a question, or says what is wrong with the word.
func findEnd(e *estate.Estate, word string) (reach.End, error) {
	end, err := reach.Find(e, word)
	var unknown *reach.UnknownEndError
	if errors.As(err, &unknown) {
		return end, &usageError{unknown.Message, unknown.Mend}
	}
	return end, err
}

var verdictColours = map[reach.Verdict]text.Colors{reach.Open: fine, reach.Partly: doubt, reach.Blocked: bad}

// reached shows an answer to a person: the verdict in a sentence, what stops it, then the ways.
func (c *call) reached(a *reach.Answer, src *plan.Source, asked bool) {
	colour := verdictColours[a.Verdict]
	from, to := clean(a.From.Name), clean(a.To.Name)
	switch {
	case asked && a.Verdict == reach.Open:
		c.say("%s  %s reaches %s on %s", colour.Sprint("open"), from, to, a.Asked)
	case asked && a.Verdict == reach.Blocked:
		c.say("%s  %s does not reach %s on %s: %s", colour.Sprint("blocked"), from, to, a.Asked, count(len(a.Blockers), "cause"))
	case asked:
		c.say("%s  %s reaches %s on %s only in part", colour.Sprint("partly"), from, to, a.Asked)
	case a.Verdict == reach.Blocked:
		c.say("%s  nothing passes from %s to %s: %s", colour.Sprint("blocked"), from, to, count(len(a.Blockers), "cause"))
	case len(a.Ways) == 1:
		c.say("%s  from %s to %s pass: %s", colour.Sprint(string(a.Verdict)), from, to, a.Passes)
	default:
		c.say("%s  from %s to %s passes what the ways below let through", colour.Sprint(string(a.Verdict)), from, to)
	}
	if len(a.SeenAs) > 0 && (a.To.Internet || a.SeenAs[0] != privateOf(a.From)) {
		c.say("      %s sees it as %s", to, strings.Join(addrTexts(a.SeenAs), " or "))
	}
	for _, n := range a.Notes {
		c.say("      note: %s", c.wrap(12, clean(n)))
	}
	for i, b := range a.Blockers {
		c.say("\n%s %s", bad.Sprintf("%3d.", i+1), c.wrap(5, clean(b.Message)))
		c.say("     %s  %s", place.Sprint(clean(src.Where(b.At))), dim.Sprint(clean(strings.TrimSpace(src.Line(b.At.Line)))))
		if b.Mend != "" {
			c.say("     mend: %s", c.wrap(11, clean(b.Mend)))
		}
	}
	for _, w := range a.Ways {
		if len(a.Ways) > 1 {
			c.say("\n%s  from %s to %s", verdictColours[w.Verdict].Sprint(string(w.Verdict)), clean(w.FromName), clean(w.ToName))
			if !asked && w.Verdict != reach.Blocked {
				c.say("      pass: %s", w.Passes)
			}
		}
		c.hops("there", w.Forward)
		c.hops("and back", w.Back)
	}
	if len(a.Blockers) > 0 {
		c.say("\nto look closer:  wendrik show %s", showable(a))
	}
}

// showable is an end of the question that the show command knows.
func showable(a *reach.Answer) string {
	if a.To.Workload != nil {
		return a.To.Workload.Name
	}
	if a.From.Workload != nil {
		return a.From.Workload.Name
	}
	return "NETWORK"
}

func privateOf(e reach.End) netip.Addr {
	if e.Workload != nil && len(e.Workload.Addrs) > 0 {
		return e.Workload.Addrs[0]
	}
	return netip.Addr{}
}

func addrTexts(all []netip.Addr) []string {
	out := make([]string, 0, len(all))
	for _, a := range all {
		out = append(out, a.String())
	}
	return out
}

// hops shows the steps of a way. The mark in front tells what passes: all of it, some of it (~), or nothing (x).
func (c *call) hops(title string, hops []reach.Hop) {
	if len(hops) == 0 {
		return
	}
	t := &sheet{header: []string{"", title, "", "line"}, right: map[int]bool{3: true}, wrap: 2,
		paint: func(column int, cell string) text.Colors {
			switch {
			case column == 0 && cell == "x":
				return bad
			case column == 0 && cell == "~":
				return doubt
			case column == 3:
				return place
			}
			return nil
		}}
	for i, h := range hops {
		mark := ""
		switch {
		case h.Stops:
			mark = "x"
		case i > 0 && !h.Left.Equal(hops[i-1].Left) && strings.HasPrefix(h.What, "only "):
			mark = "~"
		}
		what, line := h.What, ""
		if h.Stops {
			what = "stops here" // the reason stands above, with its mend
		}
		if h.At.Known() {
			line = fmt.Sprint(h.At.Line)
		}
		t.add(mark, h.Where, what, line)
	}
	c.say("")
	_ = c.write(t, "text")
}

// The JSON of reach; docs/json.md describes it.
type reachOut struct {
	From     string       `json:"from"`
	To       string       `json:"to"`
	Flow     string       `json:"flow"`
	Verdict  string       `json:"verdict"`
	Passes   []string     `json:"passes"`
	SeenAs   string       `json:"seen_as"`
	SeenAll  []string     `json:"seen_as_all"`
	Forward  []hopOut     `json:"forward"`
	Back     []hopOut     `json:"back"`
	Blockers []findingOut `json:"blockers"`
	Notes    []string     `json:"notes"`
	Ways     []wayOut     `json:"ways"`
}

type wayOut struct {
	From     []string     `json:"from"`
	To       []string     `json:"to"`
	Verdict  string       `json:"verdict"`
	Passes   []string     `json:"passes"`
	SeenAs   []string     `json:"seen_as"`
	Forward  []hopOut     `json:"forward"`
	Back     []hopOut     `json:"back"`
	Blockers []findingOut `json:"blockers"`
}

type hopOut struct {
	Kind  string   `json:"kind"`
	Where string   `json:"where"`
	What  string   `json:"what"`
	Stops bool     `json:"stops"`
	Left  []string `json:"left"`
	Line  int32    `json:"line"`
}

func reachJSON(a *reach.Answer, src *plan.Source) reachOut {
	out := reachOut{From: a.From.Name, To: a.To.Name, Flow: a.Asked.String(), Verdict: string(a.Verdict), Passes: a.Passes.Words(),
		SeenAll: addrTexts(a.SeenAs), Forward: []hopOut{}, Back: []hopOut{}, Blockers: findingsJSON(a.Blockers, src),
		Notes: append([]string{}, a.Notes...), Ways: []wayOut{}}
	if len(a.SeenAs) > 0 {
		out.SeenAs = a.SeenAs[0].String()
	}
	for i, w := range a.Ways {
		x := wayOut{[]string{}, []string{}, string(w.Verdict), w.Passes.Words(), addrTexts(w.SeenAs), hopsJSON(w.Forward), hopsJSON(w.Back), findingsJSON(w.Blockers, src)}
		for _, p := range w.From.Ranges() {
			x.From = append(x.From, p.String())
		}
		for _, p := range w.To.Ranges() {
			x.To = append(x.To, p.String())
		}
		out.Ways = append(out.Ways, x)
		if i == 0 {
			out.Forward, out.Back = x.Forward, x.Back
		}
	}
	return out
}

func hopsJSON(hops []reach.Hop) []hopOut {
	out := make([]hopOut, 0, len(hops))
	for _, h := range hops {
		out = append(out, hopOut{h.Kind, h.Where, h.What, h.Stops, h.Left.Words(), h.At.Line})
	}
	return out
}
