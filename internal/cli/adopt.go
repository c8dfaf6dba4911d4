package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"wendrik/internal/build"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
)

func adoptCommand() *command {
	return &command{
		name:  "adopt",
		short: "writes a plan from what is there",
		long: "Adopt writes a plan from what is there at a cloud, in the form in which a person would write it: names are kept, tiers are found by the names of subnets and by where their tables lead, " +
			"ranges are called by who has them, workloads that are alike are counted, and networks that are alike take a pattern. Building it changes nothing: what would come to anything else is written as it is. " +
			"It takes what is labelled with the estate and what is labelled with none, and leaves out what the cloud made by itself. In an account that others use, too, -scope says what of it is the estate's.",
		examples: []example{
			{"wendrik adopt", "the plan of what is there"},
			{"wendrik adopt -o adopted.yaml", "into a file that is not there yet"},
			{"wendrik adopt -scope team=ferries", "what bears that label, of an account that others use, too"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			at := f.atFlags()
			name := f.String("estate", "", "`NAME` the estate, where several are there")
			scope := f.String("scope", "", "take `WORDS` alone of what bears no estate's label, with commas: labels (team=ferries), names or identifiers of networks, hubs and sites; the plan says so, too")
			out := f.String("o", "-", "`FILE` to write the plan to; - for standard output")
			return func(c *call) (int, error) {
				if err := c.noArguments("adopt", "wendrik adopt -o FILE"); err != nil {
					return cannot, err
				}
				ctx := context.Background()
				d, err := c.driver(at)
				if err != nil {
					return cannot, err
				}
				defer d.Close()
				there, content, err := build.Adopt(ctx, d, *name, listed(*scope))
				if err != nil {
					return cannot, adoptError(*at.at, err)
				}
				for _, t := range there.Born {
					if t.Kind == stock.Network {
						c.tell("left out: network %s (%s), which the cloud made by itself", clean(t.Name), clean(t.ID))
					}
				}
				if there.Others > 0 {
					c.tell("left out: %s of other estates%s;  -estate NAME  takes those of another", phrase.Count(there.Others, "thing"), orOutside(listed(*scope)))
				}
				content = fmt.Sprintf("# Written from what is there at %s: %s.\n%s", clean(*at.at), phrase.Count(len(there.Items), "thing"), content)
				if *out == "-" {
					c.say("%s", strings.TrimSuffix(content, "\n"))
					return good, nil
				}
				if err := create(*out, content); err != nil {
					return cannot, err
				}
				c.say("written to %s: %s;  wendrik check -plan %s  judges it", clean(*out), phrase.Count(len(there.Items), "thing"), shellWord(*out))
				return good, nil
			}
		},
	}
}

// orOutside goes behind what is told of things of other estates, where there is a scope.
func orOutside(scope []string) string {
	if len(scope) == 0 {
		return ""
	}
	return ", or outside the scope"
}

// listed are the words of a flag that takes several, with commas.
func listed(words string) (all []string) {
	for w := range strings.SplitSeq(words, ",") {
		if w = strings.TrimSpace(w); w != "" {
			all = append(all, w)
		}
	}
	return all
}

func adoptError(at string, err error) error {
	var several *build.Several
	if errors.As(err, &several) {
		return &usageError{clean(err.Error()), "say which one:  -estate " + shellWord(several.Names[0])}
	}
	return cloudError(at, err)
}
