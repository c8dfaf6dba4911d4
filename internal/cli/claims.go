package cli

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"wendrik/internal/claims"
	"wendrik/internal/core/address"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/space"
)

// This file lists claims.

type claimsOut struct {
	Claims []claimOut `json:"claims"`
}

type historyOut struct {
	History []eventOut `json:"history"`
}

type eventOut struct {
	At    string `json:"at"`
	By    string `json:"by"`
	What  string `json:"what"`
	Range string `json:"range"`
	For   string `json:"for"`
	Owner string `json:"owner"`
	Until string `json:"until"`
}

func claimsCommand() *command {
	return &command{
		name: "claims", args: "[OWNER|RANGE]",
		short: "who has claimed what, what runs out, and who did what when",
		long: "Claims lists the claims that stand, in the order of addresses; with an owner or a range, those alone. -by owner sums them up, -tree shows them under the blocks of the plan with what is free, " +
			"-map draws each block as a strip, -ends DAYS lists what runs out within so many days, and -history tells who did what when, the latest first: nothing of that is ever overwritten. " +
			"-let ROLE is for the owner of the tables in a PostgreSQL database: it has that role read the store, or with -may claim also claim and release, and takes from it whatever else it could do with it.",
		examples: []example{
			{"wendrik claims", "all claims"},
			{"wendrik claims -tree", "under the blocks of the plan"},
			{"wendrik claims -by owner", "how much each owner has"},
			{"wendrik claims -ends 90", "what runs out within three months"},
			{"wendrik claims -history", "who did what when"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, store, format := f.planFlag(), f.storeFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			by := f.oneOf("by", "what a row is", "range", "owner")
			tree := f.Bool("tree", false, "under the blocks of the plan, with what is free")
			strip := f.Bool("map", false, "each block of the plan as a strip")
			ends := f.Int("ends", -1, "only what runs out within `DAYS`, or has")
			history := f.Bool("history", false, "who did what when, the latest first")
			role := f.String("let", "", "have a `ROLE` of the database read the store, or do what -may says; it is made where there is none")
			may := f.oneOf("may", "what the role may do", "read", "claim")
			f.onlyWith("may", "let")
			for _, other := range []string{"tree", "map", "history", "by", "ends", "format"} {
				f.apart("let", other)
			}
			f.apart("tree", "map", "history", "by", "ends")
			f.apart("map", "history", "by", "ends")
			f.apart("history", "by", "ends")
			f.onlyAsText(format, "tree", "map")
			return func(c *call) (int, error) {
				if len(c.args) > 1 {
					return cannot, &usageError{"claims takes one owner or one range", "wendrik claims ferries"}
				}
				s, ctx, done, err := c.openStore(*store, *name)
				if err != nil {
					return cannot, err
				}
				defer done()
				if *role != "" {
					return c.let(ctx, s, *role, claims.May(*may))
				}
				if *history {
					return c.history(ctx, s, *format)
				}
				all, err := s.List(ctx)
				if err != nil {
					return cannot, storeError(err)
				}
				if len(c.args) == 1 {
					p, notRange := address.ParseRange(c.args[0])
					all = slices.DeleteFunc(all, func(x claims.Claim) bool {
						if notRange == nil {
							return !x.Range.Overlaps(p)
						}
						return x.Owner != c.args[0]
					})
				}
				if *ends >= 0 {
					last := time.Now().UTC().AddDate(0, 0, *ends)
					all = slices.DeleteFunc(all, func(x claims.Claim) bool { return x.Until.IsZero() || x.Until.After(last) })
					slices.SortStableFunc(all, func(a, b claims.Claim) int { return a.Until.Compare(b.Until) })
				}
				switch {
				case *tree || *strip:
					return c.claimsIn(all, *name, *strip)
				case *format == "json":
					out := claimsOut{Claims: []claimOut{}}
					for _, x := range all {
						out.Claims = append(out.Claims, claimJSON(x))
					}
					return good, c.json(out)
				case *by == "owner":
					return good, c.claimsByOwner(all, *format)
				}
				return good, c.listClaims(all, *format)
			}
		},
	}
}

// let gives a role of the database what it takes to read the store, or to claim.
func (c *call) let(ctx context.Context, s *claims.Store, role string, may claims.May) (int, error) {
	if len(c.args) > 0 {
		return cannot, &usageError{"-let speaks of the whole store", "wendrik claims -let " + shellWord(role)}
	}
	made, err := s.Let(ctx, role, may)
	switch {
	case errors.Is(err, claims.ErrNoRoles):
		return cannot, &usageError{err.Error(), "name a PostgreSQL database with  -store"}
	case errors.Is(err, claims.ErrNotOwner):
		return cannot, &usageError{err.Error(), "connect as that one with  -store postgres://OWNER@HOST/DATABASE"}
	case errors.Is(err, claims.ErrMore):
		return cannot, &usageError{fmt.Sprintf("%s cannot be held to that: %s", clean(role), err), "name a role that is made for it; nothing was given"}
	case err != nil:
		return cannot, storeError(err)
	}
	if made {
		c.say("made the role %s, which cannot log in: give it to those who can, with  GRANT %s TO ...", clean(role), clean(pgx.Identifier{role}.Sanitize()))
	}
	c.say("%s may %s", clean(role), map[claims.May]string{claims.MayRead: "list claims and the history, and nothing else", claims.MayClaim: "list, claim and release, and change or take out nothing that stands there"}[may])
	return good, nil
}

func (c *call) listClaims(all []claims.Claim, format string) error {
	t := &sheet{header: []string{"range", "addresses", "for", "owner", "until", "claimed by", "on"}, right: map[int]bool{1: true}, wrap: 2}
	today := time.Now().UTC().Format(time.DateOnly)
	past := 0
	for _, x := range all {
		until := dateWord(x.Until)
		if until != "" && until < today {
			past++
			if format == "text" {
				until += " (past)"
			}
		}
		t.add(x.Range.String(), grouped(address.Count(x.Range)), x.For, x.Owner, until, x.By, x.At.Format(time.DateOnly))
	}
	if format != "text" {
		return c.write(t, format)
	}
	if len(all) == 0 {
		c.say("nothing is claimed")
		return nil
	}
	head := phrase.Count(len(all), "claim")
	if past > 0 {
		head += bad.Sprintf(", %d past their day", past)
	}
	c.say("%s\n", head)
	left := t.cut(maxRows)
	_ = c.write(t, "text")
	if left > 0 {
		c.say("\n%d more;  -format csv  lists all", left)
	}
	return nil
}

func (c *call) claimsByOwner(all []claims.Claim, format string) error {
	type sum struct {
		n    int
		set  []netip.Prefix
		next string
	}
	sums := map[string]*sum{}
	var order []string
	for _, x := range all {
		s := sums[x.Owner]
		if s == nil {
			s = &sum{}
			sums[x.Owner] = s
			order = append(order, x.Owner)
		}
		s.n++
		s.set = append(s.set, x.Range)
		if d := dateWord(x.Until); d != "" && (s.next == "" || d < s.next) {
			s.next = d
		}
	}
	slices.Sort(order)
	t := &sheet{header: []string{"owner", "claims", "IPv4 addresses", "IPv6 ranges", "next to run out"}, right: map[int]bool{1: true, 2: true, 3: true}, wrap: -1}
	for _, owner := range order {
		s := sums[owner]
		four := address.SetOf(slices.DeleteFunc(slices.Clone(s.set), func(p netip.Prefix) bool { return p.Addr().Is6() })...)
		six := 0
		for _, p := range s.set {
			if p.Addr().Is6() {
				six++
			}
		}
		name := owner
		if name == "" {
			name = "nobody"
		}
		t.add(name, fmt.Sprint(s.n), grouped(four.Count()), fmt.Sprint(six), s.next)
	}
	return c.write(t, format)
}

// claimsIn shows claims under the blocks of the plan, as a tree or as strips.
func (c *call) claimsIn(all []claims.Claim, plan string, strip bool) (int, error) {
	o, err := c.loadQuietly(plan, ranged)
	if err != nil {
		return cannot, err
	}
	nodes := space.NewSurvey(o.Estate, nil).Tree()
	if len(nodes) == 0 && len(all) == 0 {
		c.say("the plan has no blocks, and nothing is claimed")
		return good, nil
	}
	within := make([][]netip.Prefix, len(nodes)) // by block, what is claimed of it
	own := make([][]claims.Claim, len(nodes))    // and what of that lies in no block inside it
	var outside []claims.Claim
	for _, x := range all {
		innermost := -1
		for i, n := range nodes {
			if address.Covers(n.Range, x.Range) {
				within[i] = append(within[i], x.Range)
				if innermost < 0 || n.Depth > nodes[innermost].Depth {
					innermost = i
				}
			}
		}
		if innermost < 0 {
			outside = append(outside, x)
		} else {
			own[innermost] = append(own[innermost], x)
		}
	}
	list := func(some []claims.Claim, depth int) {
		for i, x := range some {
			if i == maxRows {
				c.say("%s%d more;  wendrik claims -format csv  lists all", strings.Repeat("  ", depth), len(some)-i)
				return
			}
			owner := ""
			if x.Owner != "" {
				owner = "  (" + x.Owner + ")"
			}
			c.say("%s%-18s  %s", strings.Repeat("  ", depth), x.Range, clean(x.For+owner))
		}
	}
	for i, n := range nodes {
		claimed := address.SetOf(within[i]...)
		free := n.Free.Minus(claimed)
		c.say("%s%s  %s  %s claimed, %s free", strings.Repeat("  ", n.Depth), strong.Sprint(clean(n.Block.Name)), n.Range, percent(n.Share(claimed)), percent(n.Share(free)))
		if strip {
			c.say("%s%s", strings.Repeat("  ", n.Depth), stripOf(n, claimed, 64))
		} else {
			list(own[i], n.Depth+1)
		}
	}
	if len(outside) > 0 {
		c.say("%s", strong.Sprint("in no block of the plan"))
		list(outside, 1)
	}
	if strip {
		c.say("%s", dim.Sprint("█ claimed  ▓ used by the plan  ░ held  · free"))
	}
	return good, nil
}

// stripOf draws a block as a strip: of each part what most of it is.
func stripOf(n space.Node, claimed address.Set, width int) string {
	var b strings.Builder
	bits := 0
	for 1<<bits < width {
		bits++
	}
	if n.Range.Bits()+bits > n.Range.Addr().BitLen() {
		bits = n.Range.Addr().BitLen() - n.Range.Bits()
	}
	for i := range 1 << bits {
		p, _ := address.Piece(n.Range, n.Range.Bits()+bits, uint64(i))
		switch {
		case !claimed.Clip(p).Empty():
			b.WriteString("█")
		case !n.Held.Clip(p).Empty():
			b.WriteString("░")
		case !n.Used.Clip(p).Empty():
			b.WriteString("▓")
		default:
			b.WriteString("·")
		}
	}
	return b.String()
}

// mostEvents is how much of the history the text tells.
const mostEvents = 200

func (c *call) history(ctx context.Context, s *claims.Store, format string) (int, error) {
	most := mostEvents
	if format != "text" {
		most = 1 << 30
	}
	all, err := s.History(ctx, most)
	if err != nil {
		return cannot, storeError(err)
	}
	if format == "json" {
		out := historyOut{[]eventOut{}}
		for _, e := range all {
			out.History = append(out.History, eventOut{e.At.Format(time.RFC3339), e.By, e.What, e.Range.String(), e.For, e.Owner, dateWord(e.Until)})
		}
		return good, c.json(out)
	}
	t := &sheet{header: []string{"when", "who", "what", "range", "for", "owner", "until"}, wrap: 4}
	for _, e := range all {
		t.add(e.At.Format("2006-01-02 15:04:05"), e.By, e.What, e.Range.String(), e.For, e.Owner, dateWord(e.Until))
	}
	if len(all) == 0 && format == "text" {
		c.say("nothing was done yet")
		return good, nil
	}
	return good, c.write(t, format)
}
