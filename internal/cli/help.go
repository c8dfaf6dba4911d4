package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

func helpCommand() *command {
	return &command{
		name: "help", args: "[COMMAND | plan [KEY] | rules [CODE] | assurances | WORDS]",
		short: "says what there is, all about one command, or the format of a plan",
		long: "Help lists the commands in the order of the day's work. With the name of one it says what that does, its flags, and examples that run as they stand on the demo estate. " +
			"With other words it finds the commands, keys and rules that have to do with all of them. Help plan tells the format: the keys of a plan, or those of a place of it, written with dots, each with an example that can be read. Help rules tells what each finding of check means, with a plan that has it and one that has not; help assurances what each sentence rests on that promises something. " +
			"-format md is the same as a page of Markdown, and -format man all of it as a page of the manual.",
		examples: []example{
			{"wendrik help", "all commands"},
			{"wendrik help reach", "one of them"},
			{"wendrik help plan", "the keys of a plan"},
			{"wendrik help plan networks.tiers", "those of a place in it"},
			{"wendrik help expect", "one key"},
			{"wendrik help rules no-route-back", "what a finding means"},
			{"wendrik help free range", "what there is for a need, in one's own words"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			format := f.oneOf("format", "how to write it", "text", "md", "man")
			return func(c *call) (int, error) {
				switch {
				case *format == "man" && len(c.args) == 0:
					_, err := c.out.Write([]byte(manual()))
					return good, err
				case *format == "md" && len(c.args) == 1 && c.args[0] == "rules":
					_, err := c.out.Write([]byte(rulesPage()))
					return good, err
				case *format == "md" && len(c.args) == 1 && commandNamed(c.args[0]) != nil:
					_, err := c.out.Write([]byte(commandPage(commandNamed(c.args[0]))))
					return good, err
				case len(c.args) == 1 && c.args[0] == "assurances":
					return c.helpAssurances(*format)
				case *format != "text":
					return cannot, &usageError{"-format md is for one command or the rules, and -format man for all", "wendrik help -format md reach"}
				case len(c.args) == 0:
					writeOverview(c.out, c.screen)
					return good, nil
				case c.args[0] == "plan" && len(c.args) <= 2:
					return c.helpPlan(strings.Join(c.args[1:], ""))
				case c.args[0] == "rules" && len(c.args) <= 2:
					return c.helpRules(strings.Join(c.args[1:], ""))
				case len(c.args) == 1 && commandNamed(c.args[0]) != nil:
					writeHelp(c.out, c.screen, commandNamed(c.args[0]))
					return good, nil
				}
				if _, _, known := plan.Keys(strings.Split(c.args[0], ".")); known && len(c.args) == 1 {
					return c.helpPlan(c.args[0])
				}
				switch {
				case c.helpSearch(c.args):
					return good, nil
				case len(c.args) > 1:
					return cannot, &usageError{fmt.Sprintf("nothing here has to do with all of %q", phrase.Clip(strings.Join(c.args, " "))), "ask with fewer words, or  wendrik help  for all commands"}
				}
				return cannot, unknownCommand(c.args[0], "wendrik help ")
			}
		},
	}
}

// keyNamed are the places of the format at which a key stands that is called by its name alone, in the singular or the plural.
func keyNamed(name string) []string {
	var all []string
	for _, k := range plan.AllKeys() {
		if k.Name == name || stem(k.Name) == stem(strings.ToLower(name)) {
			all = append(all, k.Path)
		}
	}
	return all
}

// helpPlan tells the keys of a place of the format.
func (c *call) helpPlan(where string) (int, error) {
	var path []string
	if where != "" {
		path = strings.Split(where, ".")
	}
	keys, one, found := plan.Keys(path)
	if at := keyNamed(where); !found && len(at) == 1 {
		where, path = at[0], strings.Split(at[0], ".")
		keys, one, found = plan.Keys(path)
	} else if !found && len(at) > 1 {
		c.say("%s is a key at %s:", strong.Sprint(where), phrase.Count(len(at), "place"))
		for _, place := range at {
			c.say("  wendrik help plan %s", place)
		}
		return good, nil
	}
	if !found {
		var known []string
		for n := len(path) - 1; n >= 0 && len(known) == 0; n-- {
			above, _, _ := plan.Keys(path[:n])
			for _, k := range above {
				known = append(known, strings.Join(append(slices.Clone(path[:n]), k.Name), "."))
			}
		}
		fix := "wendrik help plan  lists the keys"
		if near := diag.Nearest(where, known); near != "" {
			fix = fmt.Sprintf("did you mean %s?", near)
		}
		return cannot, &usageError{fmt.Sprintf("a plan has no key %q", where), fix}
	}
	if one {
		k := keys[0]
		c.say("%s  %s", strong.Sprint(where), c.wrap(0, k.Doc))
		c.say("  takes %s", c.wrap(8, k.Takes))
	} else {
		title := "a plan"
		if where != "" {
			title = where
		}
		c.say("%s\n", strong.Sprint(title))
		t := &sheet{header: []string{"key", "what it says", "takes"}, wrap: 1}
		for _, k := range keys {
			name := k.Name
			if k.Required {
				name += " *"
			}
			t.add(name, k.Doc, k.Takes)
		}
		_ = c.write(t, "text")
		if slices.ContainsFunc(keys, func(k plan.Key) bool { return k.Required }) {
			c.say("\n%s", dim.Sprint("* must be there"))
		}
	}
	if example := plan.Example(path); example != "" {
		c.say("\n%s", strong.Sprint("such as"))
		for line := range strings.Lines(example + "\n") {
			c.say("  %s", strings.TrimRight(line, "\n"))
		}
	}
	if !one {
		example := "networks.tiers"
		if where != "" {
			example = where + "." + keys[0].Name
		}
		c.say("\nabout a key:  wendrik help plan %s", example)
	}
	return good, nil
}

func writeOverview(to io.Writer, s *screen) {
	w := &strings.Builder{}
	defer func() { _, _ = io.WriteString(to, s.fit(w.String())) }()
	fmt.Fprintf(w, "%s\n\n", s.wrap(0, strong.Sprint("wendrik")+" plans the private networks of an organisation, and says who reaches whom in them."))
	for i, g := range groups() {
		if i > 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintln(w, dim.Sprint(g.title))
		for _, c := range g.commands {
			fmt.Fprintf(w, "  %s %s\n", strong.Sprintf("%-10s", c.name), s.wrap(13, c.short))
		}
	}
	fmt.Fprintf(w, "\n%s\n%s\n\nstart with   wendrik demo\nabout one    wendrik help COMMAND\nfor a need   wendrik help WORDS, such as  wendrik help free range\n",
		s.wrap(0, "It reads wendrik.yaml in this folder; -plan FILE names another."),
		s.wrap(0, "The exit status is 0 when the answer is good, 1 when it is no or there are findings, and 2 when it could not be asked."))
}

func writeHelp(to io.Writer, s *screen, c *command) {
	w := &strings.Builder{}
	defer func() { _, _ = io.WriteString(to, s.fit(w.String())) }()
	options := optionsOf(c)
	var lines []string
	for _, o := range options {
		lines = append(lines, fmt.Sprintf("  %s\n      %s\n", strong.Sprint(o.name), s.wrap(6, o.about)))
	}
	fmt.Fprintf(w, "%s\n", strong.Sprint(usageOf(c, options)))
	for _, p := range passages(c.long) {
		fmt.Fprintln(w)
		if p.words != "" {
			fmt.Fprintln(w, s.wrap(0, p.words))
		}
		wide := 0
		for _, item := range p.items {
			wide = max(wide, len(item[0]))
		}
		for _, item := range p.items {
			fmt.Fprintf(w, "  %-*s  %s\n", wide, item[0], s.wrap(4+wide, item[1]))
		}
	}
	if len(lines) > 0 {
		fmt.Fprintf(w, "\nFlags, before or after the arguments:\n%s", strings.Join(lines, ""))
	}
	fmt.Fprint(w, "\nExamples, in the folder of the demo estate:\n")
	for _, x := range c.examples {
		fmt.Fprintf(w, "  %s\n      %s\n", strong.Sprint(x.line), x.what)
	}
}
