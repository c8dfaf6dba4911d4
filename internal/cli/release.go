package cli

import (
	"context"
	"errors"
	"fmt"
	"net/netip"

	"wendrik/internal/claims"
	"wendrik/internal/core/address"
	"wendrik/internal/core/text"
)

// This file is the release command.

func releaseCommand() *command {
	return &command{
		name: "release", args: "RANGE...",
		short: "gives claimed ranges back",
		long:  "Release gives ranges back that were claimed, each as it was claimed; with -network NAME those of a network, which goes out of the plan first. That it was claimed, by whom and when, stays in the history. Exit status 1 says that nobody had one of them, or only a part of it.",
		examples: []example{
			{"wendrik release 10.146.0.0/24", "one range"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, store, format := f.planFlag(), f.storeFlag(), f.oneOf("format", "how to write the result", "text", "json")
			network := f.String("network", "", "take the network `NAME` out of the plan, and release what it has")
			return func(c *call) (int, error) {
				if *network != "" {
					return c.releaseNetwork(*name, *store, *network, *format)
				}
				var all []netip.Prefix
				for _, word := range c.args {
					p, err := address.ParseRange(word)
					if err != nil {
						return cannot, &usageError{err.Error(), "wendrik release 10.146.0.0/24"}
					}
					all = append(all, p)
				}
				if len(all) == 0 {
					return cannot, &usageError{"release takes ranges", "wendrik release 10.146.0.0/24"}
				}
				s, ctx, done, err := c.openStore(*store, *name)
				if err != nil {
					return cannot, err
				}
				defer done()
				return c.release(ctx, s, all, *format)
			}
		},
	}
}

// release gives ranges back, and tells which nobody had.
func (c *call) release(ctx context.Context, s *claims.Store, all []netip.Prefix, format string) (int, error) {
	status := good
	out := claimsOut{Claims: []claimOut{}}
	for _, p := range all {
		was, err := s.Release(ctx, p, whoAmI())
		var taken *claims.Taken
		switch {
		case errors.Is(err, claims.ErrNobody):
			c.tell("%s: nobody has claimed it", p)
			status = no
		case errors.As(err, &taken):
			c.tell("%s", c.wrap(0, clean(fmt.Sprintf("%s was not claimed as that: release it as it was claimed: %s", p, taken))))
			status = no
		case err != nil:
			return cannot, storeError(err)
		case format == "text":
			c.say("%s  released, was for %s", strong.Sprint(p), clean(was.For))
		}
		if err == nil {
			out.Claims = append(out.Claims, claimJSON(was))
		}
	}
	if format == "json" {
		return status, c.json(out)
	}
	return status, nil
}

// releaseNetwork takes a network out of the plan, and releases its ranges: first the plan, so that nobody gets what it still has.
func (c *call) releaseNetwork(plan, store, name, format string) (int, error) {
	if len(c.args) > 0 {
		return cannot, &usageError{"-network stands for the ranges of the network", "wendrik release -network " + clean(name)}
	}
	o, err := c.loadQuietly(plan, ranged)
	if err != nil {
		return cannot, err
	}
	n := o.Estate.Network(name)
	if n == nil {
		return cannot, &usageError{fmt.Sprintf("the plan has no network %s", name), "wendrik show  lists them"}
	}
	s, ctx, done, err := c.openStore(store, plan)
	if err != nil {
		return cannot, err
	}
	defer done()
	if err := c.saveEdits(plan, o.Plan.Files, []text.Edit{text.Remove(n.Place()[:len(n.Place())-1], name)}, false); err != nil {
		return cannot, err
	}
	return c.release(ctx, s, n.Ranges, format)
}
